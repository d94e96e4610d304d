import type { Database } from '../database/database';

export interface TableRow {
  readonly oid: number;
  readonly schema: string;
  readonly table: string;
  readonly comment: string | null;
  readonly about: number;
  /** Ordinary, partitioned, view, materialised view, foreign (source: pg_class.relkind). */
  readonly kind: 'r' | 'p' | 'v' | 'm' | 'f';
  /** The account may look into its schema, and read at least one column. */
  readonly readable: boolean;
  /** All of it, so that also where its records are (ctid). */
  readonly wholly_readable: boolean;
  readonly updatable: boolean;
  /** All of it, so that it may be locked, too. */
  readonly wholly_updatable: boolean;
  /** Of a view that the database itself can change: its tree (source: pg_rewrite.ev_action). */
  readonly view_tree: string | null;
  /** Of a view: what is changed through it must stay in it, and in those under it (source: its check option). */
  readonly check_option: 'cascaded' | 'local' | null;
  /** Other tables inherit from it, so that one key may name several rows. */
  readonly has_children: boolean;
  /** Row rules hold for the account. */
  readonly row_rules: boolean;
  /** Its changes are published, and it has nothing by which those could be told: every update fails. */
  readonly published_blind: boolean;
  /** Rewrite rules that do something at a change: instead of it, or also (source: pg_rewrite). */
  readonly rewrites: readonly { readonly name: string; readonly instead: boolean }[] | null;
}
export interface ColumnRow {
  readonly oid: number;
  readonly number: number;
  readonly name: string;
  readonly declared: string;
  /** Of a domain: the type under it, and under the domains under it. */
  readonly db_type: string;
  /** Name of the same in pg_catalog, or of an extension's type that is known here; null for any other. */
  readonly known: string | null;
  /** Domains it is of, from the outermost in; null: none. */
  readonly domains: string[] | null;
  readonly domain_checks:
    readonly { readonly name: string; readonly condition: string; readonly comment: string | null }[] | null;
  readonly is_list: boolean;
  readonly required: boolean;
  readonly generated: boolean;
  readonly identity_always: boolean;
  readonly readable: boolean;
  readonly updatable: boolean;
  readonly comment: string | null;
  readonly labels: string[] | null;
  readonly default: string | null;
}
export interface ConstraintRow {
  readonly oid: number;
  readonly name: string;
  readonly kind: 'p' | 'f' | 'u' | 'c';
  readonly columns: string[];
  readonly target: number | null;
  readonly target_columns: string[] | null;
  readonly condition: string | null;
  readonly validated: boolean;
  readonly comment: string | null;
  readonly deferrable: boolean;
  readonly schema: string;
  readonly table: string;
  /** Of a foreign key: what happens when what it points at is deleted (source: pg_constraint.confdeltype). */
  readonly on_delete: 'a' | 'r' | 'c' | 'n' | 'd' | ' ';
  /** The same when what it points at changes (source: pg_constraint.confupdtype). */
  readonly on_update: ConstraintRow['on_delete'];
}
export interface PolicyRow {
  readonly oid: number;
  readonly permissive: boolean;
  readonly command: 'w' | 'd' | '*';
  readonly using: string | null;
  readonly check: string | null;
}
/** A foreign key from a table that is not among the types: it cannot be read, or is not seen as one. */
export interface OutsidePointerRow {
  readonly target: number;
  readonly schema: string;
  readonly table: string;
  readonly target_columns: string[];
  readonly on_delete: ConstraintRow['on_delete'];
  readonly on_update: ConstraintRow['on_delete'];
}
export interface TriggerRow {
  readonly oid: number;
  readonly name: string;
  readonly comment: string | null;
  readonly on_columns: string[] | null;
  readonly at: ('insert' | 'update' | 'delete')[];
}

/** A trigger `t` of a table that does something at changes: none of the database's own, and not switched off (source: pg_trigger). */
export const fires = `not t.tgisinternal and t.tgenabled not in ('D', 'R') and (t.tgtype & 28) <> 0`;

/**
 * Everything the catalog is made from, read from pg_catalog as it is at one moment. One question after the other: it is asked
 * every few seconds, and six at once were felt by others in every processor.
 */
