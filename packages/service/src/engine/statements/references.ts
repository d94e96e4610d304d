import {
  asText,
  identifier,
  keyAmong,
  keyText,
  keyUnpacked,
  raw,
  Scope,
  sql,
  tableOf,
  value,
  wholeSignature,
  writtenTable,
  type Along,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import type { Slice } from './items';
import { letter } from './rows';
import type { Writing } from './writing';

/** An entry for what refers to values of a part's records, as the catalog has it now. */
export interface Referring extends Pick<Along, 'by' | 'act'> {
  readonly at: number;
  readonly type: RecordType;
  readonly referenced: string;
}

/** Records of a frozen part whose referenced value changes: rows of `position`, `n`, and the value as `old` and `new`, typed. */
function changing(preview: Sql, part: { readonly type: RecordType }, referenced: string, where: Sql): Sql {
  const dbType = raw(part.type.fields.find((f) => f.name === referenced)!.dbType);
  return sql`
    select b.position, i.n::int as n, i.old::${dbType} as old, i.new::${dbType} as new
    from tantamos.batch b
    join tantamos.batch_value v on v.preview = b.preview and v.position = b.position and v.field = ${value(referenced)}
    cross join lateral rows from (unnest(v.old), unnest(v.new), string_to_table(b.verdicts, null)) with ordinality i(old, new, verdict, n)
    where b.preview = ${preview} and i.verdict = ${letter('will_change')} and i.old is distinct from i.new and i.old is not null and ${where}`;
}

/** Freezes the records that refer to values of a part that will change, with what they refer to. */
export function freezeReferring(
  preview: string,
  part: { readonly type: RecordType; readonly index: number },
  entry: Referring,
): Sql {
  const id = sql`${value(preview)}::uuid`;
  const scope = new Scope(entry.type);
  const owners = changing(id, part, entry.referenced, sql`b.part = ${value(part.index)}`);
  return sql`
    with found as materialized (
      select o.position, o.n, ${keyText(scope.keys())} as key, ${wholeSignature(scope, entry.by)} as made_as, ${asText(scope.own(entry.by))} as v
      from (${owners}) o join ${scope.from()} on ${scope.own(entry.by)} = o.old
    ), grouped as materialized (
      select position, array_agg(n order by n, key) as owners, array_agg(key order by n, key) as keys,
        array_agg(made_as order by n, key) as made_as, array_agg(v order by n, key) as v from found group by position
    ), along as (
      insert into tantamos.batch_along (preview, position, along, owners, keys, made_as)
      select ${id}, position, ${value(entry.at)}, owners, keys, made_as from grouped)
    insert into tantamos.batch_along_value (preview, position, along, field, new)
    select ${id}, position, ${value(entry.at)}, ${value(entry.by)}, v from grouped`;
}

function changingOf(part: { readonly type: RecordType }, slice: Slice, referenced: string): Sql {
  const where = sql`b.position = ${value(slice.batch)}::int and i.n = any(${value(slice.only)}::int[])`;
  return changing(sql`${value(slice.previewId)}::uuid`, part, referenced, where);
}

function frozen(entry: Referring, slice: Slice): Sql {
  return sql`
    select f.n, f.key from tantamos.batch_along a cross join lateral rows from (unnest(a.owners), unnest(a.keys)) f(n, key)
    where a.preview = ${value(slice.previewId)}::uuid and a.position = ${value(slice.batch)}::int and a.along = ${value(entry.at)}::int
      and f.n = any(${value(slice.only)}::int[])`;
}

/** Places of records that others refer to by now which did not when the preview was made: rows of `n`. */
export function referredSince(part: { readonly type: RecordType }, slice: Slice, entry: Referring): Sql {
  const scope = new Scope(entry.type);
  return sql`
    select distinct o.n from (${changingOf(part, slice, entry.referenced)}) o join ${scope.from()} on ${scope.own(entry.by)} = o.old
    where not exists (select from (${frozen(entry, slice)}) f where f.n = o.n and f.key = ${keyText(scope.keys())})`;
}

/** What refers to the new values once these are written: rows of `n`, `key` and `made_as`; and what should, and does not (no `made_as`). */
export function following(part: { readonly type: RecordType }, slice: Slice, entry: Referring): Sql {
  const { type, by } = entry;
  const scope = new Scope(type);
  const columns = keyUnpacked(type, raw('f.key'));
  // What follows in its own key has another by now.
  const moved = type.key.map((name, i) => (name === by ? raw('o.new') : columns[i]!));
  const owners = changingOf(part, slice, entry.referenced);
  return sql`
    with owners as materialized (${owners}), expected as materialized (
      select o.n, ${keyText(moved)} as key from (${frozen(entry, slice)}) f join owners o on o.n = f.n
    ), found as materialized (
      select o.n, ${keyText(scope.keys())} as key, ${wholeSignature(scope, by)}::text as made_as
      from owners o join ${scope.from()} on ${scope.own(by)} = o.new
    )
    select coalesce(e.n, f.n) as n, coalesce(e.key, f.key) as key, case when e.key is not null then f.made_as end as made_as
    from expected e full join found f on f.n = e.n and f.key = e.key`;
}

/** Sets a reference of these records to its default; stored: those that have another. */
export function defaultReference(
  type: RecordType,
  by: string,
  keys: readonly string[],
): Writing<object, { key: string }> {
  const r = raw('r');
  const usual = raw(type.fields.find((f) => f.name === by)!.default!);
  const name = identifier(by);
  return {
    write: sql`update ${writtenTable(type)} r set ${name} = default where ${keyAmong(type, r, keys)}`,
    stored: () => sql`select ${keyText(type.key.map((k) => sql`r.${identifier(k)}`))} as key from ${tableOf(type)} r
      where ${keyAmong(type, r, keys)} and r.${name} is distinct from (${usual})`,
  };
}
