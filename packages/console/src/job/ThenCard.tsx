import type { TypeView } from '@tantamos/contract';
import type { Follows, Problem } from '@tantamos/core';
import { Plus, X } from 'lucide-react';
import { lazy, Suspense } from 'react';
import { LinkButton } from '../components/Button';
import { Picker } from '../components/Picker';
import { ProblemList } from '../components/Problems';
import { useAllTypes, waysTo } from '../records/all-types';
import { useFields } from '../records/fields';
import { EditCard } from './EditCard';
import { completeEdits } from './edits';
import type { DraftPart } from './whole';

const ExpressionBox = lazy(() => import('../components/ExpressionBox'));

interface Props {
  /** The types of the parts before, in order. */
  before: readonly TypeView[];
  part: DraftPart;
  /** With places within it. */
  problems: readonly Problem[];
  onChange: (next: DraftPart) => void;
  onRemove: () => void;
}

/** A further part: which records of another type, and what is done to them once those before are done. */
export function ThenCard({ before, part, problems, onChange, onRemove }: Props) {
  const types = useAllTypes();
  const type = types.find((t) => t.id === part.type);
  const ways = types.flatMap((t) => before.flatMap((b, at) => followsOf(t, b, at)));
  if (part.made) return <MadeCard type={type} problems={problems} onRemove={onRemove} />;
  const chosen = ways.find((w) => w.type.id === part.type && same(w.follows, part.follows));
  return (
    <div className="space-y-2 rounded border border-line bg-paper p-2.5" role="group" aria-label="And then">
      <div className="flex items-center gap-2">
        <span className="shrink-0">And then on</span>
        <Picker
          label="Records of the next part"
          shown={
            chosen ? (
              chosen.words
            ) : type ? (
              `all ${type.label.toLowerCase()}`
            ) : (
              <span className="text-quiet">Choose records</span>
            )
          }
          className="min-w-0 flex-1"
          isNew={part.type === undefined}
          value={chosen?.id ?? null}
          options={[
            ...ways.map(({ id, words }) => ({ id, label: words })),
            ...types.map((t) => ({
              id: t.id,
              label: `all ${t.label.toLowerCase()}`,
              more: t.label,
              not: t.notChangeable,
            })),
          ]}
          onPick={(id) => {
            const way = ways.find((w) => w.id === id);
            onChange({ type: way?.type.id ?? id, follows: way?.follows, filter: '', edits: [{ kind: 'set' }] });
          }}
        />
        <Without onRemove={onRemove} />
      </div>
      {type && <Body key={type.id} type={type} part={part} problems={problems} onChange={onChange} />}
      <ProblemList problems={problems.filter((p) => !p.where?.startsWith('edits['))} />
    </div>
  );
}

/** New records out of a file, which says all of it. */
function MadeCard({ type, problems, onRemove }: Pick<Props, 'problems' | 'onRemove'> & { type: TypeView | undefined }) {
  return (
    <div className="rounded border border-line bg-paper p-2.5" role="group" aria-label="And then">
      <div className="flex items-center gap-2">
        <span className="flex-1">
          And then make {type ? type.label.toLowerCase() : 'records'} of the rows of the file that fit none
        </span>
        <Without onRemove={onRemove} />
      </div>
      <ProblemList problems={problems} />
    </div>
  );
}

function Without({ onRemove }: Pick<Props, 'onRemove'>) {
  return (
    <button
      type="button"
      aria-label="Without this part"
      onClick={onRemove}
      className="grid size-8 shrink-0 place-items-center rounded text-quiet hover:bg-sunken hover:text-trouble"
    >
      <X className="size-4" aria-hidden="true" />
    </button>
  );
}

function Body({
  type,
  part,
  problems,
  onChange,
}: {
  type: TypeView;
  part: DraftPart;
  problems: readonly Problem[];
  onChange: (next: DraftPart) => void;
}) {
  const fields = useFields(type);
  const setEdits = (edits: DraftPart['edits']): void => onChange({ ...part, edits });
  return (
    <>
      <div className="flex items-start gap-2">
        <span className="pt-1.5 text-xs whitespace-nowrap text-quiet">Only where</span>
        <Suspense fallback={<div className="h-8 flex-1 rounded border border-line-strong bg-sheet" />}>
          <ExpressionBox
            type={type}
            fields={fields}
            text={part.filter}
            onText={(filter) => onChange({ ...part, filter })}
            problems={problems.filter((p) => p.where?.startsWith('filter'))}
            label={`Which ${type.label.toLowerCase()}`}
            example="all of them, or a condition"
          />
        </Suspense>
      </div>
      {part.edits.map((edit, i) => (
        <EditCard
          key={i}
          type={type}
          fields={fields}
          selection={{}}
          edit={edit}
          results={[]}
          before={[]}
          taken={part.edits.flatMap((e, j) => (j !== i && e.field ? [e.field] : []))}
          problems={problems.filter((p) =>
            p.where?.startsWith(`edits[${completeEdits(part.edits.slice(0, i)).length}]`),
          )}
          onChange={(next) => setEdits(part.edits.map((e, j) => (j === i ? next : e)))}
          onRemove={() => setEdits(part.edits.filter((_, j) => j !== i))}
        />
      ))}
      <LinkButton
        className="inline-flex items-center gap-1 text-xs"
        onClick={() => setEdits([...part.edits, { kind: 'set' }])}
      >
        <Plus className="size-3.5" aria-hidden="true" /> Another edit of these
      </LinkButton>
      {part.follows && (
        <p className="text-xs text-quiet">
          A formula may use what the part before will write:{' '}
          <code className="font-mono">planned({part.follows.field}.…)</code>
        </p>
      )}
    </>
  );
}

interface Way {
  readonly id: string;
  readonly type: TypeView;
  readonly follows: Follows;
  readonly words: string;
}

/** How records of a type may be relatives of those of an earlier part. */
function followsOf(type: TypeView, of: TypeView, at: number): Way[] {
  const part = at + 1;
  const those = of.label.toLowerCase();
  const name = type.label.toLowerCase();
  return [
    ...waysTo(type, of.id).map((f): Way => ({
      id: `${type.id} ${f.name} ${part}`,
      type,
      follows: { field: f.name, part },
      words: `the ${name} whose ${f.label.toLowerCase()} is one of those ${those}`,
    })),
    ...waysTo(of, type.id).map((f): Way => ({
      id: `${type.id} from ${f.name} ${part}`,
      type,
      follows: { field: f.name, part, how: 'pointed_at' },
      words: `the ${name} that are ${f.label.toLowerCase()} of those ${those}`,
    })),
  ];
}

function same(a: Follows, b: Follows | undefined): boolean {
  return b !== undefined && a.field === b.field && a.how === b.how && a.part === b.part;
}
