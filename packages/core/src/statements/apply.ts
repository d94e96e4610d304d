import { keyOf, type Catalog } from '../catalog/catalog';
import { Scope, tableOf } from '../language/emit';
import { outcomeLetters } from '../job/outcome';
import { identifier, join, raw, sql, value, type Sql } from '../sql/sql';
import { asText, envOf, keyFromText, signature, type Plan } from './signature';

/** The stretch of a frozen batch that one statement applies: places low+1 … high, counted from 1. */
export interface Slice {
  readonly previewId: string;
  readonly position: number;
  readonly low: number;
  readonly high: number;
  /** Places to try, where not all of the stretch; used when locked records are tried again. */
  readonly only: readonly number[] | null;
}

/** What one careful statement did with a slice. Places are counted in the batch from 1; a place in none was locked, or is gone. */
export interface Applied {
  /** Written, each once. */
  readonly changed: readonly number[];
  /** There, and as the preview saw them: those not in `changed` were left as they were by a trigger or a row rule. */
  readonly same: readonly number[];
  /** There, but some value that the preview read or would write is another by now. */
  readonly edited: readonly number[];
  readonly altered: Altered | null;
}

/** Fields whose stored value is not the one written: place → field → value. */
export type Altered = Readonly<Record<string, Readonly<Record<string, string | null>>>>;

/**
 * Writes the frozen values to those records of the slice whose signatures still match, in the usual case that nobody is
 * in the way: one row of `count` and `altered`. Where `count` is not all of them, or a lock is met, the caller takes it
 * back and applies the slice with care.
 *
 * Measured on 250,000 of 1,000,000 rows: without the locking step the statement takes a quarter less, which is what
 * brings two lanes level with a plain update.
 */
export function applySwiftly(plan: Plan, catalog: Catalog, slice: Slice): Sql {
  const { type, scope, key, hash, item, sets, altered } = pieces(plan, catalog, slice, 'i');
  const target = scope.root;
  const joins = scope.joins();
  const keyed = sql`${target}.${key} = ${keyFromText(type, raw('i.key'))}`;
  const direct = joins.pieces.length === 0;
  const written = direct ? target : raw('t');
  // An update cannot join anything to its own target, so where values are joined the record is read beside it.
  const found = direct
    ? sql`(${item}) i where ${keyed}`
    : sql`(${item}) i join ${scope.from()} on ${keyed} where t.ctid = ${target}.ctid and t.tableoid = ${target}.tableoid`;
  return sql`
    with written as (
      update ${tableOf(type)} ${written} set ${join(sets, ', ')} from ${found} and ${hash} = i.signature
      returning i.n, ${altered(written)} as altered
    )
    select count(*)::int as count, jsonb_object_agg(n, altered) filter (where altered is not null) as altered from written`;
}

/**
 * The same with care: locked records are passed over, and every record's fate is told. A lock is never waited for.
 *
 * The steps are put together from arrays, since the planner takes them for a handful of rows and would join a thousand
 * with a thousand in a loop (measured: ten times the run); locked rows are found again by their place in the table,
 * which no one can move meanwhile, rather than by the key (a tenth less).
 */
export function applyCarefully(plan: Plan, catalog: Catalog, slice: Slice): Sql {
  const { type, scope, key, hash, item, sets, altered } = pieces(plan, catalog, slice, 'l');
  return sql`
    with locked as materialized (
      select item.*, ${scope.root}.tableoid as part, ${scope.root}.ctid as spot, ${hash} = item.signature as same
      from (${item}) item
      join ${scope.from()} on ${scope.root}.${key} = ${keyFromText(type, raw('item.key'))}
      for update of ${scope.root} skip locked
    ), written as (
      update ${tableOf(type)} t set ${join(sets, ', ')} from locked l
      where t.ctid = l.spot and t.tableoid = l.part and l.same
      returning l.n, ${altered(raw('t'))} as altered
    )
    select array(select n::int from written) as changed,
      array(select n::int from locked where same) as same, array(select n::int from locked where not same) as edited,
      (select jsonb_object_agg(n, altered) from written where altered is not null) as altered`;
}

/** What both ways share; `from` is the alias that the new values come under. */
function pieces(plan: Plan, catalog: Catalog, slice: Slice, from: string) {
  const type = catalog.type(plan.type);
  const scope = new Scope(type, envOf(plan));
  const fresh = plan.writes.map((_, i) => raw(`${from}.new_${i + 1}`));
  const numbers = plan.writes.map((_, i) => i + 1);
  const values = plan.writes.map(
    (field, i) => sql`join tantamos.batch_value ${raw(`v${i + 1}`)} on ${raw(`v${i + 1}`)}.preview = b.preview
      and ${raw(`v${i + 1}`)}.position = b.position and ${raw(`v${i + 1}`)}.field = ${value(field)}`,
  );
  const only = slice.only ? sql` and i.n = any(${value(slice.only)}::int[])` : raw('');
  return {
    type,
    scope,
    key: identifier(keyOf(type).name),
    hash: signature(plan, catalog, scope),
    /** The slice's records that are to change: key, signature, new_1 …, n. */
    item: sql`
      select i.* from tantamos.batch b ${join(values, ' ')}
      cross join lateral rows from (unnest(b.keys), unnest(b.signatures), string_to_table(b.verdicts, null), ${raw(
        numbers.map((n) => `unnest(v${n}.new)`).join(', '),
      )})
        with ordinality i(key, signature, verdict, ${raw(numbers.map((n) => `new_${n}`).join(', '))}, n)
      where b.preview = ${value(slice.previewId)}::uuid and b.position = ${value(slice.position)}
        and i.n > ${value(slice.low)} and i.n <= ${value(slice.high)} and i.verdict = '${raw(outcomeLetters.not_yet)}'${only}`,
    sets: plan.writes.map((field, i) => {
      const dbType = type.fields.find((f) => f.name === field)!.dbType;
      return sql`${identifier(field)} = ${fresh[i]!}::${raw(dbType)}`;
    }),
    /** What was stored otherwise than written, as JSON; null where all is as written. */
    altered: (target: Sql): Sql => {
      const stored = plan.writes.map((field) => asText(sql`${target}.${identifier(field)}`));
      const differs = stored.map((s, i) => sql`${s} is distinct from ${fresh[i]!}`);
      const told = plan.writes.map(
        (field, i) =>
          sql`case when ${differs[i]!} then jsonb_build_object(${value(field)}::text, ${stored[i]!}) else '{}' end`,
      );
      return sql`case when ${join(differs, ' or ')} then ${join(told, ' || ')} end`;
    },
  };
}

/** Which of these keys still have a record: rows of `key`. */
export function presentKeys(plan: Plan, catalog: Catalog, keys: readonly string[]): Sql {
  const type = catalog.type(plan.type);
  const { name, dbType } = keyOf(type);
  return sql`select ${identifier(name)}::text as key from ${tableOf(type)}
    where ${identifier(name)} = any(${value(keys)}::text[]::${raw(dbType)}[])`;
}
