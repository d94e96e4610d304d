import { keyOf, type Catalog } from '../catalog/catalog';
import { Scope, tableOf } from '../language/emit';
import { outcomeLetters } from '../job/outcome';
import { identifier, join, raw, sql, value, type Sql } from '../sql/sql';
import { asText, keyFromText, signature, type Plan } from './signature';

/** The stretch of a frozen batch that one statement applies: places low+1 … high, counted from 1. */
export interface Slice {
  readonly previewId: string;
  readonly position: number;
  readonly low: number;
  readonly high: number;
  /** Places to try, where not all of the stretch; used when locked records are tried again. */
  readonly only: readonly number[] | null;
}

/**
 * Writes the frozen values to those records of the slice that nobody holds and whose signatures still match. One row
 * a record that was to change: `n` (place in the batch), `letter` (changed, edited since, or null where it was locked,
 * gone, or left as it was by a trigger), `seen` (it was there, unlocked) and `altered` (fields whose stored value is not
 * the one written). The lock is never waited for.
 */
export function applySlice(plan: Plan, catalog: Catalog, slice: Slice): Sql {
  const type = catalog.type(plan.type);
  const scope = new Scope(type);
  const key = identifier(keyOf(type).name);
  const hash = signature(plan, catalog, scope);
  const numbers = plan.writes.map((_, i) => i + 1);
  const values = plan.writes.map(
    (field, i) => sql`join tantamos.batch_value ${raw(`v${i + 1}`)} on ${raw(`v${i + 1}`)}.preview = b.preview
      and ${raw(`v${i + 1}`)}.position = b.position and ${raw(`v${i + 1}`)}.field = ${value(field)}`,
  );
  const sets = plan.writes.map((field, i) => {
    const dbType = type.fields.find((f) => f.name === field)!.dbType;
    return sql`${identifier(field)} = ${raw(`l.new_${i + 1}`)}::${raw(dbType)}`;
  });
  const altered = plan.writes.map((field, i) => {
    const stored = asText(sql`t.${identifier(field)}`);
    return sql`case when ${stored} is distinct from ${raw(`l.new_${i + 1}`)} then jsonb_build_object(${value(field)}::text, ${stored}) else '{}' end`;
  });
  const only = slice.only ? sql` and i.n = any(${value(slice.only)}::int[])` : raw('');
  return sql`
    with item as materialized (
      select i.* from tantamos.batch b ${join(values, ' ')}
      cross join lateral rows from (unnest(b.keys), unnest(b.signatures), string_to_table(b.verdicts, null), ${raw(
        numbers.map((n) => `unnest(v${n}.new)`).join(', '),
      )})
        with ordinality i(key, signature, verdict, ${raw(numbers.map((n) => `new_${n}`).join(', '))}, n)
      where b.preview = ${value(slice.previewId)}::uuid and b.position = ${value(slice.position)}
        and i.n > ${value(slice.low)} and i.n <= ${value(slice.high)} and i.verdict = '${raw(outcomeLetters.not_yet)}'${only}
    ), locked as materialized (
      select item.*, ${scope.root}.${key} as record_key, ${hash} = item.signature as same
      from item join ${scope.from()} on ${scope.root}.${key} = ${keyFromText(type, raw('item.key'))}
      order by ${scope.root}.${key} for update of ${scope.root} skip locked
    ), written as (
      update ${tableOf(type)} t set ${join(sets, ', ')} from locked l
      where t.${key} = l.record_key and l.same
      returning l.n, ${join(altered, ' || ')} as altered
    )
    select item.n::int as n, locked.n is not null as seen, nullif(written.altered, '{}') as altered,
      case when written.n is not null then '${raw(outcomeLetters.changed)}' when locked.same = false then '${raw(outcomeLetters.edited_since)}' end as letter
    from item left join locked using (n) left join written using (n) order by item.n`;
}

/** Which of these keys still have a record: rows of `key`. */
export function presentKeys(plan: Plan, catalog: Catalog, keys: readonly string[]): Sql {
  const type = catalog.type(plan.type);
  const { name, dbType } = keyOf(type);
  return sql`select ${identifier(name)}::text as key from ${tableOf(type)}
    where ${identifier(name)} = any(${value(keys)}::text[]::${raw(dbType)}[])`;
}
