import type { JournalPick } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { Button } from '../components/Button';
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
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex h-9 shrink-0 items-center justify-between gap-3 border-b border-line px-4">
        <h2 className="font-medium">
          {field.label}: {pickWords[pick].toLowerCase()}
        </h2>
        <Button className="h-7!" onClick={onClose}>
          All records
        </Button>
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
        {found.isPending ? (
          <Working what="Looking for them" />
        ) : found.isError ? (
          <Trouble error={found.error} onRetry={() => void found.refetch()} />
        ) : found.data.records.length === 0 ? (
          <p className="p-4 text-quiet">No records here.</p>
        ) : (
          <RecordsTable records={found.data.records} picks={picks} />
        )}
      </div>
    </div>
  );
}
