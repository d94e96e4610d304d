import type { Found, FoundRecord, JournalRecord } from '@tantamos/contract';
import { useVirtualizer } from '@tanstack/react-virtual';
import { ArrowDown, ArrowUp, Ban } from 'lucide-react';
import { useEffect, useRef } from 'react';
import { Link } from 'react-router';
import { Change, Shown } from '../components/Change';

interface Props {
  type: string;
  nameField: string | null;
  columns: Found['columns'];
  records: readonly FoundRecord[];
  more: boolean;
  onMore: () => void;
  sort: string | null;
  onSort: (sort: string | null) => void;
  picked: ReadonlySet<string>;
  onPick: (keys: readonly string[], on: boolean) => void;
  /** Old and new values of records in sight, by key. */
  changes: ReadonlyMap<string, JournalRecord>;
  onSight: (keys: readonly string[]) => void;
  pickable: boolean;
}

const rowHeight = 32;

/** Records as a table that only draws the rows in sight. */
export function Grid(props: Props) {
  const { type, columns, records, more, onMore, picked, onPick, changes, onSight, pickable } = props;
  const frame = useRef<HTMLDivElement>(null);
  const lastPicked = useRef<number | null>(null);
  const rows = useVirtualizer({
    count: records.length,
    getScrollElement: () => frame.current,
    estimateSize: () => rowHeight,
    overscan: 12,
  });
  const shown = rows.getVirtualItems();
  const first = shown[0]?.index ?? 0;
  const last = shown.at(-1)?.index ?? 0;
  const inSight = records.slice(Math.floor(first / 25) * 25, Math.ceil((last + 1) / 25) * 25);
  const sight = inSight.map((r) => r.key ?? '').join('\n');

  useEffect(() => onSight(sight.split('\n').filter(Boolean).slice(0, 500)), [sight, onSight]);
  useEffect(() => {
    if (more && last >= records.length - 20) onMore();
  }, [more, last, records.length, onMore]);

  const pick = (index: number, on: boolean, range: boolean): void => {
    const from = range && lastPicked.current !== null ? lastPicked.current : index;
    const keys = records.slice(Math.min(from, index), Math.max(from, index) + 1).flatMap((r) => r.key ?? []);
    lastPicked.current = index;
    onPick(keys, on);
  };
  const all = records.length > 0 && records.every((r) => r.key !== null && picked.has(r.key));
  return (
    <div ref={frame} className="h-full overflow-auto border-t border-line bg-sheet" tabIndex={-1}>
      <table className="border-separate border-spacing-0" aria-rowcount={more ? -1 : records.length + 1}>
        <thead className="sticky top-0 z-10 bg-sunken">
          <tr>
            {pickable && (
              <th className={`${head} w-9 px-2`}>
                <input
                  type="checkbox"
                  aria-label="Pick all records loaded"
                  className="block accent-accent"
                  checked={all}
                  onChange={(e) =>
                    onPick(
                      records.flatMap((r) => r.key ?? []),
                      e.target.checked,
                    )
                  }
                />
              </th>
            )}
            {columns.map((c) => (
              <Heading key={c.name} column={c} sort={props.sort} onSort={props.onSort} />
            ))}
          </tr>
        </thead>
        <tbody>
          <Space height={shown[0]?.start ?? 0} columns={columns.length + 1} />
          {shown.map(({ index }) => {
            const record = records[index]!;
            const isPicked = record.key !== null && picked.has(record.key);
            const change = record.key === null ? undefined : changes.get(record.key);
            return (
              <tr
                key={record.key ?? index}
                aria-rowindex={index + 2}
                aria-selected={isPicked}
                className={isPicked ? 'bg-accent-soft' : 'hover:bg-paper'}
              >
                {pickable && (
                  <td className={`${cell} px-2`}>
                    <input
                      type="checkbox"
                      aria-label={`Pick ${record.key}`}
                      className="block accent-accent"
                      checked={isPicked}
                      onClick={(e) => pick(index, !isPicked, e.shiftKey)}
                      onChange={() => {}}
                    />
                  </td>
                )}
                {record.values.map((value, i) => {
                  const column = columns[i]!;
                  const changed = change?.changes.find((c) => c.field === column.name);
                  const isName = record.key !== null && (column.name === props.nameField || column.kind === 'key');
                  return (
                    <td key={column.name} className={`${cell} ${column.kind === 'number' ? 'text-right' : ''}`}>
                      {changed ? (
                        <Pending record={change!} changed={changed} />
                      ) : isName ? (
                        <Link
                          to={`/records/${encodeURIComponent(type)}/${encodeURIComponent(record.key!)}`}
                          className="hover:text-accent hover:underline"
                        >
                          {value.label ?? value.value}
                        </Link>
                      ) : value.value === null ? null : (
                        <Shown value={value} />
                      )}
                    </td>
                  );
                })}
              </tr>
            );
          })}
          <Space height={rows.getTotalSize() - (shown.at(-1)?.end ?? 0)} columns={columns.length + 1} />
        </tbody>
      </table>
    </div>
  );
}

const head = 'h-8 border-b border-line px-3 text-left font-medium whitespace-nowrap';
const cell = 'h-8 max-w-72 truncate border-b border-line px-3 whitespace-nowrap';

function Heading({
  column,
  sort,
  onSort,
}: {
  column: Found['columns'][number];
  sort: string | null;
  onSort: (sort: string | null) => void;
}) {
  const up = sort === column.name;
  const down = sort === `-${column.name}`;
  const next = up ? `-${column.name}` : down ? null : column.name;
  return (
    <th
      className={`${head} ${column.kind === 'number' ? 'text-right' : ''}`}
      aria-sort={up ? 'ascending' : down ? 'descending' : undefined}
    >
      <button
        type="button"
        onClick={() => onSort(next)}
        className="inline-flex items-center gap-1 hover:text-accent"
        title={`Sort by ${column.label}`}
      >
        {column.label}
        {up && <ArrowUp className="size-3.5" aria-hidden="true" />}
        {down && <ArrowDown className="size-3.5" aria-hidden="true" />}
      </button>
    </th>
  );
}

/** What would become of this value. */
function Pending({ record, changed }: { record: JournalRecord; changed: JournalRecord['changes'][number] }) {
  if (record.outcome === 'not_allowed')
    return (
      <span title={record.cause ?? undefined}>
        <Shown value={changed.old} />
        <span className="ml-1.5 inline-flex items-center gap-1 text-xs text-trouble">
          <Ban className="size-3.5" aria-hidden="true" /> not allowed
        </span>
      </span>
    );
  return <Change old={changed.old} now={changed.new} />;
}

function Space({ height, columns }: { height: number; columns: number }) {
  return height > 0 ? (
    <tr aria-hidden="true">
      <td colSpan={columns} style={{ height, padding: 0 }} />
    </tr>
  ) : null;
}
