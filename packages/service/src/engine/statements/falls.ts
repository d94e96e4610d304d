import {
  asText,
  identifier,
  join,
  keyText,
  keyUnpacked,
  raw,
  Scope,
  sql,
  tableOf,
  value,
  wholeRecord,
  wholeSignature,
  type Fall,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { letter } from './rows';

/**
 * Freezes the records that fall with those of a delete's part: whose they are, their keys, what they are, and their values.
 * `above`: they point at what another entry takes along; null: at the part's own records.
 */
export function frozenFalls(
  previewId: string,
  part: number,
  type: RecordType,
  fall: Fall,
  at: number,
  above: { readonly at: number; readonly type: RecordType } | null,
): Sql {
  const scope = new Scope(fall.type);
  const preview = sql`${value(previewId)}::uuid`;
  const fields = fall.act === 'blank' ? [fall.field] : wholeRecord(fall.type);
  const owners = above
    ? sql`select a.position, i.n, ${keyUnpacked(above.type, raw('i.key'))[0]!} as target from tantamos.batch_along a
        cross join lateral rows from (unnest(a.owners), unnest(a.keys)) i(n, key)
        where a.preview = ${preview} and a.along = ${value(above.at)}`
    : sql`select b.position, i.n, ${keyUnpacked(type, raw('i.key'))[0]!} as target from tantamos.batch b
        cross join lateral rows from (unnest(b.keys), string_to_table(b.verdicts, null)) with ordinality i(key, verdict, n)
        where b.preview = ${preview} and b.part = ${value(part)} and i.verdict = ${letter('will_change')}`;
  const values = fields.map((f, i) => sql`${asText(scope.own(f.name))} as ${raw(`v${i + 1}`)}`);
  const arrays = fields.map((_, i) => raw(`, array_agg(v${i + 1} order by n, key) as v${i + 1}`));
  const inserts = fields.map(
    (f, i) => sql`, ${raw(`value_${i + 1}`)} as (
      insert into tantamos.batch_along_value (preview, position, along, field, new)
      select ${preview}, position, ${value(at)}, ${value(f.name)}, ${raw(`v${i + 1}`)} from grouped)`,
  );
  return sql`
    with found as materialized (
      select distinct on (key) * from (
        select o.position, o.n::int as n, ${keyText(scope.keys())} as key, ${wholeSignature(scope, fall.act === 'blank' ? fall.field.name : null)} as made_as, ${join(values, ', ')}
        from (${owners}) o
        join ${tableOf(fall.type)} ${scope.root} on ${scope.root}.${identifier(fall.field.name)} = o.target) f
      order by key, position, n
    ), grouped as materialized (
      select position, array_agg(n order by n, key) as owners, array_agg(key order by n, key) as keys,
        array_agg(made_as order by n, key) as made_as${join(arrays, '')} from found group by position
    ), along as (
      insert into tantamos.batch_along (preview, position, along, owners, keys, made_as)
      select ${preview}, position, ${value(at)}, owners, keys, made_as from grouped)${join(inserts, '')}
    select count(*) from grouped`;
}
