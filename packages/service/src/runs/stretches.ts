import { mostFirst } from '@tantamos/contract';
import {
  fail,
  keyedBy,
  letterOf,
  typeNow,
  type Catalog,
  type FirstWay,
  type OrderPart,
  type WorkOrder,
} from '@tantamos/core';
import type { Connection } from '../database/database';
import { lowAndHigh } from '../engine/statements/freeze';
import { areWhole } from '../journal/sortable';

/** Which records a run does first, and asks after: so many as they come, so many of different from → to, or just these. */
export type First = { readonly count: number; readonly way: FirstWay } | { readonly keys: readonly string[] };

/** Where a frozen batch is cut: after its `n`-th record; `picked`: that record goes first, by itself. */
interface Edge {
  readonly batch: number;
  readonly n: number;
  readonly picked: boolean;
}

/**
 * Lays out a run: one stretch a batch, in order; a stretch with nothing to do is done. Those that are to go first are cut out.
 * Returns the position of the first stretch after them, or null where nothing is to be asked.
 */
export async function layOut(
  connection: Connection,
  of: { readonly run: string; readonly preview: string; readonly order: WorkOrder; readonly catalog: Catalog },
  first: First | null,
): Promise<number | null> {
  const { preview, order, catalog } = of;
  const { edges, border } = first ? await firstOf(connection, preview, order, first) : { edges: [], border: null };
  let from = 0;
  for (const [index, part] of order.parts.entries()) {
    const whole = areWhole(part, () => typeNow(catalog, keyedBy(part)));
    from += await insertStretches(connection, { ...of, part, index, whole, from }, edges);
  }
  return border;
}

async function firstOf(connection: Connection, preview: string, order: WorkOrder, first: First) {
  const ordered = order.parts.some((p) => p.inOrder);
  if ('count' in first && (first.way === 'in_order' || ordered)) {
    const split = await splitAfter(connection, preview, first.count, order);
    return split === null
      ? { edges: [], border: null }
      : { edges: split.at > 0 ? [{ batch: split.batch, n: split.at, picked: false }] : [], border: split.batch + 1 };
  }
  if (ordered)
    fail('bad_value', 'These records are changed in a certain order, so the first are those that come first.', {
      where: 'firstKeys',
    });
  const { rows } = await ('keys' in first
    ? connection.query<{ batch: number; n: number }>(placesOf, [preview, first.keys])
    : connection.query<{ batch: number; n: number }>(spreadOf, [preview, Math.min(first.count, mostFirst)]));
  if ('keys' in first && rows.length < new Set(first.keys).size)
    fail('bad_value', `Of the ${first.keys.length} picked ${rows.length} will change; pick only of those that will.`, {
      where: 'firstKeys',
    });
  const edges = rows.flatMap(({ batch, n }) => [
    { batch, n: n - 1, picked: false },
    { batch, n, picked: true },
  ]);
  const { rows: all } = await connection.query<{ n: number }>(
    'select will_change as n from tantamos.preview where id = $1',
    [preview],
  );
  return { edges, border: rows.length < all[0]!.n ? rows.length : null };
}

/** Where the first `count` records that will change end; null when there are no more than that. */
async function splitAfter(
  connection: Connection,
  preview: string,
  count: number,
  { parts }: WorkOrder,
): Promise<{ readonly batch: number; readonly at: number } | null> {
  const { rows } = await connection.query<{ position: number; verdicts: string; before: number }>(
    `select position, verdicts, before from (
       select position, verdicts, will_change, sum(will_change) over (order by position) - will_change as before
       from tantamos.batch where preview = $1) b
     where before < $2 and before + will_change >= $2`,
    [preview, count],
  );
  const found = rows[0];
  if (!found) return null;
  let at = 0;
  for (let left = count - Number(found.before); left > 0; at++) if (found.verdicts[at] === 'n') left--;
  // What goes round in a circle is not cut.
  const whole = at === found.verdicts.length || parts.some((p) => p.passing?.how === 'around');
  return { batch: found.position, at: whole ? 0 : at };
}

