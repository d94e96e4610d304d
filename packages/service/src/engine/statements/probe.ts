import { join, keyAmong, keyColumns, keyText, raw, sql, tableOf, type RecordType, type Sql } from '@tantamos/core';

const r = raw('r');

/** Which of these keys have a record that can be read: rows of `key`. */
export function presentKeys(type: RecordType, keys: readonly string[]): Sql {
  return sql`select ${keyText(keyColumns(type, r))} as key from ${tableOf(type)} r where ${keyAmong(type, r, keys)}`;
}

/**
 * Which of these can be locked, as rows of `key`; fails at once (55P03) if any of them is locked by somebody. What can be
 * read and is not among them is kept from being changed by a row rule.
 */
export function lockableKeys(type: RecordType, keys: readonly string[]): Sql {
  return sql`${presentKeys(type, keys)} order by ${join(keyColumns(type, r), ', ')} for no key update of r nowait`;
}
