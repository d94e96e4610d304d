import { raw, sql, value, writtenTable, type RecordType, type Sql } from '@tantamos/core';
import { fires } from '../../catalog/introspect';

/**
 * Would an update of these fields store something else than it says, though by the catalog it could not? There is a trigger or
 * a rule that was made since that was read, a foreign key at it that now does something to others, or a column is of another type.
 *
 * What is so once the table is locked as an update locks it stays so until the transaction ends (source: Explicit Locking).
 */
export function isAltered(type: RecordType, writes: readonly string[]): Sql {
  const table = sql`${value(writtenTable(type).pieces.join(''))}::regclass::oid`;
  const names = sql`${value(writes)}::text[]`;
  const declared = writes.map((name) => type.fields.find((f) => f.name === name)!.declared);
  // What is changed through a view sets off the triggers of the table under it, whatever its columns are called there.
  const isAbout =
    type.shows === null
      ? sql` and (t.tgattr = ''::int2vector or exists (select from pg_attribute a
          where a.attrelid = t.tgrelid and a.attnum = any(t.tgattr) and a.attname::text = any(${names})))`
      : raw('');
  const trigger = sql`select from pg_trigger t where t.tgrelid ${tablesOf(type, table)} and t.tgtype & 16 <> 0 and ${raw(fires)}${isAbout}`;
  const rule = sql`select from pg_rewrite r where r.ev_class = ${table} and r.ev_type = '2'`;
  const column = sql`select from unnest(${names}, ${value(declared)}::text[]) u(name, declared)
    join pg_attribute a on a.attrelid = ${table} and a.attname = u.name and format_type(a.atttypid, a.atttypmod) <> u.declared`;
  // What the catalog knew of these was frozen with the records; a part that has any is not written without a look.
  const action = sql`select from pg_constraint k where k.contype = 'f' and k.confrelid = ${table} and k.confupdtype in ('c', 'n', 'd')
    and exists (select from pg_attribute a where a.attrelid = k.confrelid and a.attnum = any(k.confkey) and a.attname::text = any(${names}))`;
  return sql`(exists (${trigger}) or exists (${rule}) or exists (${column}) or exists (${action}))`;
}

/** Where the triggers of a type may be: at its table, its partitions, and what it shows. */
function tablesOf({ isPartitioned, shows }: RecordType, table: Sql): Sql {
  if (!isPartitioned && shows === null) return sql`= ${table}`;
  return sql`in (
    with recursive of_type as (
      select unnest(array[${table}, ${value(shows)}::oid]) as oid
      union
      select i.inhrelid from of_type o join pg_inherits i on i.inhparent = o.oid join pg_class c on c.oid = i.inhrelid and c.relispartition
    ) select oid from of_type where oid is not null)`;
}
