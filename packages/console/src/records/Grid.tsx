import type { FieldView, Found, FoundRecord, JournalRecord, Value } from '@tantamos/contract';
import { keyWords } from '../components/format';
import { useVirtualizer } from '@tanstack/react-virtual';
import { useEffect, useLayoutEffect, useRef, useState, type ClipboardEvent, type KeyboardEvent } from 'react';
import { CellEditor, type Move } from '../grid/CellEditor';
import { blockOf, textOfBlock, type Block, type PendingCells } from '../grid/cells';
import { SamePicked } from '../grid/SamePicked';
import type { Meanwhile } from '../grid/useMeanwhile';
import { Cell } from './Cell';
import { Heading } from './Heading';

export interface Picks {
  readonly picked: ReadonlySet<string>;
  /** All that match, but for what is dropped. */
  readonly all: boolean;
  readonly dropped: ReadonlySet<string>;
}

/** What is edited in the cells themselves. */
export interface Editing {
  /** The field of a column, or why it cannot be edited here. */
  readonly fieldOf: (column: string) => FieldView | string;
  readonly pending: PendingCells;
  readonly meanwhile: Meanwhile;
  /** How many records are picked one by one or, where all that match are, how many that is; and how many are not in sight. */
  readonly picked: { readonly count: number; readonly unseen: number };
  /** `all`: for all that are picked, not only this one. */
  readonly onEdit: (
    record: FoundRecord,
    column: number,
    value: string | null,
    shown: string | null,
    all: boolean,
  ) => void;
  /** The value of the first row of a block into the others. */
  readonly onFill: (block: Block) => void;
  readonly onClear: (block: Block) => void;
  /** Records are read anew. */
  readonly onRefresh: () => void;
}

interface Props {
  type: string;
  nameField: string | null;
  columns: Found['columns'];
  records: readonly FoundRecord[];
  more: boolean;
  onMore: () => void;
  sort: readonly string[];
  onSort: (sort: readonly string[]) => void;
  widths: Readonly<Record<string, number>>;
  onWidth: (column: string, width: number) => void;
  picks: Picks;
  onPick: (keys: readonly string[], on: boolean) => void;
  /** Old and new values of records in sight, by key. */
  changes: ReadonlyMap<string, JournalRecord>;
  onSight: (keys: readonly string[]) => void;
  pickable: boolean;
  onValues: (column: string) => void;
  onNarrow: (column: string, value: string | null, keep: boolean) => void;
  /** Several lines were pasted while this cell had the focus. */
  onPaste: (text: string, at: { record: number; column: string }) => void;
  /** Null where nothing can be changed. */
  editing: Editing | null;
}

interface Place {
  readonly row: number;
  readonly column: number;
}

const rowHeight = 32;

