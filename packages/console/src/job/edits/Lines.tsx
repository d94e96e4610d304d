import { Plus, X } from 'lucide-react';
import type { ReactNode } from 'react';
import { LinkButton } from '../../components/Button';
import { number } from '../../components/format';

/** So many lines are shown one by one; a file may hold thousands. */
const mostShown = 50;

export interface LinesProps<T> {
  /** What the table is of. */
  label: string;
  heads: readonly string[];
  /** Shares of the width, by column; alike where nothing is said. */
  widths?: readonly string[];
  lines: readonly T[];
  /** What a new line is. */
  empty: T;
  cells: (line: T, at: number, set: (members: Partial<T>) => void) => readonly ReactNode[];
  onChange: (lines: readonly T[]) => void;
  /** Beside *One more*. */
  children?: ReactNode;
}

/** A short table that is filled in line by line: old and new values, shares, ranges. */
export function Lines<T>({ label, heads, widths, lines, empty, cells, onChange, children }: LinesProps<T>) {
  const set =
    (at: number) =>
    (members: Partial<T>): void =>
      onChange(lines.map((line, i) => (i === at ? { ...line, ...members } : line)));
  const hidden = lines.length - mostShown;
  return (
    <>
      <table className="w-full" aria-label={label}>
        <thead className="text-left text-xs text-quiet">
          <tr>
            {heads.map((head, i) => (
              <th key={head} className={`font-normal ${widths?.[i] ?? ''}`}>
                {head}
              </th>
            ))}
            <th className="sr-only">Take out</th>
          </tr>
        </thead>
        <tbody>
          {lines.slice(0, mostShown).map((line, i) => (
            <tr key={i}>
              {cells(line, i, set(i)).map((cell, j) => (
                <td key={j} className="pr-1 pb-1">
                  {cell}
                </td>
              ))}
              <td>
                <button
                  type="button"
                  aria-label={`Take out line ${i + 1}`}
                  onClick={() => onChange(lines.filter((_, j) => j !== i))}
                  className="grid size-7 place-items-center rounded text-quiet hover:bg-sunken"
                >
                  <X className="size-3.5" aria-hidden="true" />
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {hidden > 0 && (
        <p className="text-quiet">
          and {number(hidden)} more.{' '}
          <LinkButton onClick={() => onChange([empty])}>Take out all {number(lines.length)}</LinkButton>
        </p>
      )}
      <p className="flex flex-wrap gap-x-4 gap-y-1">
        <LinkButton className="inline-flex items-center gap-1" onClick={() => onChange([...lines, empty])}>
          <Plus className="size-3.5" aria-hidden="true" /> One more
        </LinkButton>
        {children}
      </p>
    </>
  );
}
