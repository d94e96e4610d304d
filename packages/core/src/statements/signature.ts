import type { Checked } from '../language/checked';
import { canonicalSql } from '../language/emit';
import { fieldNow } from '../language/frozen';
import type { Scope } from '../language/scope';
import { asText } from './texts';
import { join, sql, type Sql } from '../sql/sql';

/**
 * A 64-bit hash of values under one snapshot, over forms that differ whenever a person would see a difference: scale,
 * letter case under any collation, negative zero. The signature of a record is that of all its part reads or writes.
 */
export function signature(reads: readonly Checked[], scope: Scope): Sql {
  return hashOf(formsOf(reads, scope));
}

function formsOf(reads: readonly Checked[], scope: Scope): readonly Sql[] {
  return reads.map((tree) =>
    tree.kind === 'field' ? exactForm(scope.column(tree.at), tree.at.field.dbType) : canonicalSql(tree, scope),
  );
}

/**
 * Which record it is, all that is read of it and what it becomes (`values`), in 64 bits. Those of a batch come together by
 * `bit_xor`: whoever works out the same of the records as they are now has proved that each of them is there, as it was seen,
 * and becomes what was said. It is mixed once more, since a row's hash is a sum of those of its fields, and where sums come
 * together it is hardly seen that two records have taken each other's values.
 */
export function proof(reads: readonly Checked[], values: readonly Sql[], scope: Scope): Sql {
  const keys = scope.type.key.map((name) => exactForm(scope.own(name), fieldNow(scope.type, name).dbType));
  return sql`hashint8extended(${hashOf([...keys, ...formsOf(reads, scope), ...values.map(asText)])}, 1)`;
}

/**
 * A signature of all fields of the record itself, by name: whether it is still just as it was made or seen; or of one alone,
 * where others may become what they like.
 */
export function wholeSignature(scope: Scope, only: string | null = null): Sql {
  const fields = scope.type.fields.filter((f) => only === null || f.name === only);
  return hashOf(
    [...fields].sort((a, b) => (a.name < b.name ? -1 : 1)).map((f) => exactForm(scope.own(f.name), f.dbType)),
  );
}

function hashOf(values: readonly Sql[]): Sql {
  return sql`hash_record_extended(row(${join(values, ', ')}), 0)`;
}

function exactForm(column: Sql, dbType: string): Sql {
  if (/^(smallint|integer|bigint|boolean|date|timestamp.*|uuid)$/.test(dbType)) return column;
  // Where the column says how many digits there are, equal numbers look equal.
  if (/^numeric\(\d+,\d+\)$/.test(dbType)) return column;
  if (/^(text|character varying(\(\d+\))?)$/.test(dbType)) return sql`${column} collate "C"`;
  return sql`${column}::text collate "C"`;
}