export async function introspect(database: Database) {
  return database.transaction('repeatable read', async (connection) => {
    const rows = async <R extends object>(text: string): Promise<R[]> => (await connection.query<R>(text)).rows;
    return {
      tables: await rows<TableRow>(tablesQuery),
      columns: await rows<ColumnRow>(columnsQuery),
      constraints: await rows<ConstraintRow>(constraintsQuery),
      triggers: await rows<TriggerRow>(triggersQuery),
      policies: await rows<PolicyRow>(policiesQuery),
      outsidePointers: await rows<OutsidePointerRow>(outsidePointersQuery),
    };
  });
}

const ours = `n.nspname not in ('pg_catalog', 'information_schema', 'tantamos')
  and n.nspname not like 'pg\\_toast%' and n.nspname not like 'pg\\_temp%'`;

// An account that may not look into the schema cannot read what is in it, whatever it may do there.
const tablesQuery = `
select c.oid::int8 as oid, n.nspname as schema, c.relname as table, obj_description(c.oid, 'pg_class') as comment,
  greatest(c.reltuples, 0)::int8 as about, c.relkind as kind,
  has_schema_privilege(n.oid, 'usage') and (has_table_privilege(c.oid, 'select') or has_any_column_privilege(c.oid, 'select')) as readable,
  has_table_privilege(c.oid, 'select') as wholly_readable,
  has_table_privilege(c.oid, 'update') as wholly_updatable,
  has_table_privilege(c.oid, 'update') or has_any_column_privilege(c.oid, 'update') as updatable,
  case when c.relkind = 'v' and pg_relation_is_updatable(c.oid, false) & 4 <> 0
    then (select r.ev_action::text from pg_rewrite r where r.ev_class = c.oid and r.ev_type = '1') end as view_tree,
  (select option_value from pg_options_to_table(c.reloptions) where option_name = 'check_option') as check_option,
  c.relkind = 'r' and exists (select from pg_inherits i where i.inhparent = c.oid) as has_children,
  row_security_active(c.oid) as row_rules,
  (c.relreplident = 'n' or c.relreplident = 'd' and not exists (select from pg_index x where x.indrelid = c.oid and x.indisprimary))
    and c.relkind in ('r', 'p') and exists (select from pg_publication p where p.pubupdate
      and (p.puballtables or exists (select from pg_publication_rel l where l.prpubid = p.oid and l.prrelid = c.oid))) as published_blind,
  (select jsonb_agg(jsonb_build_object('name', r.rulename, 'instead', r.is_instead) order by r.rulename) from pg_rewrite r
    where r.ev_class = c.oid and r.ev_type in ('2', '3', '4') and r.ev_enabled not in ('D', 'R')) as rewrites
from pg_class c join pg_namespace n on n.oid = c.relnamespace
where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and ${ours} and not exists (
    select from pg_depend d where d.classid = 'pg_class'::regclass and d.objid = c.oid and d.deptype = 'e')
order by n.nspname, c.relname`;

const columnsQuery = `
with recursive under as (
  select t.oid as type, t.typbasetype as base, t.typtypmod as mod, 1 as depth from pg_type t where t.typtype = 'd'
  union all
  select u.type, t.typbasetype, t.typtypmod, u.depth + 1 from under u join pg_type t on t.oid = u.base where t.typtype = 'd'
), plain as (
  select distinct on (type) type, base, mod from under order by type, depth desc
), domain as (
  select u.type, array_agg(format_type(o.oid, null) order by u.depth) as names, bool_or(o.typnotnull) as required,
    (select jsonb_agg(jsonb_build_object('name', k.conname, 'condition', pg_get_expr(k.conbin, 0),
        'comment', obj_description(k.oid, 'pg_constraint')) order by k.conname)
      from pg_constraint k where k.contype = 'c' and k.contypid = any(array_agg(o.oid))) as checks
  from (select type, type as at, 0 as depth from plain union all select type, base, depth from under) u
  join pg_type o on o.oid = u.at and o.typtype = 'd' group by u.type
)
select a.attrelid::int8 as oid, a.attnum::int as number, a.attname as name,
  format_type(a.atttypid, a.atttypmod) as declared, format_type(t.oid, coalesce(p.mod, a.atttypmod)) as db_type,
  case when t.typnamespace = 'pg_catalog'::regnamespace then t.typname::text
    when t.typname = 'citext' and exists (select from pg_depend e join pg_extension x on x.oid = e.refobjid and x.extname = 'citext'
      where e.classid = 'pg_type'::regclass and e.objid = t.oid and e.deptype = 'e') then 'citext' end as known,
  d.names as domains, d.checks as domain_checks, t.typcategory = 'A' as is_list,
  a.attnotnull or coalesce(d.required, false) as required, a.attgenerated <> '' as generated, a.attidentity = 'a' as identity_always,
  has_column_privilege(a.attrelid, a.attnum, 'select') as readable,
  has_column_privilege(a.attrelid, a.attnum, 'update') as updatable, col_description(a.attrelid, a.attnum) as comment,
  (select array_agg(e.enumlabel::text order by e.enumsortorder) from pg_enum e where e.enumtypid = t.oid) as labels,
  case when a.attidentity <> '' and has_schema_privilege(n.oid, 'usage') then format('nextval(%L::regclass)', pg_get_serial_sequence(format('%I.%I', n.nspname, c.relname), a.attname))
    when a.attgenerated = '' then (select pg_get_expr(f.adbin, f.adrelid) from pg_attrdef f
      where f.adrelid = a.attrelid and f.adnum = a.attnum) end as default
from pg_attribute a
join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace
left join plain p on p.type = a.atttypid left join domain d on d.type = a.atttypid
join pg_type t on t.oid = coalesce(p.base, a.atttypid)
where a.attnum > 0 and not a.attisdropped and c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and ${ours}
order by a.attrelid, a.attnum`;

