import type { Pool } from 'pg';
import type { JobBody } from '@tantamos/contract';

// What is made along with records, and records that are deleted with what points at them.

/** Tables beside the orders: what is made for them and for their owners, and parcels with labels, to be deleted. */
export async function makeMade(db: Pool): Promise<void> {
  await db.query(`
    create table remarks (id bigint generated always as identity primary key, order_of integer not null references orders on delete cascade,
      said text not null);
    create index on remarks (order_of);
    create table calls (id bigint generated always as identity primary key, owner integer not null references owners, said text not null);
    create table parcels (id integer primary key, note text not null);
    create table labels (id integer primary key, parcel integer not null references parcels on delete cascade, note text not null);
    create index on labels (parcel);
    insert into parcels select n, 'parcel ' || n from generate_series(1, 2000) n;
    insert into labels select n, 1 + n % 2000, 'label ' || n from generate_series(1, 4000) n;
    create function stay() returns trigger language plpgsql as $$ begin
      if old.id % 50 = 7 and current_setting('application_name') like 'tantamos%' then insert into parcels values (old.id, old.note); end if;
      return null; end $$;
    create trigger stay after delete on parcels for each row execute function stay()`);
}

/** A remark for each order that is changed, a call for each owner of some. */
export function madeAlong(tag: string): NonNullable<JobBody['also']> {
  return [
    { type: 'remarks', values: [{ kind: 'set', field: 'said', value: tag }] },
    { type: 'calls', per: 'owner', values: [{ kind: 'set', field: 'said', value: tag }] },
  ];
}

/** What is wrong with what a run made: nothing twice, nothing without its change, nothing missing beside one. */
export async function auditMade(db: Pool, runId: string, tag: string, from: number): Promise<string[]> {
  const { rows } = await db.query<{ what: string }>(
    `${done}
     select 'order ' || order_of || ' has ' || count(*) || ' remarks' as what from remarks where said = $2 group by order_of having count(*) > 1
     union all select 'order ' || m.order_of || ' has a remark and no change' from remarks m
       where said = $2 and not exists (select from done d where d.key = m.order_of and d.outcome = 'c')
     union all select 'order ' || d.key || ' has a change and no remark' from done d join orders o on o.id = d.key
       where d.outcome = 'c' and not exists (select from remarks m where m.order_of = d.key and m.said = $2)
         and not exists (select from audit a where a.record = d.key and a.id > $3 and a.act = 'DELETE')
     union all select 'owner ' || owner || ' has ' || count(*) || ' calls' from calls where said = $2 group by owner having count(*) > 1
     union all select 'owner ' || c.owner || ' has a call and nothing changed' from calls c where c.said = $2 and not exists (
       select from done d join audit a on a.record = d.key where d.outcome = 'c' and (coalesce(a.new, a.old) ->> 'owner')::int = c.owner)`,
    [runId, tag, from],
  );
  return rows.map(({ what }) => `run ${runId}: ${what}`);
}

/** What an undo left of what the run had made: nothing of what it says it took back. */
export async function auditUnmade(db: Pool, undoId: string, tag: string): Promise<string[]> {
  const { rows } = await db.query<{ what: string }>(
    `${done}
     select 'order ' || m.order_of || ' keeps a remark' as what from remarks m join done d on d.key = m.order_of
       where m.said = $2 and d.outcome = 'c'`,
    [undoId, tag],
  );
  return rows.map(({ what }) => `undo ${undoId}: ${what}`);
}

const done = `with done as (
  select i.key::int as key, i.outcome from tantamos.run_batch s join tantamos.run on run.id = s.run
  join tantamos.batch b on b.preview = run.preview and b.position = s.batch
  cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null)) i(key, outcome)
  where s.run = $1 and s.type = 'orders')`;

/** Deletes a good part of the parcels, with their labels. */
export function parcelsGo(round: number): JobBody {
  return { selection: { type: 'parcels', filter: `MOD(id, 3) = ${round % 3}` }, act: 'delete', edits: [] };
}

/** Everything there is of parcels and labels. */
export async function parcels(db: Pool): Promise<{ image: string; count: number }> {
  const { rows } = await db.query<{ image: string; count: number }>(
    `select md5(coalesce((select string_agg(p::text, ',' order by id) from parcels p), '') || coalesce((select string_agg(l::text, ',' order by id) from labels l), '')) as image,
       (select count(*)::int from parcels) as count`,
  );
  return rows[0]!;
}
