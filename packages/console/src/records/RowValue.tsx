import { DateBox } from '../components/DateBox';
import { lookOf } from '../components/kinds';
import { usePerson } from '../app/session';
import { useQuery } from '@tanstack/react-query';
import { X } from 'lucide-react';
import { useEffect, useState } from 'react';
import { Picker } from '../components/Picker';
import type { FieldChoice } from './fields';
import { takes, type Row } from './rows';
import { queries } from '../queries';

interface Props {
  row: Row;
  choice: FieldChoice;
  onChange: (values: readonly string[]) => void;
}

/** What stands to the right of the operator: nothing, one value, two, or several. */
export function RowValue({ row, choice, onChange }: Props) {
  const needed = takes[row.op];
  if (needed === 0) return null;
  if (needed === 'many') return <Many row={row} choice={choice} onChange={onChange} />;
  if (needed === 2)
    return (
      <span className="flex items-center gap-1.5">
        <One row={row} choice={choice} at={0} onChange={onChange} />
        <span className="text-quiet">and</span>
        <One row={row} choice={choice} at={1} onChange={onChange} />
      </span>
    );
  return <One row={row} choice={choice} at={0} onChange={onChange} />;
}

function One({ row, choice, at, onChange }: Props & { at: number }) {
  const value = row.values[at] ?? '';
  const set = (text: string): void => {
    const next = [...row.values];
    next[at] = text;
    onChange(Array.from(next, (v) => v ?? ''));
  };
  return <ValueField row={row} choice={choice} value={value} onValue={set} />;
}

function Many({ row, choice, onChange }: Props) {
  const label = (v: string): string => choice.field.choices?.find((c) => c.value === v)?.label ?? v;
  return (
    <span className="flex min-w-0 flex-wrap items-center gap-1">
      {row.values.map((v) => (
        <span key={v} className="flex h-7.5 items-center rounded border border-line bg-sunken pl-2">
          {label(v)}
          <button
            type="button"
            aria-label={`Without ${label(v)}`}
            onClick={() => onChange(row.values.filter((o) => o !== v))}
            className="grid size-6 place-items-center text-quiet hover:text-trouble"
          >
            <X className="size-3" aria-hidden="true" />
          </button>
        </span>
      ))}
      <ValueField
        row={row}
        choice={choice}
        value=""
        placeholder="add…"
        onValue={(v) => v.trim() !== '' && !row.values.includes(v) && onChange([...row.values, v])}
      />
    </span>
  );
}

interface FieldProps {
  row: Row;
  choice: FieldChoice;
  value: string;
  placeholder?: string;
  onValue: (value: string) => void;
}

function ValueField({ row, choice, value, placeholder, onValue }: FieldProps) {
  const { field, label } = choice;
  const name = `Value of ${label}`;
  if (row.op === 'last' || row.op === 'next')
    return <TextField name="Days" value={value} width="w-16" onValue={onValue} numeric />;
  if (field.choices)
    return (
      <select
        aria-label={name}
        className="h-7.5 max-w-52 rounded border border-line-strong bg-sheet px-1.5"
        value={value}
        onChange={(e) => onValue(e.target.value)}
      >
        <option value="">{placeholder ?? 'choose…'}</option>
        {field.choices.map((c) => (
          <option key={c.value} value={c.value}>
            {c.label}
          </option>
        ))}
      </select>
    );
  if (field.refersTo !== null && field.kind === 'reference')
    return <RecordField name={name} type={field.refersTo} value={value} placeholder={placeholder} onValue={onValue} />;
  if (lookOf(field.base).filter.calendar)
    return (
      <DateBox
        whole
        aria-label={name}
        className="h-7.5 w-full rounded border border-line-strong bg-sheet px-1.5 aria-invalid:border-trouble"
        value={value.slice(0, 10)}
        onChange={onValue}
      />
    );
  return (
    <TextField
      name={name}
      value={value}
      placeholder={placeholder}
      onValue={onValue}
      numeric={lookOf(field.base).input.decimal === true}
    />
  );
}

/** Applied when the person stops for a moment, leaves, or presses Enter. */
function TextField({
  name,
  value,
  placeholder,
  width = 'w-44',
  numeric,
  onValue,
}: {
  name: string;
  value: string;
  placeholder?: string;
  width?: string;
  numeric?: boolean;
  onValue: (value: string) => void;
}) {
  const [text, setText] = useState(value);
  const [before, setBefore] = useState(value);
  if (before !== value) {
    setBefore(value);
    setText(value);
  }
  useEffect(() => {
    if (text === value || placeholder) return;
    const timer = setTimeout(() => onValue(text), 500);
    return () => clearTimeout(timer);
  });
  const send = (): void => {
    if (text !== value) onValue(text);
    if (placeholder) setText('');
  };
  return (
    <input
      aria-label={name}
      inputMode={numeric ? 'decimal' : undefined}
      className={`h-7.5 ${width} rounded border border-line-strong bg-sheet px-2`}
      placeholder={placeholder}
      value={text}
      onChange={(e) => setText(e.target.value)}
      onBlur={send}
      onKeyDown={(e) => e.key === 'Enter' && send()}
    />
  );
}

/** A record by typing part of its name; one whose name others have too is kept by its key. */
function RecordField({
  name,
  type,
  value,
  placeholder,
  onValue,
}: {
  name: string;
  type: string;
  value: string;
  placeholder?: string;
  onValue: (value: string) => void;
}) {
  const [typed, setTyped] = useState('');
  const { person } = usePerson();
  const found = useQuery(queries.lookup(type, typed));
  const byKey = useQuery({ ...queries.lookup(type, value), enabled: /^\d+$/.test(value) });
  const mine = person?.type === type;
  const rows = found.data ?? [];
  const alone = (n: string): boolean => rows.filter((r) => r.name === n).length === 1;
  const shown = byKey.data?.find((r) => r.key === value)?.name ?? value;
  return (
    <Picker
      label={name}
      className="h-7.5! w-52"
      value={value}
      shown={
        value === '' ? <span className="text-quiet">{placeholder ?? 'choose…'}</span> : value === 'me()' ? 'me' : shown
      }
      options={[
        ...(mine && typed === '' ? [{ id: 'me()', label: 'me', note: person.name ?? 'the person signed in' }] : []),
        ...rows.map((r) => ({ id: r.key, label: r.name, more: r.hint, note: r.hint.slice(0, 30) })),
      ]}
      onSearch={setTyped}
      onPick={(id) => {
        const row = rows.find((r) => r.key === id);
        onValue(row && alone(row.name) && !/^\d+$/.test(row.name) ? row.name : id);
      }}
    />
  );
}
