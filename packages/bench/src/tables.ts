import type { Client } from 'pg';

/** One quarter of the rows match. Columns as an order table of an ERP has them. */
const columns = `
  id integer primary key, code text not null, status text not null, region text, owner integer not null,
  amount numeric(12,2) not null, placed_on date not null, note text`;

export const filter = "status = 'open' AND amount >= 100";
export const handWhere = "status = 'open' and amount >= 100";

/** A table of so many rows, the same at every call, freshly vacuumed and written out. */
export async function makeTable(db: Client, name: string, rows: number): Promise<void> {
  // In one go, so that nobody reads a catalog without it. Left to itself, autovacuum would clean up after one measurement in
  // the middle of the next.
  await db.query(
    `drop table if exists ${name} cascade; create table ${name} (${columns}) with (autovacuum_enabled = off)`,
  );
  await db.query(
    `insert into ${name}
     select n, 'O-' || lpad(n::text, 8, '0'), (array['open', 'sent', 'paid', 'closed'])[1 + (n::bigint * 7919 % 4)],
       case when n % 3 = 0 then 'north' end, n % 500, 100 + (n::bigint * 7727 % 900000) / 100.0, date '2024-01-01' + n % 900,
       'note ' || n % 1000
     from generate_series(1, $1::int) n`,
    [rows],
  );
  await db.query(`create index on ${name} (status)`);
  await db.query(`vacuum analyze ${name}`);
  await db.query('checkpoint');
}

/** The usual audit: old and new row as JSON, one row a change. */
export async function withAudit(db: Client, name: string): Promise<void> {
  await db.query(`drop table if exists ${name}_audit`);
  await db.query(
    `create table ${name}_audit (id bigserial primary key, record integer, old jsonb, new jsonb, at timestamptz default now())`,
  );
  await db.query(`create or replace function ${name}_keep() returns trigger language plpgsql as $$ begin
    insert into ${name}_audit (record, old, new) values (old.id, to_jsonb(old), to_jsonb(new)); return null; end $$`);
  await db.query(`create trigger keep after update on ${name} for each row execute function ${name}_keep()`);
}

/** What Tantamos keeps of its work: its frozen orders, outcomes and their indexes, in bytes. */
export async function bytesKept(db: Client): Promise<number> {
  const { rows } = await db.query<{ bytes: string }>(
    `select sum(pg_total_relation_size(c.oid)) as bytes from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = 'tantamos' and c.relkind = 'r'`,
  );
  return Number(rows[0]!.bytes);
}
