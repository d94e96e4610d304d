import { sql, type Sql } from '../sql/sql';

/** A field's value as the text it is frozen and shown as. Compared byte by byte: what a person would see as different is. */
export function asText(column: Sql): Sql {
  return sql`${column}::text collate "C"`;
}
