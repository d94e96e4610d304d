import {
  identifier,
  join,
  keyColumns,
  raw,
  sql,
  tableOf,
  value,
  type Fall,
  type RecordType,
  type Scope,
  type Sql,
} from '@tantamos/core';
import { notPutBack } from './database-rules';

/**
 * Why the record at `alias` may not go: what still points at it, in words; null where nothing does. What a deletion would
 * take along by the database's own cascade is never left to it.
 */
export function pointedAt(type: RecordType, alias: Sql): Sql {
  return firstOf(reasons(type, alias, null));
}

/**
 * The same of each of a set of records, whose keys `among` selects, where some of what points at them falls with them: that is
 * looked at for all of them at once, since the fields that point have often no index.
 */
export function keptAmong(type: RecordType, scope: Scope, falls: readonly Fall[], among: Sql): Sql {
  const key = keyColumns(type, scope.root)[0]!;
  const joined = (table: Sql): Sql => scope.joined(table, (a) => sql`${a}.key = ${key}`);
  return firstOf(reasons(type, scope.root, { falls, under: null, among, joined }));
}

/** What falls with records, and how what is known of it is joined to them. */
interface Falling {
  readonly falls: readonly Fall[];
  readonly under: number | null;
  readonly among: Sql;
  /** Joins a table by its column `key`, and tells its alias. */
  joined(table: Sql): Sql;
}

function firstOf(tests: readonly Sql[]): Sql {
  return tests.length > 0 ? sql`coalesce(${join(tests, ', ')})` : sql`null::text`;
}

function reasons(type: RecordType, alias: Sql, falling: Falling | null): Sql[] {
  return type.pointers.flatMap((p) => {
    const at = falling
      ? falling.falls.findIndex(
          (f) => f.under === falling.under && f.type.id === p.type && f.field.name === p.fields[0],
        )
      : -1;
    if (at >= 0) return fallsOfOne(falling!, at);
    if (p.type === null && !p.withheld)
      // One that refuses speaks for itself when the time comes.
      return p.onDelete === 'refuse'
        ? []
        : [sql`${value(`${p.label}, which cannot be read here, may point at it.`)}::text`];
    const same = p.fields.map((f, i) => sql`p.${identifier(f)} = ${alias}.${identifier(p.at[i]!)}`);
    const others =
      p.schema === type.schema && p.table === type.table
        ? sql` and (${join(
            keyColumns(type, sql`p`).map((k, i) => sql`${k} is distinct from ${keyColumns(type, alias)[i]!}`),
            ' or ',
          )})`
        : sql``;
    const words = `${p.label} still point at it${p.withheld ? '' : ` (${p.fields.join(', ')})`}.`;
    return [
      sql`case when exists (select from ${identifier(p.schema, p.table)} p where ${join(same, ' and ')}${others}) then ${value(words)}::text end`,
    ];
  });
}

/** More records than this do not go with one: it would be more than a batch may hold. */
const mostWithOne = 10_000;

/** Why what falls with a record keeps it, all the same: it is too much, or something keeps that in turn. */
function fallsOfOne(falling: Falling, at: number): Sql[] {
  const fall = falling.falls[at]!;
  const known = falling.joined(fallTable(falling, at));
  const label = fall.type.label;
  if (fall.act === 'blank' && fall.field.required) {
    const required = `${label} still point at it, and cannot be without (${fall.field.name}).`;
    return [sql`case when ${known}.key is not null then ${value(required)}::text end`];
  }
  const words = `More than ${mostWithOne.toLocaleString('en-US')} ${label.toLowerCase()} would go with it.`;
  const many = sql`case when ${known}.n > ${value(mostWithOne)} then ${value(words)}::text end`;
  return fall.act === 'blank' ? [many] : [many, sql`${known}.cause`];
}

/** Of what falls with records: whose it is (`key`), how many (`n`), and why one of them may not go (`cause`). */
function fallTable({ falls, among }: Falling, at: number): Sql {
  const { type, field, act } = falls[at]!;
  const c = raw(`f${at}`);
  const from = sql`from ${tableOf(type)} ${c}`;
  const points = sql`${c}.${identifier(field.name)}`;
  const joins: Sql[] = [];
  const key = keyColumns(type, c)[0]!;
  const joined = (table: Sql): Sql => {
    const alias = raw(`f${at}_${joins.length + 1}`);
    joins.push(sql` left join ${table} ${alias} on ${alias}.key = ${key}`);
    return alias;
  };
  const further = { falls, under: at, among: sql`select ${key} ${from} where ${points} in (${among})`, joined };
  const lost = notPutBack(type, (f) => sql`${c}.${identifier(f.name)}`);
  const cause = act === 'blank' ? sql`null::text` : sql`min(${firstOf([...lost, ...reasons(type, c, further)])})`;
  return sql`(select ${points} as key, count(*) as n, ${cause} as cause ${from}${join(joins, '')} where ${points} in (${among}) group by 1)`;
}
