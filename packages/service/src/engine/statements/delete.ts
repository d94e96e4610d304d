import {
  identifier,
  keyAmong,
  keyIs,
  raw,
  Scope,
  signature,
  sql,
  writtenTable,
  wholeSignature,
  keyText,
  value,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { itemsOf, type Slice } from './items';
import { pointedAt } from './pointers';
import { assigned, type Updating } from './update';

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

/** Deletes the records of a slice: rows of `n`. */
export function deleteLocked(part: Updating, slice: Slice): Sql {
  const { type } = part;
  return sql`delete from ${writtenTable(type)} r using (${itemsOf([], slice)}) item
    where ${keyIs(type, raw('r'), raw('item.key'))} returning item.n::int as n`;
}

/** Which of these keys have a record, and what it is: rows of `key` and `made_as` (see wholeSignature), each locked. */
export function lockMade(type: RecordType, keys: readonly string[], only: string | null): Sql {
  const scope = new Scope(type);
  const hash = wholeSignature(scope, only);
  return sql`select ${keyText(scope.keys())} as key, ${hash}::text as made_as, ${pointedAt(type, scope.root)} as cause
    from ${scope.from()} where ${keyAmong(type, scope.root, keys)} for update of ${scope.root} skip locked`;
}

export function deleteMade(type: RecordType, keys: readonly string[]): Sql {
  return sql`delete from ${writtenTable(type)} r where ${keyAmong(type, raw('r'), keys)}`;
}

export function blankField(type: RecordType, field: string, keys: readonly string[]): Sql {
  return sql`update ${writtenTable(type)} r set ${identifier(field)} = null where ${keyAmong(type, raw('r'), keys)}`;
}

/** Gives what was blanked along with these records its value again, and tells its keys. */
export function restoreField(type: RecordType, field: string, slice: Slice, along: number): Sql {
  const back = assigned(
    raw('i.value'),
    type.fields.find((f) => f.name === field)!,
  );
  return sql`update ${writtenTable(type)} r set ${identifier(field)} = ${back}
    from tantamos.batch_along a
    join tantamos.batch_along_value v on v.preview = a.preview and v.position = a.position and v.along = a.along and v.field = ${value(field)}
    cross join lateral rows from (unnest(a.owners), unnest(a.keys), unnest(v.new)) i(n, key, value)
    where a.preview = ${value(slice.previewId)}::uuid and a.position = ${value(slice.batch)}::int and a.along = ${value(along)}::int
      and i.n = any(${value(slice.only)}::int[]) and ${keyIs(type, raw('r'), raw('i.key'))}`;
}

/** What is to be removed along with these records: rows of `n` (the record's place), `key`, `made_as`. */
export function frozenAlong(slice: Slice, along: number): Sql {
  return sql`select i.n, i.key, i.made_as::text as made_as from tantamos.batch_along a
    cross join lateral rows from (unnest(a.owners), unnest(a.keys), unnest(a.made_as)) i(n, key, made_as)
    where a.preview = ${value(slice.previewId)}::uuid and a.position = ${value(slice.batch)}::int
      and a.along = ${value(along)}::int and i.n = any(${value(slice.only)}::int[])`;
}
