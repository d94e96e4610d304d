import type { ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import type { JobBody, PreviewView, RunView } from '@tantamos/contract';
import { Client } from '../../../client/src';
import { demoAccounts } from '../accounts/demo-accounts';
import { startService } from '../testing/program';
import { openWorkspace, tokenOf, type Workspace } from '../testing/workspace';
import { previewed } from '../testing/jobs';

describe('kill -9 in the middle of a run of 18,000', () => {
  let w: Workspace;
  beforeEach(async () => (w = await openWorkspace()));
  afterEach(() => w.close());

  const job = (type: string, perSecond: number | null = null): JobBody => ({
    selection: { type },
    edits: [{ kind: 'set', field: 'note', value: 'after the storm' }],
    safety: { batchSize: 250, atOnce: 2, pace: 100, perSecond },
  });
  const count = async (text: string, values: readonly unknown[] = []): Promise<number> =>
    Number((await w.sql.query<{ n: number }>(text, [...values])).rows[0]!.n);

  async function started() {
    const { child, base } = await startService(w.url);
    const token = await tokenOf(base, demoAccounts[0].login, demoAccounts[0].password);
    return { child, client: new Client({ base, token }) };
  }

  async function kill(child: ChildProcess): Promise<void> {
    const gone = once(child, 'exit');
    child.kill('SIGKILL');
    await gone;
  }

  /** Runs a preview by services that are killed, one after another, and one that is not. */
  async function killed(p: PreviewView, type: string): Promise<RunView> {
    await w.services.engine.close();
    let runId: string | undefined;
    let partly = 0;
    for (let kills = 0; kills < 4; kills++) {
      const { child, client } = await started();
      runId ??= (await client.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change })).id;
      await new Promise((resolve) => setTimeout(resolve, 40 + Math.random() * 350));
      await kill(child);
      // The journal and the records say the same at any moment, also while the database still finds out that it is alone.
      const { rows } = await w.sql.query<{ told: number; done: number }>(
        `select (select coalesce(sum(changed), 0)::int from tantamos.run_batch where run = $1) as told,
           (select count(*)::int from ${type} where note = 'after the storm') - $2 as done`,
        [runId, p.totals.already_right],
      );
      expect(rows[0]!.done).toBe(rows[0]!.told);
      if (rows[0]!.told > 0 && rows[0]!.told < p.totals.will_change) partly++;
    }
    const { child, client } = await started();
    let run = await client.run(runId!);
    for await (const next of client.runEvents(runId!)) run = next;
    child.kill('SIGTERM');
    expect(partly).toBeGreaterThan(0);
    expect(run).toMatchObject({
      state: 'finished',
      totals: { changed: p.totals.will_change, not_allowed: p.totals.not_allowed, not_yet: 0 },
    });
    expect(await count(`select count(*)::int as n from ${type} where note = 'after the storm'`)).toBe(
      run.totals.changed + run.totals.already_right,
    );
    return run;
  }

  it('changes every record exactly once, whatever the moment', async () => {
    // Counts updates itself, beside whatever the journal says.
    await w.sql.query('create table touched (id integer, at timestamptz default clock_timestamp())');
    await w.sql.query(
      `create function touch() returns trigger language plpgsql as $$ begin insert into touched (id) values (new.id); return null; end $$`,
    );
    await w.sql.query('create trigger touching after update on bookings for each row execute function touch()');
    const p = await previewed(w.admin, job('bookings'));
    // A few old records break a newer rule: the preview said so, and they stay.
    expect(p.totals).toMatchObject({ matched: 18_000 });
    expect(p.totals.not_allowed).toBeGreaterThan(0);
    const run = await killed(p, 'bookings');
    const twice = await w.sql.query('select id from touched group by id having count(*) > 1');
    expect(twice.rows).toEqual([]);
    expect(await count('select count(*)::int as n from touched')).toBe(run.totals.changed);
    const untrue = await count(
      `select count(*)::int as n from tantamos.run_batch s join tantamos.batch b on b.position = s.batch and b.preview = $2,
         rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null)) r(key, letter)
       where s.run = $1 and (letter = 'c') <> exists (select from touched t where t.id = r.key::int)`,
      [run.id, p.id],
    );
    expect(untrue).toBe(0);
  });

  it('says of each batch that is one statement what came of it', async () => {
    await w.sql.query(`create table rounds (id integer primary key, note text)`);
    await w.sql.query(`insert into rounds select n, 'round ' || n from generate_series(1, 18000) n`);
    w.services.catalogs.refresh();
    const p = await previewed(w.admin, job('rounds', 12_000));
    expect(p.totals).toMatchObject({ matched: 18_000, will_change: 18_000 });
    await killed(p, 'rounds');
  });

  it('gives way to others again, after it was killed while it did', async () => {
    const p = await previewed(w.admin, {
      ...job('bookings'),
      selection: { type: 'bookings', filter: 'id >= 4000 AND id < 4600' },
      safety: { batchSize: 20 },
    });
    await w.services.engine.close();
    const desk = setInterval(() => void w.sql.query('update staff set email = email where id = 1'), 5);
    try {
      const first = await started();
      const { id } = await first.client.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change });
      const until = async (client: Client, is: (run: RunView) => boolean): Promise<RunView> => {
        for await (const run of client.runEvents(id)) if (is(run)) return run;
        throw new Error('The run was over before.');
      };
      await until(first.client, (run) => run.givesWay && run.totals.changed > 0);
      await kill(first.child);
      const there = await count(`select count(*)::int as n from bookings where note = 'after the storm'`);
      // What the dead one told is not believed.
      await w.sql.query('update tantamos.run set gives_way = false where id = $1', [id]);
      const second = await started();
      const now = await until(second.client, (run) => run.givesWay && run.totals.changed > there);
      expect(now.totals.changed).toBeLessThan(p.totals.will_change);
      await second.client.changeRun(id, { pace: 100 });
      const over = await until(second.client, (run) => run.state === 'finished');
      expect(over).toMatchObject({ givesWay: false, totals: { changed: p.totals.will_change, not_yet: 0 } });
      second.child.kill('SIGTERM');
    } finally {
      clearInterval(desk);
    }
  });
});
