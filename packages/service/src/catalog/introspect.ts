import type { Database } from '../database/database';

export interface TableRow {
  readonly oid: number;
  readonly schema: string;
  readonly table: string;
  readonly visible: boolean;
  readonly comment: string | null;
  readonly about: number;
  readonly is_view: boolean;
  readonly updatable: boolean;
}
export interface ColumnRow {
  readonly oid: number;
  readonly number: number;
  readonly name: string;
  readonly db_type: string;
  readonly base_type: string;
  readonly category: string;
  readonly required: boolean;
  readonly generated: boolean;
  readonly identity_always: boolean;
  readonly updatable: boolean;
  readonly comment: string | null;
  readonly labels: string[] | null;
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
}
export interface TriggerRow {
  readonly oid: number;
  readonly name: string;
  readonly comment: string | null;
  readonly on_columns: string[] | null;
}

/** Everything the catalog is made from, read from pg_catalog in one go. */
export async function introspect(database: Database) {
  const [tables, columns, constraints, triggers] = await Promise.all([
    database.rows<TableRow>(tablesQuery),
    database.rows<ColumnRow>(columnsQuery),
    database.rows<ConstraintRow>(constraintsQuery),
    database.rows<TriggerRow>(triggersQuery),
  ]);
  return { tables, columns, constraints, triggers };
}

const ours = `n.nspname not in ('pg_catalog', 'information_schema', 'tantamos')
  and n.nspname not like 'pg\\_toast%' and n.nspname not like 'pg\\_temp%'`;

const tablesQuery = `
select c.oid::int8 as oid, n.nspname as schema, c.relname as table, pg_table_is_visible(c.oid) as visible,
  obj_description(c.oid, 'pg_class') as comment, greatest(c.reltuples, 0)::int8 as about, c.relkind = 'v' as is_view,
  has_table_privilege(c.oid, 'update') as updatable
from pg_class c join pg_namespace n on n.oid = c.relnamespace
where c.relkind in ('r', 'p', 'v') and not c.relispartition and ${ours}
  and has_table_privilege(c.oid, 'select') and not exists (
    select from pg_depend d where d.classid = 'pg_class'::regclass and d.objid = c.oid and d.deptype = 'e')
order by n.nspname, c.relname`;

const columnsQuery = `
select a.attrelid::int8 as oid, a.attnum::int as number, a.attname as name, format_type(a.atttypid, a.atttypmod) as db_type,
  format_type(case t.typtype when 'd' then t.typbasetype else a.atttypid end,
    case t.typtype when 'd' then t.typtypmod else a.atttypmod end) as base_type,
  case when t.typtype = 'e' then 'E' else t.typcategory end as category, a.attnotnull or t.typnotnull as required,
  a.attgenerated <> '' as generated, a.attidentity = 'a' as identity_always,
  has_column_privilege(a.attrelid, a.attnum, 'update') as updatable, col_description(a.attrelid, a.attnum) as comment,
  (select array_agg(e.enumlabel::text order by e.enumsortorder) from pg_enum e where e.enumtypid = t.oid) as labels
from pg_attribute a
join pg_class c on c.oid = a.attrelid join pg_namespace n on n.oid = c.relnamespace
join pg_type t on t.oid = a.atttypid
where a.attnum > 0 and not a.attisdropped and c.relkind in ('r', 'p', 'v') and not c.relispartition and ${ours}
order by a.attrelid, a.attnum`;

const constraintsQuery = `
select k.conrelid::int8 as oid, k.conname as name, k.contype as kind, nullif(k.confrelid, 0)::int8 as target,
  coalesce((select array_agg(a.attname::text order by u.n) from unnest(k.conkey) with ordinality u(num, n)
    join pg_attribute a on a.attrelid = k.conrelid and a.attnum = u.num), '{}') as columns,
  (select array_agg(a.attname::text order by u.n) from unnest(k.confkey) with ordinality u(num, n)
    join pg_attribute a on a.attrelid = k.confrelid and a.attnum = u.num) as target_columns,
  pg_get_expr(k.conbin, k.conrelid) as condition, k.convalidated as validated,
  obj_description(k.oid, 'pg_constraint') as comment
from pg_constraint k
join pg_class c on c.oid = k.conrelid join pg_namespace n on n.oid = c.relnamespace
where k.contype in ('p', 'f', 'u', 'c') and ${ours}
order by k.conrelid, k.conname`;

const triggersQuery = `
select t.tgrelid::int8 as oid, t.tgname as name, obj_description(t.oid, 'pg_trigger') as comment,
  (select array_agg(a.attname::text) from unnest(t.tgattr) u(num)
    join pg_attribute a on a.attrelid = t.tgrelid and a.attnum = u.num) as on_columns
from pg_trigger t
join pg_class c on c.oid = t.tgrelid join pg_namespace n on n.oid = c.relnamespace
where not t.tgisinternal and t.tgenabled <> 'D' and (t.tgtype & 16) <> 0 and ${ours}
order by t.tgrelid, t.tgname`;
