import type { Pool } from 'pg';
import type { JobBody } from '@tantamos/contract';

// Places have codes that others refer to, each by another action of the database: what a change of codes does to these is
// audited write by write, beside people who add and move what refers to them.

const places = 200;

export async function makeCoded(db: Pool): Promise<void> {
  await db.query(`
    create table places (id integer primary key, code text not null unique, note text);
    insert into places select n, 'p' || n, 'place' from generate_series(0, ${places}) n;
    create table following (id integer primary key, code text not null references places (code) on update cascade, note text);
    create table cleared (id integer primary key, code text references places (code) on update set null, note text);
    create table usual (id integer primary key, code text default 'p0' references places (code) on update set default, note text);
    insert into following select n, 'p' || (1 + n % ${places}), 'x' from generate_series(1, 600) n;
    insert into cleared select n, 'p' || (1 + n % ${places}), 'x' from generate_series(1, 600) n;
    insert into usual select n, 'p' || (1 + n % ${places}), 'x' from generate_series(1, 600) n;
    create index on following (code); create index on cleared (code); create index on usual (code);
    create table coded_audit (id bigserial primary key, of text not null, record integer not null, who text not null);
    create function keep_coded() returns trigger language plpgsql as $$ begin
      if new.code is distinct from old.code then
        insert into coded_audit (of, record, who) values (tg_table_name, new.id, current_setting('application_name')); end if;
      return null; end $$;
    create trigger audited after update on following for each row execute function keep_coded();
    create trigger audited after update on cleared for each row execute function keep_coded();
    create trigger audited after update on usual for each row execute function keep_coded();
    create function keep_place() returns trigger language plpgsql as $$ begin
      if new.id % 23 = 0 and new.code <> old.code and current_setting('application_name') like 'tantamos%' then return null; end if;
      return new; end $$;
    create trigger kept before update on places for each row execute function keep_place();
  `);
}

/** Every place but the usual one gets another code. */
export function recode(tag: string): JobBody {
  return {
    selection: { type: 'places', filter: 'id > 0' },
    edits: [{ kind: 'compute', field: 'code', formula: `CONCATENATE('p', id, ' ${tag}')` }],
  };
}

/** Somebody lets records refer to other places, or sets a new one. */
export async function referAnew(db: Pool): Promise<number> {
  const table = ['following', 'cleared', 'usual'][Math.floor(Math.random() * 3)]!;
  const { rowCount } = await db.query(
    `update ${table} set code = (select code from places where id > 0 order by random() limit 1) where id = $1`,
    [1 + Math.floor(Math.random() * 600)],
  );
  return rowCount ?? 0;
}

export async function lastCoded(db: Pool): Promise<number> {
  const { rows } = await db.query<{ id: number }>('select coalesce(max(id), 0)::int as id from coded_audit');
  return rows[0]!.id;
}

/** Undoes by hand what is left of a round, so that the next begins with codes of their own. */
export async function recoded(db: Pool): Promise<void> {
  await db.query(`
    update places set code = 'p' || id where code <> 'p' || id;
    update cleared set code = 'p' || (1 + id % ${places}) where code is distinct from 'p' || (1 + id % ${places});
    update usual set code = 'p' || (1 + id % ${places}) where code is distinct from 'p' || (1 + id % ${places});
    update following set code = 'p' || (1 + id % ${places}) where code <> 'p' || (1 + id % ${places})`);
}

/** What is wrong after a run: a place that is not as it is reported, a reference that was written and is not reported, or the reverse. */
export async function auditCoded(db: Pool, runId: string, from: number): Promise<string[]> {
  const { rows } = await db.query<{ what: string }>(
    `with done as (
       select i.key::int as key, i.outcome, i.new from tantamos.run_batch s join tantamos.run on run.id = s.run
       join tantamos.batch b on b.preview = run.preview and b.position = s.batch
       join tantamos.batch_value v on v.preview = b.preview and v.position = b.position and v.field = 'code'
       cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null), unnest(v.new[s.low + 1:s.high])) i(key, outcome, new)
       where s.run = $1
     ), reported as (
       select coalesce(p.work_order -> 'parts' -> 0 -> 'along' -> a.along::int ->> 'type') as of, k.key::int as record, count(*) as n
       from tantamos.run_along a join tantamos.run r on r.id = a.run join tantamos.preview p on p.id = r.preview
       cross join lateral unnest(a.keys) k(key) where a.run = $1 group by 1, 2
     ), written as (
       select of, record, count(*) as n from coded_audit where id > $2 and who like 'tantamos lane%' group by 1, 2)
     select 'place ' || p.id || ' is reported as ' || d.outcome || ' and has the code ' || p.code as what
       from places p join done d on d.key = p.id where (d.outcome = 'c') <> (p.code = d.new)
     union all select 'place ' || d.key || ' is kept by a trigger and reported as changed' from done d where d.outcome = 'c' and d.key % 23 = 0
     union all select w.of || ' ' || w.record || ' was written ' || w.n || ' times, reported ' || coalesce(r.n, 0)
       from written w full join reported r using (of, record) where coalesce(w.n, 0) <> coalesce(r.n, 0)`,
    [runId, from],
  );
  return rows.map(({ what }) => `run ${runId}: ${what}`);
}
