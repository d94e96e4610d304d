import { identifier, join, keyColumns, sql, value, type RecordType, type Sql } from '@tantamos/core';

/**
 * Why the record at `alias` may not go: what still points at it, in words; null where nothing does. What a deletion would
 * take along by the database's own cascade is never left to it.
 */
export function pointedAt(type: RecordType, alias: Sql): Sql {
  const tests = type.pointers.flatMap((p) => {
    if (p.type === null)
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
    const words = `${p.label} still point at it (${p.fields.join(', ')}).`;
    return [
      sql`case when exists (select from ${identifier(p.schema, p.table)} p where ${join(same, ' and ')}${others}) then ${value(words)}::text end`,
    ];
  });
  return tests.length > 0 ? sql`coalesce(${join(tests, ', ')})` : sql`null::text`;
}