async function insertStretches(
  connection: Connection,
  of: { run: string; preview: string; part: OrderPart; index: number; whole: boolean; from: number },
  edges: readonly Edge[],
): Promise<number> {
  const { rowCount } = await connection.query(stretches(of.whole), [
    of.run,
    of.preview,
    keyedBy(of.part),
    of.from,
    of.index,
    of.part.inOrder,
    of.part.act === 'create',
    edges.map((e) => e.batch),
    edges.map((e) => e.n),
    edges.map((e) => e.picked),
  ]);
  return rowCount ?? 0;
}

/**
 * $1 run, $2 preview, $3 type of the keys, $4 first position, $5 part, $6 in order, $7 makes records, $8, $9 and $10 the edges.
 * The keys of a batch that is cut, or was frozen before these were kept, are looked at one by one.
 */
const stretches = (whole: boolean): string => `
  insert into tantamos.run_batch (run, position, part, in_order, batch, low, high, type, outcomes, made, made_as, state,
     finished_at, key_low, key_high)
   select $1, $4::int + row_number() over (order by not s.picked, s.batch, s.low) - 1, $5, $6, s.batch, s.low, s.high, $3, o.outcomes,
     case when $7 then array_fill(null::text, array[s.high - s.low]) end,
     case when $7 then array_fill(null::bigint, array[s.high - s.low]) end,
     case when strpos(o.outcomes, 'n') = 0 then 'done' else 'ready' end,
     case when strpos(o.outcomes, 'n') = 0 then clock_timestamp() end,
     coalesce(k.key_low, s.key_low), coalesce(k.key_high, s.key_high)
   from (
     select b.position as batch, coalesce(lag(e.high) over (partition by b.position order by e.high), 0) as low, e.high, e.picked,
       b.verdicts, b.keys, b.size, b.key_low, b.key_high
     from tantamos.batch b
     cross join lateral (
       select high, bool_or(picked) as picked from (
         select b.size as high, false as picked
         union all
         select c.n, c.picked from unnest($8::int[], $9::int[], $10::bool[]) c(batch, n, picked) where c.batch = b.position
       ) u where high > 0 group by high) e
     where b.preview = $2 and b.part = $5
   ) s
   cross join lateral (select substr(s.verdicts, s.low + 1, s.high - s.low) as outcomes) o
   cross join lateral (
     select ${lowAndHigh(whole)}
     from unnest(case when s.key_low is null or s.high - s.low < s.size then s.keys[s.low + 1:s.high] end) key) k`;

const changing = `i.verdict = '${letterOf('will_change')}'`;

/** $1 preview, $2 keys: the places of those that will change, of the first part. */
const placesOf = `
  select b.position as batch, min(i.n)::int as n from tantamos.batch b
  cross join lateral rows from (unnest(b.keys), string_to_table(b.verdicts, null)) with ordinality i(key, verdict, n)
  where b.preview = $1 and b.part = 0 and i.key = any($2::text[]) and ${changing}
  group by b.position, i.key order by 1, 2`;

/** $1 preview, $2 how many: the places of one of each different from → to of any field, the most frequent first. */
const spreadOf = `
  select p.place[1] as batch, p.place[2] as n from (
    select place, max(count) as count from (
      select v.field, i.old, i.new, count(*), min(array[b.position, i.n::int]) as place
      from tantamos.batch b join tantamos.batch_value v on v.preview = b.preview and v.position = b.position
      cross join lateral rows from (unnest(v.old), unnest(v.new), string_to_table(b.verdicts, null)) with ordinality i(old, new, verdict, n)
      where b.preview = $1 and b.part = 0 and ${changing} and i.old is distinct from i.new
      group by v.field, i.old, i.new) f
    group by place) p
  order by p.count desc, 1, 2 limit $2`;
