import type { FieldView, FoundRecord, JobBody, TypeView, Value } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Pencil, X } from 'lucide-react';
import { useState } from 'react';
import { useNavigate } from 'react-router';
import { api } from '../app/api';
import { usePerson } from '../app/session';
import { Button } from '../components/Button';
import { Shown } from '../components/Change';
import { number } from '../components/format';
import { textInput } from '../components/inputs';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { narrowed, neededBy } from '../job/asked';
import { pickedPartsOf, type Draft } from '../job/draft';
import type { DraftEdit } from '../job/edits';
import { Presets } from '../job/Presets';
import { useSample } from '../job/useSample';
import { TouchedValue } from '../job/TouchedValue';
import { queries } from '../queries';
import { mostNow } from './cells';

interface Props {
  type: TypeView;
  draft: Draft;
  records: readonly FoundRecord[];
  /** How many all are that match; undefined while they are counted. */
  matching: number | undefined;
  set: (next: Partial<Draft>) => void;
  onNow: (job: JobBody) => void;
  onClose: () => void;
}

/** Records whose values are looked at, to see where they differ. */
const mostLooked = 500;

/** What fields are given instead; null: they are left blank. */
type Given = Readonly<Record<string, string | null>>;

const isOpen = (f: FieldView): boolean => f.notEditable === null && !f.hidden && f.base !== 'list';

/** One form for all that are picked: a field shows their value, or that they have several; only what is touched is changed. */
export default function SeveralForm({ type, draft, records, matching, set, onNow, onClose }: Props) {
  const { workspace } = usePerson();
  const navigate = useNavigate();
  const [given, setGiven] = useState<Given>({});
  const [why, setWhy] = useState('');
  const { picked } = draft;
  const loaded = records.flatMap((r) => r.key ?? []);
  const keys = (picked.length > 0 ? picked : loaded).slice(0, mostLooked);
  const fields = type.fields.filter(isOpen);
  const present = useQuery(
    queries.present(
      type.id,
      fields.map((f) => f.name),
      keys,
    ),
  );
  const edits = editsOf(given);
  const job: JobBody = {
    selection: { type: type.id, ...pickedPartsOf(draft) },
    edits,
    ...(why.trim() ? { why: why.trim() } : {}),
  };
  const rules = useQuery(queries.rules(type.id)).data ?? [];
  const sample = useSample(job, keys, edits.length > 0);
  const needed = neededBy(sample.view?.rows ?? [], rules, type, edits);
  const asked = narrowed(type, rules, edits);
  const count = picked.length > 0 ? picked.length : matching;
  const isNow = picked.length > 0 && picked.length <= mostNow && picked.every((key) => loaded.includes(key));
  const preview = useMutation({
    mutationFn: () => api.makePreview(job),
    onSuccess: (p) => navigate(`/previews/${p.id}`),
  });
  const touch = (name: string, value: string | null | undefined): void => {
    const { [name]: _, ...rest } = given;
    setGiven(value === undefined ? rest : { ...rest, [name]: value });
  };
  const ready = edits.length > 0 && !(workspace.whyRequired && why.trim() === '');
  const first = new Set(needed.flatMap((n) => n.fields.map((f) => f.name)));
  // What a setting leaves out is there where a rule asks for it, or where it has been given something.
  const shown = fields.filter((f) => !f.leftOut || first.has(f.name) || f.name in given);
  const ordered = [...shown.filter((f) => first.has(f.name)), ...shown.filter((f) => !first.has(f.name))];
  return (
    <Sheet
      open
      onClose={onClose}
      side="right"
      width="w-120"
      title={`Edit ${count === undefined ? 'all' : number(count)} ${type.label.toLowerCase()}`}
      about="Only fields that you touch are changed."
    >
      <div className="min-h-0 flex-1 overflow-auto p-4">
        <Presets into={type} edits={edits} onTake={(kept) => setGiven({ ...given, ...givenBy(kept) })} />
        {needed.map((n) => (
          <p key={n.message} role="status" className="mt-2 text-pending">
            {n.message} Say {n.fields.map((f) => f.label.toLowerCase()).join(' and ')} too.
          </p>
        ))}
        <dl className="mt-2">
          {ordered.map((f) => {
            const at = fields.indexOf(f);
            const field = asked.fields.find((x) => x.name === f.name) ?? f;
            return (
              <Row
                key={f.name}
                field={field}
                was={commonOf(present.data?.records.map((r) => r.values[at]!) ?? [])}
                given={given[f.name]}
                onGiven={(value) => touch(f.name, value)}
              />
            );
          })}
        </dl>
      </div>
      <div className="space-y-2 border-t border-line p-4">
        {workspace.whyRequired && (
          <input
            aria-label="Why"
            className={textInput}
            placeholder="Why (required)"
            value={why}
            onChange={(e) => setWhy(e.target.value)}
          />
        )}
        <Problems error={preview.error ?? sample.error} />
        <p className="flex flex-wrap gap-3">
          {isNow && (
            <Button
              main
              disabled={!ready}
              onClick={() => {
                onNow(job);
                onClose();
              }}
            >
              Change {number(picked.length)} now
            </Button>
          )}
          <Button main={!isNow} disabled={!ready} busy={preview.isPending} onClick={() => preview.mutate()}>
            Preview {count === undefined ? '' : number(count)}
          </Button>
          <Button
            disabled={edits.length === 0}
            onClick={() => {
              const others = draft.edits.filter((e) => e.field !== undefined && !(e.field in given));
              set({ panel: true, edits: [...others, ...(edits as readonly DraftEdit[])] });
              onClose();
            }}
          >
            Put into the job…
          </Button>
        </p>
      </div>
    </Sheet>
  );
}

