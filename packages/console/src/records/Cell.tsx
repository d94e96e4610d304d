import type { Found, JournalRecord, Value } from '@tantamos/contract';
import { Ban, Equal, EqualNot, Pencil, RefreshCw } from 'lucide-react';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { Change, Shown } from '../components/Change';
import { valueText } from '../components/format';
import { cellOf } from '../components/kinds';
import type { PendingCell } from '../grid/cells';

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
  /** What stands over the cell while it is edited. */
  editor: ReactNode;
  /** What was edited here and is not written yet. */
  pending: PendingCell | undefined;
  /** What somebody else has made of it since it was loaded. */
  meanwhile: Value | undefined;
  onRefresh: () => void;
  inBlock: boolean;
  /** Its value can be edited here. */
  editable: boolean;
  onOpen: () => void;
  onExtend: () => void;
}

/** One value; old and new where a job would change it; two small buttons while it has the focus. */
export function Cell(props: Props) {
  const { place, column, value, link, change, focused, tabStop, onFocus, onNarrow, editor, pending, meanwhile } = props;
  const changed = change?.changes.find((c) => c.field === column.name);
  const button = 'grid size-6 place-items-center rounded bg-sheet text-quiet hover:text-accent';
  return (
    <td
      role="gridcell"
      data-cell={place}
      tabIndex={tabStop ? 0 : -1}
      onFocus={onFocus}
      onMouseDown={(e) => {
        if (!e.shiftKey) return e.currentTarget.focus();
        e.preventDefault();
        props.onExtend();
      }}
      onDoubleClick={props.onOpen}
      className={`relative h-8 scroll-mt-8 border-b border-line px-3 whitespace-nowrap -outline-offset-2 ${editor ? '' : 'truncate'} ${props.inBlock ? 'bg-accent-soft' : ''} ${cellOf(column.kind).right ? 'text-right' : ''}`}
    >
      {editor}
      {meanwhile && <Elsewhere now={meanwhile} kind={column.kind} onRefresh={props.onRefresh} />}
      {pending ? (
        <Edited old={value} now={shownValue(pending)} kind={column.kind} />
      ) : changed ? (
        <Pending record={change!} changed={changed} />
      ) : link !== null ? (
        <Link to={link} tabIndex={-1} className="hover:text-accent hover:underline">
          {value.label ?? value.value}
        </Link>
      ) : value.value === null ? null : (
        <Shown value={value} kind={column.kind} />
      )}
      {focused && !editor && link !== null && props.editable && (
        // Its name leads to the record, so a double click would: this is the way for a mouse.
        <button
          type="button"
          tabIndex={-1}
          className={`absolute inset-y-0.5 right-14 rounded border border-line-strong shadow-sm ${button}`}
          title="Edit (Enter)"
          aria-label="Edit"
          onClick={props.onOpen}
        >
          <Pencil className="size-3.5" aria-hidden="true" />
        </button>
      )}
      {focused && !editor && cellOf(column.kind).narrows && (
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

/** What was edited: the new value first, so that a long old one does not hide it. */
function Edited({ old, now, kind }: { old: Value; now: Value; kind: string }) {
  return (
    <span>
      <Pencil className="mr-1 inline size-3 align-[-1px] text-accent" aria-label="Edited, not written yet:" />
      <ins className="font-medium text-accent no-underline">
        <Shown value={now} kind={kind} />
      </ins>
      <span className="sr-only"> instead of </span>
      <del className="ml-2 text-xs text-quiet">
        <Shown value={old} kind={kind} />
      </del>
    </span>
  );
}

function shownValue({ value, shown }: PendingCell): Value {
  return shown === null || shown === value ? { value } : { value, label: shown };
}

/** Somebody else has changed the cell: a mark, with what it is now; the cell itself does not jump. */
function Elsewhere({ now, kind, onRefresh }: { now: Value; kind: string; onRefresh: () => void }) {
  const words = now.label ?? (now.value === null ? 'blank' : valueText(now.value, kind));
  return (
    <button
      type="button"
      tabIndex={-1}
      title={`Somebody has changed it since: now ${words}. Press to read the records anew.`}
      onClick={onRefresh}
      className="mr-1.5 inline-grid size-4 place-items-center rounded align-[-3px] text-pending hover:bg-sunken"
    >
      <RefreshCw className="size-3" aria-hidden="true" />
      <span className="sr-only">Changed by somebody else since: now {words}. </span>
    </button>
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
