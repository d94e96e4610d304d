import type { Found, JournalRecord, Value } from '@tantamos/contract';
import { Ban, Equal, EqualNot } from 'lucide-react';
import { Link } from 'react-router';
import { Change, Shown } from '../components/Change';
import { cellOf } from '../components/kinds';

interface Props {
  /** Row and column, to be found again by. */
  place: string;
  column: Found['columns'][number];
  value: Value;
  /** Where the record's own page is, in the cell that names it. */
  link: string | null;
  change: JournalRecord | undefined;
  focused: boolean;
  tabStop: boolean;
  onFocus: () => void;
  onNarrow: (keep: boolean) => void;
}

/** One value; old and new where a job would change it; two small buttons while it has the focus. */
export function Cell({ place, column, value, link, change, focused, tabStop, onFocus, onNarrow }: Props) {
  const changed = change?.changes.find((c) => c.field === column.name);
  const button = 'grid size-6 place-items-center rounded bg-sheet text-quiet hover:text-accent';
  return (
    <td
      role="gridcell"
      data-cell={place}
      tabIndex={tabStop ? 0 : -1}
      onFocus={onFocus}
      onMouseDown={(e) => e.currentTarget.focus()}
      className={`relative h-8 truncate border-b border-line px-3 whitespace-nowrap -outline-offset-2 ${cellOf(column.kind).right ? 'text-right' : ''}`}
    >
      {changed ? (
        <Pending record={change!} changed={changed} />
      ) : link !== null ? (
        <Link to={link} tabIndex={-1} className="hover:text-accent hover:underline">
          {value.label ?? value.value}
        </Link>
      ) : value.value === null ? null : (
        <Shown value={value} kind={column.kind} />
      )}
      {focused && cellOf(column.kind).narrows && (
        <span
          className={`absolute inset-y-0.5 flex items-center rounded border border-line-strong bg-sheet shadow-sm ${cellOf(column.kind).right ? 'left-0.5' : 'right-0.5'}`}
        >
          <button
            type="button"
            tabIndex={-1}
            className={button}
            title="Keep only this value (=)"
            aria-label="Keep"
            onClick={() => onNarrow(true)}
          >
            <Equal className="size-3.5" aria-hidden="true" />
          </button>
          <button
            type="button"
            tabIndex={-1}
            className={button}
            title="Leave this value out (!)"
            aria-label="Leave out"
            onClick={() => onNarrow(false)}
          >
            <EqualNot className="size-3.5" aria-hidden="true" />
          </button>
        </span>
      )}
    </td>
  );
}

/** What would become of this value. */
function Pending({ record, changed }: { record: JournalRecord; changed: JournalRecord['changes'][number] }) {
  if (record.outcome === 'not_allowed')
    return (
      <span title={record.cause ?? undefined}>
        <Shown value={changed.old} kind={changed.kind} />
        <span className="ml-1.5 inline-flex items-center gap-1 text-xs text-trouble">
          <Ban className="size-3.5" aria-hidden="true" /> not allowed
        </span>
      </span>
    );
  return <Change old={changed.old} now={changed.new} kind={changed.kind} />;
}