/** Records as a table that only draws the rows in sight; arrows move from cell to cell. */
export function Grid(props: Props) {
  const { type, columns, records, more, onMore, picks, onPick, changes, onSight, pickable, onNarrow, editing } = props;
  const frame = useRef<HTMLDivElement>(null);
  const lastPicked = useRef<number | null>(null);
  // Somebody has gone to another cell, which takes the focus as soon as it is drawn.
  const moved = useRef(false);
  const [at, setAt] = useState<Place | null>(null);
  // The other corner of a block, the cell that is being edited, and what was said in it while it is asked for whom.
  const [anchor, setAnchor] = useState<Place | null>(null);
  const [open, setOpen] = useState<(Place & { readonly typed: string | null }) | null>(null);
  const [asked, setAsked] = useState<(Place & { readonly value: string | null; readonly shown: string | null }) | null>(
    null,
  );
  const rows = useVirtualizer({
    count: records.length,
    getScrollElement: () => frame.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const cellAt = ({ row, column }: Place): HTMLElement | null | undefined =>
    frame.current?.querySelector<HTMLElement>(`[data-cell="${row}:${column}"]`);
  const shown = rows.getVirtualItems();
  const firstPage = records.slice(0, 100);
  const widths = columns.map((c, i) => {
    const longest = Math.max(0, ...firstPage.map((r) => shownLength(r.values[i])));
    return props.widths[c.name] ?? widthOf(c, longest);
  });
  const first = shown[0]?.index ?? 0;
  const last = shown.at(-1)?.index ?? 0;
  const inSight = records.slice(Math.floor(first / 25) * 25, Math.ceil((last + 1) / 25) * 25);
  const sight = inSight.map((r) => r.key ?? '').join('\n');

  useEffect(() => onSight(sight.split('\n').filter(Boolean).slice(0, 500)), [sight, onSight]);
  useEffect(() => {
    if (more && last >= records.length - 20) onMore();
  }, [more, last, records.length, onMore]);

  // Only ever where they are by now: keys may be faster than what is drawn. Who has left the grid is not fetched back.
  useLayoutEffect(() => {
    if (!moved.current || !at) return;
    const focused = document.activeElement;
    const isHere = focused === document.body || frame.current?.contains(focused);
    const cell = cellAt(at);
    moved.current = isHere === true && !cell;
    if (!isHere || !cell) return;
    // No further than needed, so that the name of the record stays in sight.
    cell.focus({ preventScroll: true });
    cell.scrollIntoView({ block: 'nearest', inline: 'nearest' });
  });

  // A narrower filter brings other rows under the focus: the cell keeps it, so that keys go on working.
  useEffect(() => {
    if (at && document.activeElement === document.body)
      cellAt({ row: Math.min(at.row, records.length - 1), column: at.column })?.focus();
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [records]);

  const isPicked = (key: string | null): boolean =>
    key !== null && (picks.all ? !picks.dropped.has(key) : picks.picked.has(key));
  const pick = (index: number, on: boolean, range: boolean): void => {
    const from = range && lastPicked.current !== null ? lastPicked.current : index;
    const keys = records.slice(Math.min(from, index), Math.max(from, index) + 1).flatMap((r) => r.key ?? []);
    lastPicked.current = index;
    onPick(keys, on);
  };
  const focus = (row: number, column: number, extend = false): void => {
    setAnchor(extend ? (anchor ?? at) : null);
    const next = {
      row: Math.max(0, Math.min(records.length - 1, row)),
      column: Math.max(0, Math.min(columns.length - 1, column)),
    };
    setAt(next);
    rows.scrollToIndex(next.row);
    moved.current = true;
  };
  const block = at ? blockOf(anchor ?? at, at) : null;
  const start = (place: Place, typed: string | null): void => {
    if (!editing || typeof editing.fieldOf(columns[place.column]!.name) === 'string' || !records[place.row]?.key)
      return;
    setAnchor(null);
    setOpen({ ...place, typed });
  };
  const take = (value: string | null, shown: string | null, move: Move): void => {
    const place = open!;
    setOpen(null);
    const record = records[place.row];
    if (!record || !editing) return;
    const now = editing.pending[columns[place.column]!.name]?.[record.key!];
    if (value !== (now ? now.value : record.values[place.column]!.value)) {
      if (isPicked(record.key) && editing.picked.count > 1) return setAsked({ ...place, value, shown });
      editing.onEdit(record, place.column, value, shown, false);
    }
    const moves = { down: [1, 0], right: [0, 1], left: [0, -1], stay: null } as const;
    const by = moves[move];
    if (by) focus(place.row + by[0], place.column + by[1]);
  };
  const answer = (all: boolean | null): void => {
    const { row, column, value, shown } = asked!;
    setAsked(null);
    if (all !== null && records[row]) editing?.onEdit(records[row], column, value, shown, all);
    focus(row, column);
  };
  /** Keys that edit; false where it is none of them. */
  const edits = (event: KeyboardEvent, place: Place): boolean => {
    if (!editing || !block) return false;
    const control = event.ctrlKey || event.metaKey;
    if (control && !event.altKey && event.key.toLowerCase() === 'd') editing.onFill(block);
    else if (control || event.altKey) return false;
    else if (event.key === 'Enter' || event.key === 'F2') start(place, null);
    else if (event.key === 'Delete' || event.key === 'Backspace') editing.onClear(block);
    else return false;
    return true;
  };
  /** A value that is typed on a cell begins anew; these signs mean something else here. */
  const isTyped = ({ key }: KeyboardEvent, place: Place): boolean => {
    const field = editing?.fieldOf(columns[place.column]!.name);
    if (key.length !== 1 || [' ', '=', '!', '?'].includes(key) || !field || typeof field === 'string') return false;
    return field.choices === null && field.base !== 'yes_no' && field.base !== 'date' && field.refersTo === null;
  };
  const onKey = (event: KeyboardEvent): void => {
    const { tagName } = event.target as HTMLElement;
    if (at && !open && !asked && tagName === 'TD' && edits(event, at)) return event.preventDefault();
    if (
      !at ||
      open ||
      asked ||
      event.ctrlKey ||
      event.metaKey ||
      event.altKey ||
      (event.target as HTMLElement).tagName === 'INPUT'
    )
      return;
    const page = Math.max(1, Math.floor((frame.current?.clientHeight ?? 0) / rowHeight) - 2);
    const moves: Record<string, [number, number]> = {
      ArrowDown: [1, 0],
      ArrowUp: [-1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
      PageDown: [page, 0],
      PageUp: [-page, 0],
      Home: [0, -columns.length],
      End: [0, columns.length],
    };
    const move = moves[event.key];
    const record = records[at.row];
    const value = record?.values[at.column]?.value ?? null;
    if (move) focus(at.row + move[0], at.column + move[1], event.shiftKey);
    else if (event.key === '=') onNarrow(columns[at.column]!.name, value, true);
    else if (event.key === '!') onNarrow(columns[at.column]!.name, value, false);
    else if (event.key === ' ' && pickable && record) pick(at.row, !isPicked(record.key), event.shiftKey);
    else if (event.key === 'Escape' && anchor) setAnchor(null);
    else if (isTyped(event, at)) start(at, event.key);
    else return;
    event.preventDefault();
  };
  /**
   * Where no text is selected, the value of the cell with the focus, exact; of a block, its cells as spreadsheets take them; what
   * is edited as it is to be.
   */
  const onCopy = (event: ClipboardEvent): void => {
    if (!at || !block || open || (getSelection()?.isCollapsed === false && !anchor)) return;
    const valuesOf = (record: FoundRecord): Value[] =>
      columns.map((c, i) => presentOf(record, i, c.name, editing?.pending ?? {}));
    const one = records[at.row] && valuesOf(records[at.row]!)[at.column]!.value;
    const text = anchor ? textOfBlock(records.slice(block.top, block.bottom + 1).map(valuesOf), block) : one;
    event.clipboardData.setData('text/plain', text ?? '');
    event.preventDefault();
  };
  const onPaste = (event: ClipboardEvent): void => {
    const text = event.clipboardData.getData('text/plain');
    if (!at || open || asked || text.trim() === '' || (!editing && !/[\r\n]/.test(text.trim()))) return;
    event.preventDefault();
    props.onPaste(text, { record: at.row, column: columns[at.column]!.name });
  };
  const loadedAll = records.length > 0 && records.every((r) => isPicked(r.key));
  return (
    <div
      ref={frame}
      className="h-full overflow-auto border-t border-line bg-sheet"
      tabIndex={-1}
      onKeyDown={onKey}
      onCopy={onCopy}
      onPaste={onPaste}
    >
      <table
        role="grid"
        aria-label="Records"
        className="table-fixed border-separate border-spacing-0"
        aria-rowcount={more ? -1 : records.length + 1}
        style={{ width: widths.reduce((sum, width) => sum + width, pickable ? 36 : 0) }}
      >
        <colgroup>
          {pickable && <col style={{ width: 36 }} />}
          {columns.map((c, i) => (
            <col key={c.name} style={{ width: widths[i]! }} />
          ))}
        </colgroup>
        <thead className="sticky top-0 z-10 bg-sunken">
          <tr>
            {pickable && (
              <th className="h-8 border-b border-line px-2">
                <input
                  type="checkbox"
                  aria-label="Pick all records loaded"
                  className="block accent-accent"
                  checked={loadedAll}
                  onChange={(e) =>
                    onPick(
                      records.flatMap((r) => r.key ?? []),
                      e.target.checked,
                    )
                  }
                />
              </th>
            )}
            {columns.map((c, i) => (
              <Heading
                key={c.name}
                column={c}
                sort={props.sort}
                onSort={props.onSort}
                width={widths[i]!}
                onWidth={(width) => props.onWidth(c.name, width)}
                onValues={() => props.onValues(c.name)}
              />
            ))}
          </tr>
        </thead>
        <tbody>
          <Space height={shown[0]?.start ?? 0} columns={columns.length + 1} />
          {shown.map(({ index }) => {
            const record = records[index]!;
            const on = isPicked(record.key);
            const dropped = record.key !== null && picks.dropped.has(record.key);
            return (
              <tr
                key={record.key ?? index}
                aria-rowindex={index + 2}
                aria-selected={on}
                className={dropped ? 'text-quiet line-through' : on && !picks.all ? 'bg-accent-soft' : 'hover:bg-paper'}
              >
                {pickable && (
                  <td className="h-8 border-b border-line px-2">
                    <input
                      type="checkbox"
                      aria-label={`Pick ${keyWords(record.key!)}`}
                      className="block accent-accent"
                      checked={on}
                      onClick={(e) => pick(index, !on, e.shiftKey)}
                      onChange={() => {}}
                    />
                  </td>
                )}
                {record.values.map((value, i) => (
                  <Cell
                    key={columns[i]!.name}
                    editor={
                      open?.row === index && open.column === i ? (
                        <CellEditor
                          field={editing!.fieldOf(columns[i]!.name) as FieldView}
                          value={presentOf(record, i, columns[i]!.name, editing!.pending)}
                          typed={open.typed}
                          onDone={take}
                          onCancel={() => {
                            setOpen(null);
                            focus(index, i);
                          }}
                        />
                      ) : asked?.row === index && asked.column === i ? (
                        <SamePicked
                          {...editing!.picked}
                          onOne={() => answer(false)}
                          onAll={() => answer(true)}
                          onCancel={() => answer(null)}
                        />
                      ) : null
                    }
                    pending={record.key === null ? undefined : editing?.pending[columns[i]!.name]?.[record.key]}
                    meanwhile={
                      record.key === null ? undefined : editing?.meanwhile.get(record.key)?.get(columns[i]!.name)
                    }
                    onRefresh={() => editing?.onRefresh()}
                    inBlock={anchor !== null && block !== null && isWithin(block, index, i)}
                    editable={typeof editing?.fieldOf(columns[i]!.name) === 'object'}
                    onOpen={() => start({ row: index, column: i }, null)}
                    onExtend={() => focus(index, i, true)}
                    place={`${index}:${i}`}
                    column={columns[i]!}
                    value={value}
                    link={
                      record.key !== null && (columns[i]!.name === props.nameField || columns[i]!.kind === 'key')
                        ? `/records/${encodeURIComponent(type)}/${encodeURIComponent(record.key)}`
                        : null
                    }
                    change={record.key === null ? undefined : changes.get(record.key)}
                    focused={at?.row === index && at.column === i}
                    tabStop={at ? at.row === index && at.column === i : index === first && i === 0}
                    onFocus={() => {
                      if (!anchor || !block || !isWithin(block, index, i)) setAnchor(null);
                      setAt({ row: index, column: i });
                    }}
                    onNarrow={(keep) => onNarrow(columns[i]!.name, value.value, keep)}
                  />
                ))}
              </tr>
            );
          })}
          <Space height={rows.getTotalSize() - (shown.at(-1)?.end ?? 0)} columns={columns.length + 1} />
        </tbody>
      </table>
    </div>
  );
}

const isWithin = ({ top, bottom, left, right }: Block, row: number, column: number): boolean =>
  row >= top && row <= bottom && column >= left && column <= right;

/** What stands in a cell, or is to stand there. */
function presentOf(record: FoundRecord, i: number, column: string, pending: PendingCells): Value {
  const value = record.values[i]!;
  const cell = record.key === null ? undefined : pending[column]?.[record.key];
  return cell ? { value: cell.value, ...(cell.shown === null ? {} : { label: cell.shown }) } : value;
}

const shownLength = (v: FoundRecord['values'][number] | undefined): number => (v?.label ?? v?.value ?? '').length;

/** Wide enough for what such fields usually hold, and for the choices on the first page, until a person says otherwise. */
function widthOf(column: Found['columns'][number], longest: number): number {
  const usual: Partial<Record<typeof column.kind, number>> = {
    // Room for the value beside what a cell with the focus offers.
    key: 104,
    number: 112,
    yes_no: 104,
    date: 116,
    choice: 128,
    moment: 200,
    reference: 190,
  };
  const heading = column.label.length * 7.5 + 56;
  const choice = column.kind === 'choice' ? Math.min(longest * 7.5 + 28, 300) : 0;
  return Math.max(usual[column.kind] ?? 190, Math.min(heading, 260), choice);
}

function Space({ height, columns }: { height: number; columns: number }) {
  return height > 0 ? (
    <tr aria-hidden="true">
      <td colSpan={columns} style={{ height, padding: 0 }} />
    </tr>
  ) : null;
}
