import type { FieldView, TypeView } from '@tantamos/contract';
import type { Problem } from '@tantamos/core';
import { Copy, CornerDownRight, FilePlus, Trash2, X } from 'lucide-react';
import { usePerson } from '../app/session';
import { Button, LinkButton } from '../components/Button';
import { textInput } from '../components/inputs';
import { useAllTypes } from '../records/all-types';
import { AlsoCard } from './AlsoCard';
import type { Draft } from './draft';
import { ThenCard } from './ThenCard';
import { isWholeAlso, isWholePart, placeAmong } from './whole-of';

interface Props {
  type: TypeView;
  draft: Draft;
  change: (next: Partial<Draft>) => void;
}

/** That the records are deleted or copied, and not changed. */
export function ActCard({ type, draft, change }: Props) {
  const isDelete = draft.act === 'delete';
  const kept = isDelete ? archivingOf(type) : null;
  const these = type.label.toLowerCase();
  return (
    <div
      className="space-y-1.5 rounded border border-line bg-paper p-2.5"
      role="group"
      aria-label={isDelete ? 'Delete' : 'Copy'}
    >
      <p className="flex items-start gap-2">
        <b className={`flex-1 font-medium ${isDelete ? 'text-trouble' : ''}`}>
          {isDelete ? `Delete these ${these}` : `Make each of these ${these} once more`}
        </b>
        <button
          type="button"
          aria-label={isDelete ? 'Do not delete them' : 'Do not copy them'}
          onClick={() => change({ act: null })}
          className="grid size-7 shrink-0 place-items-center rounded text-quiet hover:bg-sunken"
        >
          <X className="size-4" aria-hidden="true" />
        </button>
      </p>
      <p className="text-quiet">
        {isDelete
          ? 'The preview says what goes with them and what keeps some. An undo brings all of it back.'
          : 'Edits say in what the copies differ.'}
      </p>
      {kept && (
        <LinkButton
          onClick={() => change({ act: null, edits: [{ kind: 'set', field: kept.field.name, value: kept.value }] })}
        >
          Rather keep them: set {kept.field.label.toLowerCase()} to {kept.words}
        </LinkButton>
      )}
    </div>
  );
}

/** What is made along, what comes then, and what else could be done with whole records. */
export function Whole({ type, draft, problems, change }: Props & { problems: readonly Problem[] }) {
  const { may } = usePerson();
  const types = useAllTypes();
  const { also, then, act } = draft;
  const before = (at: number): TypeView[] => [
    type,
    ...then.slice(0, at).flatMap((p) => types.find((t) => t.id === p.type) ?? []),
  ];
  const within = (place: string): Problem[] =>
    problems.flatMap((p) =>
      p.where?.startsWith(`${place}.`)
        ? [{ ...p, where: p.where.slice(place.length + 1) }]
        : p.where === place
          ? [{ ...p, where: '' }]
          : [],
    );
  return (
    <>
      {act !== 'delete' &&
        also.map((one, i) => (
          <AlsoCard
            key={i}
            type={type}
            also={one}
            problems={within(`also[${placeAmong(also, i, isWholeAlso)}]`)}
            onChange={(next) => change({ also: also.map((a, j) => (j === i ? next : a)) })}
            onRemove={() => change({ also: also.filter((_, j) => j !== i) })}
          />
        ))}
      {act === null && draft.edits.length > 0 && also.some((a) => a.type !== undefined && !a.per) && (
        <label className="flex items-center gap-2">
          <span className="shrink-0">Made for</span>
          <select
            className={textInput}
            value={draft.writeAgain ? 'all' : 'changed'}
            onChange={(e) => change({ writeAgain: e.target.value === 'all' })}
          >
            <option value="changed">those that are changed</option>
            <option value="all">those that are right already too, which are written again</option>
          </select>
        </label>
      )}
      {then.map((part, i) => (
        <ThenCard
          key={i}
          before={before(i)}
          part={part}
          problems={within(`then[${placeAmong(then, i, isWholePart)}]`)}
          onChange={(next) => change({ then: then.map((p, j) => (j === i ? next : p)) })}
          onRemove={() => change({ then: then.filter((_, j) => j !== i) })}
        />
      ))}
      <p className="flex flex-wrap gap-2">
        {act !== 'delete' && may.includes('create') && (
          <Button onClick={() => change({ also: [...also, { values: [] }] })}>
            <FilePlus className="size-4" aria-hidden="true" /> Also create…
          </Button>
        )}
        <Button onClick={() => change({ then: [...then, { filter: '', edits: [] }] })}>
          <CornerDownRight className="size-4" aria-hidden="true" /> And then on…
        </Button>
        {act === null && may.includes('create') && (
          <Button onClick={() => change({ act: 'copy' })}>
            <Copy className="size-4" aria-hidden="true" /> Copy them
          </Button>
        )}
        {act === null && may.includes('delete') && (
          <Button grave onClick={() => change({ act: 'delete', also: [] })}>
            <Trash2 className="size-4" aria-hidden="true" /> Delete them
          </Button>
        )}
      </p>
    </>
  );
}

const archived = /^(archived?|inactive|closed|cancelled|retired)$/i;

/** The field that says of a record that it is kept but not in use any more, and the value that says so. */
function archivingOf(type: TypeView): { field: FieldView; value: string; words: string } | null {
  const open = type.fields.filter((f) => !f.hidden && f.notEditable === null);
  for (const field of open) {
    if (field.name === type.activeField) return { field, value: 'false', words: 'no' };
    if (field.base === 'yes_no' && archived.test(field.name)) return { field, value: 'true', words: 'yes' };
    const choice = field.choices?.find((c) => archived.test(c.value));
    if (choice) return { field, value: choice.value, words: choice.label };
  }
  return null;
}
