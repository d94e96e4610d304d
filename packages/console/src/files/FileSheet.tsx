import type { FileView, LaterPartBody, TypeView } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../app/api';
import { usePerson } from '../app/session';
import { Button } from '../components/Button';
import { number } from '../components/format';
import { textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { useSettled } from '../components/useSettled';
import type { Draft } from '../job/draft';
import { partFrom } from '../job/whole';
import type { FieldChoice } from '../records/fields';
import { queries } from '../queries';
import { Chooser } from './Chooser';
import { FileReport } from './FileReport';
import { Mapping } from './Mapping';
import { completePlan, isAmbiguous, type DraftPlan } from './plan';

interface Props {
  open: boolean;
  type: TypeView;
  fields: readonly FieldChoice[];
  /** Makes what the file does a part of the job. */
  onUse: (start: Partial<Draft>) => void;
  onClose: () => void;
}

/** Values from a file: what is in it, which record each row is about, what its columns become; every row is counted once. */
export default function FileSheet(props: Props) {
  const { open, type, onClose } = props;
  return (
    <Sheet
      open={open}
      onClose={onClose}
      title={`Values from a file, for ${type.label.toLowerCase()}`}
      about="CSV, a workbook (.xlsx) or JSON Lines. Nothing is changed before you have seen the preview."
      width="w-300"
    >
      {open && <Filed {...props} />}
    </Sheet>
  );
}

/** How a person says that a file is read. */
type Manner = {
  readonly encoding?: string;
  readonly separator?: string;
  readonly sheet?: string;
  readonly header?: string;
};

function Filed({ type, fields, onUse, onClose }: Props) {
  const [chosen, setChosen] = useState<File | null>(null);
  const [manner, setManner] = useState<Manner>({});
  const send = useMutation({
    mutationFn: ({ file, how }: { file: File; how: Manner }) => api.uploadFile({ name: file.name, ...how }, file),
  });
  const take = (file: File, how: Manner): void => {
    setChosen(file);
    setManner(how);
    send.mutate({ file, how });
  };
  return (
    <>
      <div className="border-b border-line px-4 py-2.5">
        <Chooser isFirst file={chosen} busy={send.isPending} onFile={(file) => take(file, {})} />
        {send.data && chosen && <MannerLine file={send.data} manner={manner} onManner={(how) => take(chosen, how)} />}
        <Problems error={send.error} />
      </div>
      {send.data ? (
        <Planned key={send.data.id} file={send.data} type={type} fields={fields} onUse={onUse} onClose={onClose} />
      ) : (
        <p className="p-6 text-quiet">
          {send.isPending
            ? 'Reading the file…'
            : 'Choose a file, or drop one here. Rows find their records by a code, a mail address or a key; you see which before anything is done.'}
        </p>
      )}
    </>
  );
}

const encodings = ['utf-8', 'windows-1252', 'iso-8859-1', 'utf-16le'];
const separators = { ',': 'commas', ';': 'semicolons', '\t': 'tabs', '|': 'bars' } as const;

/** How the file was read, each of which can be said otherwise. */
function MannerLine({ file, manner, onManner }: { file: FileView; manner: Manner; onManner: (how: Manner) => void }) {
  const select = (label: string, value: string, options: readonly (readonly [string, string])[], key: keyof Manner) => (
    <label className="flex items-center gap-1.5">
      {label}
      <select
        className={`${textInput} w-auto!`}
        value={value}
        onChange={(e) => onManner({ ...manner, [key]: e.target.value })}
      >
        {options.map(([id, words]) => (
          <option key={id} value={id}>
            {words}
          </option>
        ))}
      </select>
    </label>
  );
  const { sheet, sheets, encoding, separator, notes } = file;
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 pt-2 text-quiet">
        <span>
          {number(file.rows)} {file.rows === 1 ? 'row' : 'rows'}
        </span>
        {sheet !== null &&
          sheets.length > 1 &&
          select(
            'Sheet',
            sheet,
            sheets.map((s) => [s, s]),
            'sheet',
          )}
        {separator !== null && select('Cells parted by', separator, Object.entries(separators), 'separator')}
        {encoding !== null &&
          select(
            'Encoding',
            encoding,
            [...new Set([...encodings, encoding])].map((e) => [e, e]),
            'encoding',
          )}
        {file.format !== 'jsonl' && (
          <label className="flex items-center gap-1.5">
            <input
              type="checkbox"
              className="accent-accent"
              checked={file.hasHeader}
              onChange={(e) => onManner({ ...manner, header: String(e.target.checked) })}
            />
            The first row names the columns
          </label>
        )}
      </div>
      {notes.map((n) => (
        <p key={n.code} className="pt-1 text-pending">
          {n.message}
        </p>
      ))}
    </>
  );
}

