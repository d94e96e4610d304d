import {
  asText,
  identifier,
  keyAmong,
  keyIs,
  raw,
  Scope,
  signature,
  sql,
  tableOf,
  writtenTable,
  wholeSignature,
  keyText,
  value,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { itemsOf, type Slice } from './items';
import { pointedAt } from './pointers';
import { presentKeys } from './probe';
import { assigned, type Updating } from './update';
import type { Writing } from './writing';

/**
 * Locks the records of a slice that are there, so that nothing new can point at them: rows of `n`, and whether the record is
 * the `same` as the preview saw. What somebody has locked is passed over.
 */
export function lockForDelete(part: Updating, slice: Slice): Sql {
  const { type } = part;
  const scope = new Scope(type, part.env);
  const hash = signature(part.reads, scope);
  return sql`
    select item.n::int as n, ${hash} = item.signature as same
    from (${itemsOf([], slice)}) item join ${scope.from()} on ${keyIs(type, scope.root, raw('item.key'))}
    for update of ${scope.root} skip locked`;
}

/** What still points at records of a slice: rows of `n` and `cause`. */
export function keptByOthers(part: Updating, slice: Slice): Sql {
  const scope = new Scope(part.type, part.env);
  return sql`select n, cause from (select item.n::int as n, ${pointedAt(part.type, scope.root)} as cause
    from (${itemsOf([], slice)}) item join ${scope.from()} on ${keyIs(part.type, scope.root, raw('item.key'))}) k
    where cause is not null`;
}

/** Deletes the records of a slice: rows of `n`; stored: those that are there all the same. */
export function deleteLocked(part: Updating, slice: Slice): Writing<{ n: number }, { n: number }> {
  const { type } = part;
  const r = raw('r');
  const stored = sql`select item.n::int as n from (${itemsOf([], slice)}) item
    join ${tableOf(type)} r on ${keyIs(type, r, raw('item.key'))}`;
  const write = sql`delete from ${writtenTable(type)} r using (${itemsOf([], slice)}) item
    where ${keyIs(type, r, raw('item.key'))} returning item.n::int as n`;
  return { write, stored: () => stored };
}

/**
 * Which of these keys have a record, and what it is: rows of `key` and `made_as` (see wholeSignature), each locked. One that
 * somebody has locked is waited for as long as `lock_timeout` says.
 */
export function lockMade(type: RecordType, keys: readonly string[], only: string | null): Sql {
  const scope = new Scope(type);
  const hash = wholeSignature(scope, only);
  return sql`select ${keyText(scope.keys())} as key, ${hash}::text as made_as, ${pointedAt(type, scope.root)} as cause
    from ${scope.from()} where ${keyAmong(type, scope.root, keys)} for update of ${scope.root}`;
}

/** Deletes records that belong to others; stored: those that are there all the same. */
export function deleteRelated(type: RecordType, keys: readonly string[]): Writing<object, { key: string }> {
  return {
    write: sql`delete from ${writtenTable(type)} r where ${keyAmong(type, raw('r'), keys)}`,
    stored: () => presentKeys(type, keys),
  };
}

/** Clears a reference of these records; stored: those that still have one. */
export function clearReference(
  type: RecordType,
  field: string,
  keys: readonly string[],
): Writing<object, { key: string }> {
  const r = raw('r');
  return {
    write: sql`update ${writtenTable(type)} r set ${identifier(field)} = null where ${keyAmong(type, r, keys)}`,
    stored: () => sql`${presentKeys(type, keys)} and r.${identifier(field)} is not null`,
  };
}

/** A record whose reference was to be restored. */
export interface Restored {
  /** Place of the record that it refers to. */
  readonly n: number;
  readonly key: string;
  /** See `wholeSignature`, of the reference alone; null: there is no such record. */
  readonly made_as: string | null;
  /** What the reference is now, and whether that is what was written. */
  readonly value: string | null;
  readonly is_written: boolean;
}

/** Gives references that were cleared with these records their values again; stored: each of them. */
export function restoreReference(
  type: RecordType,
  field: string,
  slice: Slice,
  along: number,
): Writing<object, Restored> {
  const back = assigned(
    raw('i.value'),
    type.fields.find((f) => f.name === field)!,
  );
  const items = sql`
    select i.n, i.key, i.value from tantamos.batch_along a
    join tantamos.batch_along_value v on v.preview = a.preview and v.position = a.position and v.along = a.along and v.field = ${value(field)}
    cross join lateral rows from (unnest(a.owners), unnest(a.keys), unnest(v.new)) i(n, key, value)
    where a.preview = ${value(slice.previewId)}::uuid and a.position = ${value(slice.batch)}::int and a.along = ${value(along)}::int
      and i.n = any(${value(slice.only)}::int[])`;
  const scope = new Scope(type);
  const now = asText(scope.own(field));
  return {
    write: sql`update ${writtenTable(type)} r set ${identifier(field)} = ${back} from (${items}) i
      where ${keyIs(type, raw('r'), raw('i.key'))}`,
    stored: () => sql`
      select i.n, i.key, case when ${scope.keys()[0]!} is not null then ${wholeSignature(scope, field)}::text end as made_as,
        ${now} as value, ${now} is not distinct from i.value as is_written
      from (${items}) i left join ${scope.from()} on ${keyIs(type, scope.root, raw('i.key'))}`,
  };
}

/** What is to be removed along with these records: rows of `n` (the record's place), `key`, `made_as`. */
export function frozenAlong(slice: Slice, along: number): Sql {
  return sql`select i.n, i.key, i.made_as::text as made_as from tantamos.batch_along a
    cross join lateral rows from (unnest(a.owners), unnest(a.keys), unnest(a.made_as)) i(n, key, made_as)
    where a.preview = ${value(slice.previewId)}::uuid and a.position = ${value(slice.batch)}::int
      and a.along = ${value(along)}::int and i.n = any(${value(slice.only)}::int[])`;
}
