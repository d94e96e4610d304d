import { join, raw, sql, value, type Sql } from '@tantamos/core';
import { letter } from './rows';

/** Where the batches of one statement go. */
export interface Freeze {
  readonly previewId: string;
  readonly part: number;
  /** Position of the first batch this statement writes. */
  readonly firstPosition: number;
  readonly batchSize: number;
}

/** At most this many different from → to pairs a field are counted one by one. */
export const mostPairs = 200;

/**
 * Freezes rows as `partRows` gives them. The rows that come back are from → to counts (`field`, `old`, `new`, `count`),
 * and one with `field` null whose `count` is the number of batches written. With `weighed`, rows have a `weight`: a batch
 * ends before its weights pass the batch size.
 */
export function freezeRows(rows: Sql, fields: readonly string[], freeze: Freeze, weighed = false): Sql {
  const id = sql`${value(freeze.previewId)}::uuid`;
  const part = sql`${value(freeze.part)}::smallint`;
  const size = sql`${value(freeze.batchSize)}::int`;
  const position = sql`(${value(freeze.firstPosition)}::int + g.chunk)::int`;
  const columns = fields.map((_, i) => raw(`, old_${i + 1}, new_${i + 1}`));
  const arrays = fields.map((_, i) =>
    raw(`, array_agg(old_${i + 1}) as old_${i + 1}, array_agg(new_${i + 1}) as new_${i + 1}`),
  );
  const inserts = fields.map(
    (field, i) => sql`, ${raw(`value_${i + 1}`)} as (
      insert into tantamos.batch_value (preview, position, field, old, new)
      select ${id}, ${position}, ${value(field)}, ${raw(`g.old_${i + 1}, g.new_${i + 1}`)} from grouped g)`,
  );
  const pairs = fields.map(
    (field, i) => sql` union all (select ${value(field)}::text, ${raw(`old_${i + 1}, new_${i + 1}`)}, count(*) from matched
      where verdict = ${letter('not_yet')} and ${raw(`old_${i + 1} is distinct from new_${i + 1}`)} group by 2, 3 order by 4 desc, 2, 3 limit ${raw(String(mostPairs + 1))})`,
  );
  // Chunks of weighed rows are made dense again: one heavy row may pass over a border.
  const chunk = weighed
    ? sql`dense_rank() over (order by (upto - 1) / ${size})::int - 1`
    : sql`((n - 1) / ${size})::int`;
  const source = weighed ? sql`(select *, sum(weight) over (order by n) as upto from (${rows}) w)` : sql`(${rows})`;
  return sql`
    with matched as materialized (
      select ${chunk} as chunk, n, key, signature, verdict, cause${join(columns, '')} from ${source} ordered
    ), grouped as materialized (
      select chunk, array_agg(key) as keys, array_agg(signature) as signatures, string_agg(verdict, '') as verdicts,
        case when count(cause) > 0 then array_agg(cause) end as causes${join(arrays, '')}
      from (select * from matched order by chunk, n) m group by chunk
    ), batch as (
      insert into tantamos.batch (preview, position, part, keys, signatures, verdicts, causes)
      select ${id}, ${position}, ${part}, g.keys, g.signatures, g.verdicts, g.causes from grouped g
    )${join(inserts, '')}
    select null::text as field, null::text as old, null::text as new, count(*) as count from grouped${join(pairs, '')}`;
}
