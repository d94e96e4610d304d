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
  type Sql,
} from '@tantamos/core';

/**
 * Why the record at `alias` may not go: what still points at it, in words; null where nothing does. What a deletion would
 * take along by the database's own cascade is never left to it.
 */
export function pointedAt(type: RecordType, alias: Sql, falls: readonly Fall[] = [], under: number | null = null): Sql {
  const tests = type.pointers.flatMap((p) => {
    const at = falls.findIndex((f) => f.under === under && f.type.id === p.type && f.field.name === p.fields[0]);
    if (at >= 0) return falling(type, alias, falls, at);
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
  return tests.length > 0 ? sql`coalesce(${join(tests, ', ')})` : sql`null::text`;
}

/** More records than this do not go with one: it would be more than a batch may hold. */
const mostWithOne = 10_000;

/** Why what falls with a record keeps it, all the same: it is too much, or something keeps that in turn. */
function falling(type: RecordType, alias: Sql, falls: readonly Fall[], at: number): Sql[] {
  const fall = falls[at]!;
  const c = raw(`f${at}`);
  const points = sql`${c}.${identifier(fall.field.name)} = ${keyColumns(type, alias)[0]!}`;
  const from = sql`from ${tableOf(fall.type)} ${c} where ${points}`;
  const words = `More than ${mostWithOne.toLocaleString('en-US')} ${fall.type.label.toLowerCase()} would go with it.`;
  const many = sql`case when (select count(*) from (select ${from} limit ${value(mostWithOne + 1)}) m) > ${value(mostWithOne)} then ${value(words)}::text end`;
  if (fall.act === 'blank') {
    const required = `${fall.type.label} still point at it, and cannot be without (${fall.field.name}).`;
    return fall.field.required ? [sql`case when exists (select ${from}) then ${value(required)}::text end`] : [many];
  }
  return [many, sql`(select min(${pointedAt(fall.type, c, falls, at)}) ${from})`];
}
