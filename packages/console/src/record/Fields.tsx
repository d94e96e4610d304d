import type { FieldView, RecordView, TypeView } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import { useMutation } from '@tanstack/react-query';
import { Pencil, X } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import { queryClient } from '../app/api';
import { usePerson } from '../app/session';
import { Button } from '../components/Button';
import { Shown } from '../components/Change';
import { counted } from '../components/format';
import { textInput } from '../components/inputs';
import { inLines } from '../components/json';
import { cellOf } from '../components/kinds';
import { Problems } from '../components/Problems';
import { TouchedValue } from '../job/TouchedValue';
import { changeNow, undoNow, type SmallRun } from './small-run';

interface Props {
  record: RecordView;
  type: TypeView;
}

/** What each field is given instead; null: it is left blank. */
type Given = Readonly<Record<string, string | null>>;

/** A record's fields, each of which may be changed here: gathered, and done at once by a preview and a run of their own. */
export function Fields({ record, type }: Props) {
  const { workspace } = usePerson();
  const [given, setGiven] = useState<Given>({});
  const [why, setWhy] = useState('');
  const changed = async (): Promise<void> => {
    await queryClient.invalidateQueries({
      predicate: ({ queryKey: [what] }) => ['record', 'history'].includes(String(what)),
    });
  };
  const change = useMutation({
    mutationFn: () =>
      changeNow({
        selection: { type: type.id, keys: [record.key] },
        edits: Object.entries(given).map(([field, value]): Edit =>
          value === null ? { kind: 'clear', field } : { kind: 'set', field, value },
        ),
        ...(why.trim() ? { why: why.trim() } : {}),
      }),
    onSuccess: async ({ run }) => {
      if (run?.totals.changed) setGiven({});
      await changed();
    },
  });
  const undo = useMutation({
    mutationFn: (run: string) => undoNow(run),
    onSuccess: async () => {
      change.reset();
      await changed();
    },
  });
  const count = Object.values(given).filter((v) => v === null || v !== '').length;
  const set = (name: string, value: string | null | undefined): void => {
    change.reset();
    undo.reset();
    const { [name]: _, ...rest } = given;
    setGiven(value === undefined ? rest : { ...rest, [name]: value });
  };
  return (
    <section aria-label="Fields" className="flex w-110 shrink-0 flex-col border-r border-line bg-sheet">
      <dl className="min-h-0 flex-1 overflow-auto">
        {record.fields.map((f) => {
          const field = type.fields.find((x) => x.name === f.name);
          const isOpen = f.name in given;
          return (
            <div key={f.name} className="group flex min-h-8 gap-3 border-b border-line px-4 py-1.5">
              <dt className="w-36 shrink-0 text-quiet">{f.label}</dt>
              <dd className="flex min-w-0 flex-1 gap-3">
                <div
                  className={`min-w-0 flex-1 break-words ${!isOpen && cellOf(f.kind).right ? 'text-right tabular-nums' : ''}`}
                >
                  {isOpen && field ? (
                    <Editing
                      field={field}
                      was={f.value}
                      value={given[f.name]!}
                      onChange={(value) => set(f.name, value)}
                    />
                  ) : f.kind === 'json' && f.value.value !== null ? (
                    <pre className="font-mono text-xs break-words whitespace-pre-wrap">{inLines(f.value.value)}</pre>
                  ) : (
                    <Shown value={f.value} kind={f.kind} />
                  )}
                </div>
                {field && (
                  <EditButton
                    field={field}
                    type={type}
                    isOpen={isOpen}
                    onOpen={() => set(f.name, f.value.value ?? '')}
                    onClose={() => set(f.name, undefined)}
                  />
                )}
              </dd>
            </div>
          );
        })}
      </dl>
      <div className="space-y-2 border-t border-line p-4 empty:hidden">
        {count > 0 && (
          <>
            {workspace.whyRequired && (
              <input
                aria-label="Why"
                className={textInput}
                placeholder="Why (required)"
                value={why}
                onChange={(e) => setWhy(e.target.value)}
              />
            )}
            <p className="flex gap-3">
              <Button
                main
                busy={change.isPending}
                disabled={workspace.whyRequired && why.trim() === ''}
                onClick={() => change.mutate()}
              >
                Change {counted(count, 'field')} now
              </Button>
              <Button onClick={() => setGiven({})}>Leave it as it is</Button>
            </p>
          </>
        )}
        {change.data && <Told done={change.data} busy={undo.isPending} onUndo={(run) => undo.mutate(run)} />}
        {undo.data && (
          <p role="status">
            {undo.data.run?.totals.changed ? 'Restored.' : 'Not restored: somebody has changed it since.'}
          </p>
        )}
        <Problems error={change.error ?? undo.error} />
      </div>
    </section>
  );
}

function EditButton({
  field,
  type,
  isOpen,
  onOpen,
  onClose,
}: {
  field: FieldView;
  type: TypeView;
  isOpen: boolean;
  onOpen: () => void;
  onClose: () => void;
}) {
  const not = type.notChangeable ?? field.notEditable;
  if (not !== null || field.base === 'list') return <span className="w-6 shrink-0" title={not ?? undefined} />;
  return (
    <button
      type="button"
      aria-label={isOpen ? `Leave ${field.label} as it is` : `Edit ${field.label}`}
      onClick={isOpen ? onClose : onOpen}
      className="grid size-6 shrink-0 place-items-center rounded text-quiet hover:bg-sunken hover:text-ink"
    >
      {isOpen ? <X className="size-3.5" aria-hidden="true" /> : <Pencil className="size-3.5" aria-hidden="true" />}
    </button>
  );
}

function Editing({
  field,
  was,
  value,
  onChange,
}: {
  field: FieldView;
  was: RecordView['fields'][number]['value'];
  value: string | null;
  onChange: (value: string | null) => void;
}) {
  return (
    <div className="space-y-1">
      <p className="text-xs text-quiet">
        <s>
          <Shown value={was} kind={field.kind} />
        </s>
      </p>
      <TouchedValue field={field} value={value} onChange={onChange} />
    </div>
  );
}

/** What became of it, and the way back. */
function Told({
  done: { preview, run },
  busy,
  onUndo,
}: {
  done: SmallRun;
  busy: boolean;
  onUndo: (run: string) => void;
}) {
  if (run?.totals.changed)
    return (
      <p role="status" className="flex items-center gap-3">
        <b className="font-medium">Changed.</b>
        <Button busy={busy} onClick={() => onUndo(run.id)}>
          Undo
        </Button>
        <Link to={`/runs/${run.id}`} className="text-quiet underline underline-offset-2">
          Its run
        </Link>
      </p>
    );
  const [cause] = preview.causes;
  if (cause)
    return (
      <p role="status" className="text-trouble">
        Not allowed: {cause.cause}
      </p>
    );
  if (run)
    return (
      <p role="status" className="text-trouble">
        It was not changed.{' '}
        <Link to={`/runs/${run.id}`} className="underline underline-offset-2">
          Look why
        </Link>
      </p>
    );
  return <p role="status">It has these values already.</p>;
}