function Row({
  field,
  was,
  given,
  onGiven,
}: {
  field: FieldView;
  was: Value | 'several' | null;
  given: string | null | undefined;
  onGiven: (value: string | null | undefined) => void;
}) {
  const touched = given !== undefined;
  return (
    <div className="flex min-h-9 gap-3 border-b border-line py-1.5">
      <dt className="w-36 shrink-0 pt-0.5 text-quiet">{field.label}</dt>
      <dd className="flex min-w-0 flex-1 gap-2">
        <div className="min-w-0 flex-1 space-y-1 wrap-anywhere">
          {(!touched || was !== null) && (
            <p className={touched ? 'text-xs text-quiet line-through' : 'pt-0.5'}>
              {was === null ? (
                '…'
              ) : was === 'several' ? (
                <em>several values</em>
              ) : (
                <Shown value={was} kind={field.kind} />
              )}
            </p>
          )}
          {touched && <TouchedValue field={field} value={given} onChange={onGiven} isNew />}
        </div>
        <button
          type="button"
          aria-label={touched ? `Leave ${field.label} as it is` : `Edit ${field.label}`}
          onClick={() => onGiven(touched ? undefined : was !== null && was !== 'several' ? (was.value ?? '') : '')}
          className="grid size-6 shrink-0 place-items-center rounded text-quiet hover:bg-sunken hover:text-ink"
        >
          {touched ? <X className="size-3.5" aria-hidden="true" /> : <Pencil className="size-3.5" aria-hidden="true" />}
        </button>
      </dd>
    </div>
  );
}

/** The value of all of them; null while none is known. */
function commonOf(values: readonly Value[]): Value | 'several' | null {
  const [first] = values;
  if (!first) return null;
  return values.every((v) => v.value === first.value) ? first : 'several';
}

/** What was touched and said. */
function editsOf(given: Given): readonly Edit[] {
  return Object.entries(given).flatMap(([field, value]): Edit[] => {
    if (value === null) return [{ kind: 'clear', field }];
    return value.trim() === '' ? [] : [{ kind: 'set', field, value }];
  });
}

/** What is kept under a name, as far as it is plain values. */
function givenBy(edits: readonly Edit[]): Given {
  return Object.fromEntries(
    edits.flatMap((e): [string, string | null][] => {
      if (e.kind === 'clear') return [[e.field, null]];
      return e.kind === 'set' ? [[e.field, String(e.value)]] : [];
    }),
  );
}
