import type { Pool } from 'pg';
import type { HandoverBody } from '@tantamos/contract';

// Depots and the posts at them, half of which one person answers for who hands them over again and again.

const depots = 300;
const posts = 1500;
export const giver = '1';

/** Some depots are sealed, so that what follows them must stay as well. */
export async function makeHanded(db: Pool): Promise<void> {
  await db.query(`
    create table depots (id integer primary key, owner integer not null references owners, note text);
    create table posts (id integer primary key, depot integer not null references depots, owner integer not null references owners, note text);
    insert into depots select n, case when n % 2 = 0 then 1 else 9 end, 'depot' from generate_series(1, ${depots}) n;
    insert into posts select n, 1 + n % ${depots}, d.owner, 'post' from generate_series(1, ${posts}) n join depots d on d.id = 1 + n % ${depots};
    create index on posts (depot);
    create function keep_depot() returns trigger language plpgsql as $$ begin
      if new.id % 22 = 0 and new.owner <> old.owner then raise exception 'depot % is sealed', new.id; end if; return new; end $$;
    create trigger sealed before update on depots for each row execute function keep_depot();
  `);
}

/** All of the depots go to two people, each post with its depot. */
export const handover: HandoverBody = {
  lines: [
    { type: 'depots', field: 'owner', which: 'all' },
    { type: 'posts', field: 'owner', which: 'all', follow: 'depot' },
  ],
  among: [{ to: '2' }, { to: '3', weight: 2 }],
};

/** Who answers for what, before or after: all of it as one text. */
export async function handed(db: Pool): Promise<string> {
  const { rows } = await db.query<{ image: string }>(
    `select md5((select string_agg(id || ' ' || owner, ',' order by id) from depots) || (select string_agg(id || ' ' || owner, ',' order by id) from posts)) as image`,
  );
  return rows[0]!.image;
}

/** What is wrong after a run: a post that went without its depot, a sealed depot that went, one that is told of otherwise than it is. */
export async function auditHanded(db: Pool, runId: string): Promise<string[]> {
  const { rows } = await db.query<{ what: string }>(
    `with done as (
       select s.type, i.key::int as key, i.outcome, i.new from tantamos.run_batch s join tantamos.run on run.id = s.run
       join tantamos.batch b on b.preview = run.preview and b.position = s.batch
       join tantamos.batch_value v on v.preview = b.preview and v.position = b.position and v.field = 'owner'
       cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null), unnest(v.new[s.low + 1:s.high])) i(key, outcome, new)
       where s.run = $1)
     select 'post ' || p.id || ' is with ' || p.owner || ', its depot with ' || d.owner as what
       from posts p join depots d on d.id = p.depot join done on done.type = 'posts' and done.key = p.id
       where done.outcome = 'c' and p.owner <> d.owner
     union all select 'depot ' || d.id || ' is told to be ' || done.outcome || ' and is with ' || d.owner
       from depots d join done on done.type = 'depots' and done.key = d.id
       where (done.outcome = 'c') <> (d.owner::text = done.new) or (done.outcome = 'c' and d.id % 22 = 0)
     union all select 'post ' || p.id || ' is told to be ' || done.outcome || ' and is with ' || p.owner
       from posts p join done on done.type = 'posts' and done.key = p.id where (done.outcome = 'c') <> (p.owner::text = done.new)`,
    [runId],
  );
  return rows.map(({ what }) => `run ${runId}: ${what}`);
}
