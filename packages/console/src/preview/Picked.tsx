import type { JournalPick, PreviewView } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { Button, LinkButton } from '../components/Button';
import { number } from '../components/format';
import { JournalTable } from '../components/JournalTable';
import { RecordsTable, type RecordPicks } from '../components/RecordsTable';
import { Trouble, Working } from '../components/states';
import { queries } from '../queries';

/** What records can be picked out by, as on a button. */
export const pickWords: Record<JournalPick, string> = {
  spread: 'One of each',
  largest: 'Largest changes',
  longest: 'Longest',
  emptied: 'Newly blank',
};

interface Props {
  preview: string;
  pick: JournalPick;
  field: { readonly id: string; readonly label: string };
  onClose: () => void;
  picks?: RecordPicks;
}

/** A few records that are worth a look, by what becomes of one field. */
export function Picked({ preview, pick, field, onClose, picks }: Props) {
  const found = useQuery(queries.previewPicks(preview, pick, field.id));
  return (
    <Chosen title={`${field.label}: ${pickWords[pick].toLowerCase()}`} onClose={onClose}>
      {found.isPending ? (
        <Working what="Looking for them" />
      ) : found.isError ? (
        <Trouble error={found.error} onRetry={() => void found.refetch()} />
      ) : found.data.records.length === 0 ? (
        <p className="p-4 text-quiet">No records here.</p>
      ) : (
        <RecordsTable records={found.data.records} picks={picks} />
      )}
    </Chosen>
  );
}

interface CauseProps {
  preview: string;
  cause: PreviewView['causes'][number];
  /** Leaves all of them out. */
  onDrop?: () => void;
  isDropping: boolean;
  /** Back to the job, where a further edit may mend it. */
  onChange: () => void;
  onClose: () => void;
}

/** The records that are not allowed for one reason. */
export function OfCause({ preview, cause: { cause, count }, onDrop, isDropping, onChange, onClose }: CauseProps) {
  return (
    <Chosen
      title={`Not allowed: ${cause}`}
      onClose={onClose}
      actions={
        onDrop && (
          <div className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-line px-4 py-2">
            <Button className="h-7!" busy={isDropping} onClick={onDrop}>
              Leave {count === 1 ? 'it' : `these ${number(count)}`} out and preview again
            </Button>
            <LinkButton onClick={onChange}>Add an edit that mends {count === 1 ? 'it' : 'them'}</LinkButton>
          </div>
        )
      }
    >
      <JournalTable query={queries.previewRecords(preview, 'not_allowed', cause)} empty="No records here." />
    </Chosen>
  );
}

/** A few of the records, and the way back to all of them. */
function Chosen({
  title,
  onClose,
  actions,
  children,
}: {
  title: string;
  onClose: () => void;
  actions?: ReactNode;
  children: ReactNode;
}) {
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex min-h-9 shrink-0 items-center justify-between gap-3 border-b border-line px-4">
        <h2 className="py-1 font-medium">{title}</h2>
        <Button className="h-7! shrink-0" onClick={onClose}>
          All records
        </Button>
      </div>
      {actions}
      <div className="min-h-0 flex-1 overflow-auto">{children}</div>
    </div>
  );
}
