import type { Crossed, SelectionParts, Value } from '@tantamos/contract';
import { hasOrder } from '@tantamos/core';
import type { Expression } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { number } from '../components/format';
import { Picker } from '../components/Picker';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { isOneOf } from './conditions';
import type { FieldChoice } from './fields';
import { KeepCounts } from './KeepCounts';
import { queries } from '../queries';

interface Props {
  type: string;
  parts: SelectionParts;
  crossed: { rows: string; columns: string } | null;
  fields: readonly FieldChoice[];
  onChange: (crossed: { rows: string; columns: string }) => void;
  onNarrow: (condition: Expression) => void;
  onCounts: () => void;
  onClose: () => void;
}

/** Two fields crossed: do they agree, and how many do not? Each cell is a click away from being the selection. */
export function CrossSheet({ type, parts, crossed, fields, onChange, onNarrow, onCounts, onClose }: Props) {
  const found = useQuery({ ...queries.crossed(type, parts, crossed), retry: false });
  const pick = (side: 'rows' | 'columns') => (
    <Picker
      label={side === 'rows' ? 'Down the side' : 'Along the top'}
      className="w-52"
      value={crossed?.[side] ?? null}
      shown={fields.find((f) => f.path === crossed?.[side])?.label ?? '…'}
      options={fields
        .filter((f) => hasOrder(f.field))
        .map((f) => ({ id: f.path, label: f.label, more: f.field.comment ?? '' }))}
      onPick={(path) => onChange({ ...crossed!, [side]: path })}
    />
  );
  return (
    <Sheet
      open={crossed !== null}
      onClose={onClose}
      title="Two fields crossed"
      about="How often each pair of values occurs among the records that match now. Press a count to select those records."
      width="w-260"
    >
      <div className="flex items-center gap-2 px-4 pt-3">
        {pick('rows')} <span className="text-quiet">by</span> {pick('columns')}
        <span className="flex-1" />
        {crossed && (
          <KeepCounts
            key={`${crossed.rows} ${crossed.columns}`}
            type={type}
            parts={parts}
            fields={[crossed.rows, crossed.columns]}
            onShow={onCounts}
          />
        )}
      </div>
      <div className="min-h-0 overflow-auto p-4">
        <Problems error={found.error} />
        {found.data ? (
          <Table crossed={found.data} fields={fields} onNarrow={(c) => (onNarrow(c), onClose())} />
        ) : (
          !found.isError && (
            <p className="text-quiet" role="status">
              Counting …
            </p>
          )
        )}
      </div>
    </Sheet>
  );
}

function Table({
  crossed: c,
  fields,
  onNarrow,
}: {
  crossed: Crossed;
  fields: readonly FieldChoice[];
  onNarrow: (c: Expression) => void;
}) {
  const [row, column] = [fields.find((f) => f.path === c.rows.field)!, fields.find((f) => f.path === c.columns.field)!];
  const most = Math.max(1, ...c.counts.flat());
  const both = (a: Value | null, b: Value | null): Expression => {
    const span = { start: 0, end: 0 };
    const parts = [
      a && isOneOf(row.path, row.field, [a.value]),
      b && isOneOf(column.path, column.field, [b.value]),
    ].filter((p) => p !== null);
    return parts.length === 1 ? parts[0]! : { kind: 'and', operands: parts, span };
  };
  const sum = (ns: readonly number[]): number => ns.reduce((a, b) => a + b, 0);
  const blank = (v: Value): string => v.label ?? (v.value === null ? 'blank' : v.value === '' ? 'empty text' : v.value);
  const head = 'px-3 py-1 font-medium whitespace-nowrap max-w-40 truncate';
  return (
    <>
      <table className="border-separate border-spacing-0">
        <caption className="sr-only">
          {c.rows.label} by {c.columns.label}
        </caption>
        <thead>
          <tr>
            <th className="pr-3 text-left font-normal text-quiet">
              {c.rows.label} \ {c.columns.label}
            </th>
            {c.columns.values.map((v) => (
              <th key={v.value ?? ' '} scope="col" className={`${head} text-right ${v.value === null ? 'italic' : ''}`}>
                {blank(v)}
              </th>
            ))}
            <th scope="col" className={`${head} text-right text-quiet`}>
              all
            </th>
          </tr>
        </thead>
        <tbody>
          {c.rows.values.map((r, i) => (
            <tr key={r.value ?? ' '}>
              <th
                scope="row"
                className={`${head} border-t border-line pl-0 text-left ${r.value === null ? 'italic' : ''}`}
              >
                {blank(r)}
              </th>
              {c.counts[i]!.map((n, j) => (
                <td key={j} className="border-t border-line p-0 text-right">
                  {n === 0 ? (
                    <span className="px-3 text-quiet">·</span>
                  ) : (
                    <button
                      type="button"
                      onClick={() => onNarrow(both(r, c.columns.values[j]!))}
                      aria-label={`${blank(r)} and ${blank(c.columns.values[j]!)}: ${number(n)} records`}
                      className="h-8 w-full px-3 text-right hover:underline"
                      style={{
                        background: `color-mix(in srgb, var(--accent-soft) ${Math.round((100 * n) / most)}%, transparent)`,
                      }}
                    >
                      {number(n)}
                    </button>
                  )}
                </td>
              ))}
              <td className="border-t border-line px-3 text-right text-quiet">{number(sum(c.counts[i]!))}</td>
            </tr>
          ))}
          <tr>
            <th scope="row" className={`${head} border-t border-line-strong pl-0 text-left text-quiet`}>
              all
            </th>
            {c.columns.values.map((_, j) => (
              <td key={j} className="border-t border-line-strong px-3 text-right text-quiet">
                {number(sum(c.counts.map((r) => r[j]!)))}
              </td>
            ))}
            <td className="border-t border-line-strong px-3 text-right font-medium">{number(c.total - c.beyond)}</td>
          </tr>
        </tbody>
      </table>
      {c.beyond > 0 && (
        <p className="mt-2 text-quiet">{number(c.beyond)} records have values beyond the most frequent ones shown.</p>
      )}
    </>
  );
}
