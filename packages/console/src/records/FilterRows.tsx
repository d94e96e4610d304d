import type { Problem } from '@tantamos/core';
import { Plus, X } from 'lucide-react';
import { useState } from 'react';
import { LinkButton } from '../components/Button';
import { Picker } from '../components/Picker';
import { ProblemList } from '../components/Problems';
import type { FieldChoice } from './fields';
import { RowValue } from './RowValue';
import { emptyRow, opsFor, opWords, takes, textOf, type Group, type Item, type Op, type Row } from './rows';

interface Props {
  group: Group;
  fields: readonly FieldChoice[];
  problems: readonly Problem[];
  onChange: (group: Group, text: string) => void;
}

/** Conditions as rows: field, operator, value; groups of them; and what rows cannot show, as text with the reason. */
export function FilterRows({ group, fields, problems, onChange }: Props) {
  return (
    <div className="space-y-1.5">
      <Rows group={group} fields={fields} level={0} onChange={(next) => onChange(next, textOf(next, fields))} />
      <ProblemList problems={problems} />
    </div>
  );
}

interface RowsProps {
  group: Group;
  fields: readonly FieldChoice[];
  level: number;
  /** Its first row was added with it. */
  isNew?: boolean;
  onChange: (group: Group) => void;
}

function Rows({ group, fields, level, isNew = false, onChange }: RowsProps) {
  const { items, join } = group;
  const set = (i: number, item: Item | null): void =>
    onChange({
      ...group,
      items: item === null ? items.filter((_, j) => j !== i) : items.map((o, j) => (j === i ? item : o)),
    });
  const [added, setAdded] = useState<number | null>(isNew ? 0 : null);
  const add = (item: Item): void => {
    setAdded(items.length);
    onChange({ ...group, items: [...items, item] });
  };
  return (
    <div
      role="group"
      aria-label={join === 'and' ? 'All of these' : 'Any of these'}
      className={level > 0 ? 'border-l-2 border-line pl-2.5' : ''}
    >
      <ul className="space-y-1">
        {items.map((item, i) => (
          <li key={i} className="flex items-start gap-1.5">
            <Joint
              first={i === 0}
              join={join}
              onJoin={() => onChange({ ...group, join: join === 'and' ? 'or' : 'and' })}
            />
            {item.kind === 'group' ? (
              <div className="min-w-0">
                <Rows
                  group={item}
                  fields={fields}
                  level={level + 1}
                  isNew={i === added}
                  onChange={(next) => set(i, next)}
                />
              </div>
            ) : item.kind === 'row' ? (
              <RowFields row={item} fields={fields} isNew={i === added} onChange={(next) => set(i, next)} />
            ) : (
              <p className="flex min-h-7.5 min-w-0 items-center gap-2">
                <code className="truncate rounded bg-sunken px-2 py-0.5 font-mono text-xs">{item.text}</code>
                <span className="shrink-0 text-xs text-quiet">as text: {item.why}</span>
              </p>
            )}
            <button
              type="button"
              aria-label={item.kind === 'group' ? 'Remove this group' : 'Remove this row'}
              onClick={() => set(i, null)}
              className="grid size-7.5 shrink-0 place-items-center rounded text-quiet hover:bg-sunken hover:text-trouble"
            >
              <X className="size-3.5" aria-hidden="true" />
            </button>
          </li>
        ))}
      </ul>
      <p className={`flex items-center gap-3 text-xs ${items.length > 0 ? 'pt-1' : 'min-h-7.5'}`}>
        {items.length === 0 && <span className="text-quiet">Every record.</span>}
        <LinkButton className="inline-flex items-center gap-1" onClick={() => add(emptyRow)}>
          <Plus className="size-3.5" aria-hidden="true" /> Add a condition
        </LinkButton>
        {level < 4 && items.length > 0 && (
          <LinkButton onClick={() => add({ kind: 'group', join: join === 'and' ? 'or' : 'and', items: [emptyRow] })}>
            Add a group ({join === 'and' ? 'any of' : 'all of'})
          </LinkButton>
        )}
      </p>
    </div>
  );
}

function Joint({ first, join, onJoin }: { first: boolean; join: 'and' | 'or'; onJoin: () => void }) {
  const style = 'flex h-7.5 w-12 shrink-0 items-center text-quiet';
  if (first) return <span className={style}>where</span>;
  return (
    <button
      type="button"
      onClick={onJoin}
      title={join === 'and' ? 'All must hold; press for any' : 'Any will do; press for all'}
      className={`${style} underline decoration-dotted underline-offset-3 hover:text-ink`}
    >
      {join}
    </button>
  );
}

function RowFields({
  row,
  fields,
  isNew,
  onChange,
}: {
  row: Row;
  fields: readonly FieldChoice[];
  isNew: boolean;
  onChange: (row: Row) => void;
}) {
  const choice = fields.find((f) => f.path === row.path);
  const pickField = (path: string): void => {
    const next = fields.find((f) => f.path === path)!;
    const ops = opsFor(next);
    const keep = choice && choice.field.base === next.field.base && choice.field.kind === next.field.kind;
    const op = ops.includes(row.op) ? row.op : ops[0]!;
    onChange({ kind: 'row', path, op, values: keep ? row.values : [] });
  };
  return (
    <div className="flex min-w-0 flex-wrap items-start gap-1.5">
      <Picker
        label="Field"
        className="h-7.5! w-52"
        value={row.path}
        shown={choice ? choice.label : <span className="text-quiet">Field…</span>}
        options={fields.map((f) => ({
          id: f.path,
          label: f.label,
          more: f.field.comment ?? '',
          note: f.path.includes('.') ? undefined : f.field.kind.replace('_', '/'),
        }))}
        onPick={pickField}
        isNew={isNew && row.path === null}
      />
      {choice && (
        <>
          <select
            aria-label={`Operator of ${choice.label}`}
            className="h-7.5 rounded border border-line-strong bg-sheet px-1.5"
            value={row.op}
            onChange={(e) => {
              const op = e.target.value as Op;
              const dates = ['last', 'next'];
              const keep = dates.includes(op) === dates.includes(row.op);
              onChange({ ...row, op, values: takes[op] === 0 || !keep ? [] : row.values });
            }}
          >
            {opsFor(choice).map((op) => (
              <option key={op} value={op}>
                {opWords(op, choice)}
              </option>
            ))}
          </select>
          <RowValue row={row} choice={choice} onChange={(values) => onChange({ ...row, values })} />
        </>
      )}
    </div>
  );
}