function Planned({ file, type, fields, onUse, onClose }: Omit<Props, 'open'> & { file: FileView }) {
  const navigate = useNavigate();
  const { workspace } = usePerson();
  const guess = useQuery(queries.fileGuess(file.id, type.id));
  const [said, setSaid] = useState<DraftPlan | null>(null);
  const [why, setWhy] = useState('');
  const plan: DraftPlan | null = said ?? guess.data ?? null;
  const complete = plan && completePlan(plan);
  const open = complete && file.columns.filter((c) => isAmbiguous(c, complete, type));
  const text = useSettled(JSON.stringify(complete), 400);
  const found = useQuery({
    ...queries.filePlan(file.id, text),
    enabled: complete !== null && text !== 'null' && open?.length === 0,
  });
  const stale = found.isPlaceholderData || text !== JSON.stringify(complete);
  const work = complete && open?.length === 0 ? found.data : undefined;
  const make = useMutation({
    mutationFn: () =>
      api.makePreview({
        ...(work!.job as Parameters<typeof api.makePreview>[0]),
        ...(why.trim() ? { why: why.trim() } : {}),
      }),
    onSuccess: (p) => navigate(`/previews/${p.id}`),
  });
  const { report } = work?.file ?? {};
  const count = (report?.records ?? 0) + (report?.fates.new ?? 0);
  const ready = work?.job && !stale;
  const use = (): void => {
    const { selection, edits, then = [] } = work!.job!;
    onUse({
      list: selection.list ?? null,
      edits: edits,
      then: (then as readonly LaterPartBody[]).map(partFrom),
      picked: [],
      dropped: [],
      panel: true,
    });
    onClose();
  };
  if (!plan) return <p className="p-6 text-quiet">Looking which column is which field…</p>;
  return (
    <>
      <div className="flex min-h-0 flex-1">
        <div className="w-130 shrink-0 overflow-auto border-r border-line p-4">
          <Mapping file={file} type={type} fields={fields} plan={plan} onPlan={setSaid} problems={found.error} />
        </div>
        <div className="flex min-w-0 flex-1 flex-col">
          {work && report ? (
            <FileReport file={work.file} stale={stale} />
          ) : (
            <p className="p-6 text-quiet">
              {open && open.length > 0
                ? `Say how the dates in ${open.map((c) => `“${c.name}”`).join(' and ')} are to be read: both ways fit.`
                : complete
                  ? found.isError
                    ? 'Something is still missing or wrong: it is said beside.'
                    : 'Counting what becomes of each row…'
                  : 'Say by which column rows and records find each other, and which columns to take.'}
            </p>
          )}
        </div>
      </div>
      <div className="flex flex-wrap items-center gap-3 border-t border-line px-4 py-3">
        {work?.stopped && !stale && (
          <span role="alert" className="text-trouble">
            {work.stopped}
          </span>
        )}
        <Problems error={make.error} />
        <span className="flex-1" />
        {workspace.whyRequired && (
          <input
            aria-label="Why"
            className={`${textInput} w-60!`}
            placeholder="Why"
            value={why}
            onChange={(e) => setWhy(e.target.value)}
          />
        )}
        <Button onClick={onClose}>Cancel</Button>
        {ready && work.job?.act === undefined && <Button onClick={use}>Put into the job…</Button>}
        <Button
          main
          disabled={!ready || (workspace.whyRequired && !why.trim())}
          busy={make.isPending}
          onClick={() => make.mutate()}
        >
          Preview {ready ? number(count) : ''}
        </Button>
      </div>
    </>
  );
}
