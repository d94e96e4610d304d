import type { PreviewDifferences } from '@tantamos/contract';
import { fail, join, raw, sql, value, type Sql } from '@tantamos/core';
import type { Database } from '../database/database';
import { longestSearch } from '../database/patience';
import { letter, valueJoins } from '../engine/statements/rows';
import type { JournalRow } from '../journal/journal';
import { journalRecords } from '../journal/records';
import type { Seen } from '../rights/seen';
import type { PreviewRow } from './preview-row';

const mostShown = 50;

/** Field → what it was and what it would be. */
type Values = Readonly<Record<string, readonly [string | null, string | null]>>;
interface DifferentRow {
  readonly how: 'more' | 'fewer' | 'otherwise' | 'same';
  readonly total: number;
  readonly key: string;
  readonly was: Values | null;
  readonly is: Values | null;
}

/** What a preview would do that an earlier one of the same type would not, and the other way round. */
export async function differencesOf(
  database: Database,
  earlier: PreviewRow,
  later: PreviewRow,
  seen: Seen,
): Promise<PreviewDifferences> {
  if (earlier.type !== later.type)
    fail('bad_request', 'Previews of two types have nothing in common to compare.', { where: 'with' });
  const rows = await database.askWithin<DifferentRow & Record<string, unknown>>(
    sql`select * from (
      select how, key, was, is_now as is, count(*) over (partition by how)::int as total,
        row_number() over (partition by how order by key) as n
      from (
        select coalesce(a.key, b.key) as key, a.v as was, b.v as is_now,
          case when a.key is null then 'more' when b.key is null then 'fewer' when a.v <> b.v then 'otherwise' else 'same' end as how
        from (${willChange(earlier)}) a full join (${willChange(later)}) b on a.key = b.key) d) e
      where n <= case when how = 'same' then 1 else ${value(mostShown)} end order by how, n`,
    longestSearch,
  );
  const shown = async (how: DifferentRow['how']) => {
    const of = rows.filter((row) => row.how === how);
    const records = await journalRecords(
      database,
      seen.catalog,
      of.map((row) => asRow(row, later)),
    );
    return { count: of[0]?.total ?? 0, records };
  };
  return {
    with: earlier.id,
    same: rows.find((row) => row.how === 'same')?.total ?? 0,
    more: await shown('more'),
    fewer: await shown('fewer'),
    otherwise: await shown('otherwise'),
  };
}

/** Rows of `key` and `v`, of the records that would change. */
function willChange({ id, work_order: order }: PreviewRow): Sql {
  const { writes } = order.parts[0]!;
  const values = writes.map((field, i) => {
    const [old, now] = ['old', 'new'].map((side) => raw(`i.${side}_${i + 1}`));
    return sql`${value(field)}::text, jsonb_build_array(${old!}, ${now!})`;
  });
  const arrays = writes.map((_, i) => raw(`unnest(v${i + 1}.old), unnest(v${i + 1}.new)`));
  const names = writes.map((_, i) => raw(`old_${i + 1}, new_${i + 1}`));
  return sql`select i.key, jsonb_build_object(${join(values, ', ')}) as v
    from tantamos.batch b ${valueJoins(writes, 'b.preview', 'b.position')}
    cross join lateral rows from (unnest(b.keys), string_to_table(b.verdicts, null), ${join(arrays, ', ')}) i(key, verdict, ${join(names, ', ')})
    where b.preview = ${value(id)}::uuid and b.part = 0 and i.verdict = ${letter('will_change')}`;
}

/** What both would write is told from the one to the other; what only one would, from what is there. */
function asRow({ key, was, is }: DifferentRow, { type, work_order: order }: PreviewRow): JournalRow {
  const all = { ...was, ...is };
  const inOrder = order.parts[0]!.writes.filter((field) => field in all);
  const fields = [...inOrder, ...Object.keys(all).filter((field) => !inOrder.includes(field))];
  const changes = fields.map((field) => {
    if (was && is) return { field, old: was[field]?.[1] ?? null, new: is[field]?.[1] ?? null };
    const [old, now] = all[field]!;
    return { field, old, new: now };
  });
  return { type, key, fieldsOf: type, part: 0, act: 'update', outcome: 'will_change', cause: null, changes, mark: '' };
}