const constraintsQuery = `
select k.conrelid::int8 as oid, k.conname as name, k.contype as kind, nullif(k.confrelid, 0)::int8 as target,
  coalesce((select array_agg(a.attname::text order by u.n) from unnest(k.conkey) with ordinality u(num, n)
    join pg_attribute a on a.attrelid = k.conrelid and a.attnum = u.num), '{}') as columns,
  (select array_agg(a.attname::text order by u.n) from unnest(k.confkey) with ordinality u(num, n)
    join pg_attribute a on a.attrelid = k.confrelid and a.attnum = u.num) as target_columns,
  pg_get_expr(k.conbin, k.conrelid) as condition, k.convalidated as validated,
  obj_description(k.oid, 'pg_constraint') as comment, k.condeferrable as deferrable, k.confdeltype as on_delete, k.confupdtype as on_update,
  n.nspname as schema, c.relname as table
from pg_constraint k
join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
where k.contype in ('p', 'f', 'u', 'c') and ${ours}
order by k.conrelid, k.conname`;

// One on a partition is one of the tables that it is a part of, too.
const triggersQuery = `
select distinct at.oid::int8 as oid, t.tgname as name, obj_description(t.oid, 'pg_trigger') as comment,
  (select array_agg(a.attname::text) from unnest(t.tgattr) u(num)
    join pg_attribute a on a.attrelid = t.tgrelid and a.attnum = u.num) as on_columns,
  array_remove(array[case when t.tgtype & 4 <> 0 then 'insert' end, case when t.tgtype & 16 <> 0 then 'update' end,
    case when t.tgtype & 8 <> 0 then 'delete' end], null) as at
from pg_trigger t
join pg_class c on c.oid = t.tgrelid join pg_namespace n on n.oid = c.relnamespace
cross join lateral (select t.tgrelid as oid union select relid from pg_partition_ancestors(t.tgrelid)) at
where ${fires} and ${ours}
order by 1, 2`;

// Rules for selecting are not needed: what they hide is not seen to begin with.
const policiesQuery = `
select p.polrelid::int8 as oid, p.polpermissive as permissive, p.polcmd as command,
  pg_get_expr(p.polqual, p.polrelid) as using, pg_get_expr(p.polwithcheck, p.polrelid) as check
from pg_policy p join pg_class c on c.oid = p.polrelid join pg_namespace n on n.oid = c.relnamespace
where p.polcmd in ('w', 'd', '*') and row_security_active(p.polrelid) and ${ours}
  and (p.polroles = '{0}' or exists (select from unnest(p.polroles) role where pg_has_role(role, 'usage')))
order by p.polrelid, p.polname`;

const outsidePointersQuery = `
select k.confrelid::int8 as target, n.nspname as schema, c.relname as table, k.confdeltype as on_delete, k.confupdtype as on_update,
  (select array_agg(a.attname::text order by u.n) from unnest(k.confkey) with ordinality u(num, n)
    join pg_attribute a on a.attrelid = k.confrelid and a.attnum = u.num) as target_columns
from pg_constraint k join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
where k.contype = 'f' and k.conparentid = 0 and not (c.relkind in ('r', 'p') and not c.relispartition and ${ours}
  and has_schema_privilege(n.oid, 'usage') and (has_table_privilege(c.oid, 'select') or has_any_column_privilege(c.oid, 'select')))`;
