import type { Unreadable } from '@tantamos/core';
import { ArrowDown, ArrowUp } from 'lucide-react';
import { useState } from 'react';
import { LinkButton } from '../components/Button';
import { textInput } from '../components/inputs';
import type { FieldChoice } from './fields';

export interface ColumnsProps {
  fields: readonly FieldChoice[];
  /** What is there and cannot be read. */
  unreadable: readonly Unreadable[];
  columns: readonly string[];
  onChange: (columns: readonly string[]) => void;
  onReset: () => void;
}

/** Which fields are shown and in which order, those of related records among them. */
export function ColumnsChoice({ fields, unreadable, columns, onChange, onReset }: ColumnsProps) {
  const [text, setText] = useState('');
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const fits = (f: FieldChoice): boolean =>
    words.every((w) => `${f.label} ${f.path} ${f.field.comment ?? ''}`.toLowerCase().includes(w));
  const shown = columns.flatMap((c) => fields.find((f) => f.path === c) ?? []).filter(fits);
  const rest = fields.filter((f) => !columns.includes(f.path) && fits(f));
  const move = (path: string, by: number): void => {
    const next = columns.filter((c) => c !== path);
    next.splice(Math.max(0, columns.indexOf(path) + by), 0, path);
    onChange(next);
  };
  const box = (f: FieldChoice, on: boolean) => (
    <label className="flex min-w-0 flex-1 items-center gap-2">
      <input
        type="checkbox"
        className="accent-accent"
        checked={on}
        onChange={() => onChange(on ? columns.filter((c) => c !== f.path) : [...columns, f.path])}
      />
      <span className="min-w-0 wrap-anywhere">{f.label}</span>
    </label>
  );
  const arrow = 'grid size-6 place-items-center rounded text-quiet hover:bg-sunken hover:text-ink disabled:opacity-30';
  return (
    <>
      <input
        aria-label="Search columns"
        className={textInput}
        placeholder="Type to search"
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      <ul className="mt-2 max-h-96 overflow-auto">
        {shown.map((f) => (
          <li key={f.path} className="flex items-center rounded px-1 hover:bg-accent-soft">
            {box(f, true)}
            <button
              type="button"
              className={arrow}
              aria-label={`${f.label}: further left`}
              disabled={columns[0] === f.path}
              onClick={() => move(f.path, -1)}
            >
              <ArrowUp className="size-3.5" aria-hidden="true" />
            </button>
            <button
              type="button"
              className={arrow}
              aria-label={`${f.label}: further right`}
              disabled={columns.at(-1) === f.path}
              onClick={() => move(f.path, 1)}
            >
              <ArrowDown className="size-3.5" aria-hidden="true" />
            </button>
          </li>
        ))}
        {rest.length > 0 && <li className="mt-1 border-t border-line pt-1" aria-hidden="true" />}
        {rest.map((f) => (
          <li key={f.path} className="flex h-6 items-center rounded px-1 hover:bg-accent-soft">
            {box(f, false)}
          </li>
        ))}
      </ul>
      {[...new Set(unreadable.map((f) => f.reason))].map((reason) => (
        <p key={reason} className="mt-2 border-t border-line pt-1 text-xs text-quiet">
          Not to be had, since {reason.replace('it.', 'them:')}{' '}
          {unreadable
            .filter((f) => f.reason === reason)
            .map((f) => f.label)
            .join(', ')}
          .
        </p>
      ))}
      <p className="mt-2 text-xs">
        <LinkButton onClick={onReset}>As it was at first</LinkButton>
      </p>
    </>
  );
}
