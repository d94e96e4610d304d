import { Pool } from 'pg';
import { Client } from '../../../client/src';
import { demoAccounts } from '../accounts/demo-accounts';
import { startService } from '../testing/program';
import { openWorkspace, tokenOf, type Workspace } from '../testing/workspace';
import { previewed } from '../testing/jobs';

describe('kill -9 in the middle of a run of 18,000', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  it('changes every record exactly once, whatever the moment', async () => {
    // Counts updates itself, beside whatever the journal says.
    await w.sql.query('create table touched (id integer, at timestamptz default clock_timestamp())');
    await w.sql.query(
      `create function touch() returns trigger language plpgsql as $$ begin insert into touched (id) values (new.id); return null; end $$`,
    );
    await w.sql.query('create trigger touching after update on bookings for each row execute function touch()');
    const job = {
      selection: { type: 'bookings' },
      edits: [{ kind: 'set' as const, field: 'note', value: 'after the storm' }],
      safety: { batchSize: 250, atOnce: 2, pace: 100 },
    };
    const p = await previewed(w.admin, job);
    // From here on only services that are killed do the work.
    await w.services.engine.close();
    const pool = new Pool({ connectionString: w.url, max: 1 });
    try {
      let runId: string | undefined;
      const changedAt: number[] = [];
      for (let kills = 0; kills < 4; kills++) {
        const { child, base } = await startService(w.url);
        const client = new Client({
          base,
          token: await tokenOf(base, demoAccounts[0].login, demoAccounts[0].password),
        });
        runId ??= (await client.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change })).id;
        await new Promise((resolve) => setTimeout(resolve, 40 + Math.random() * 350));
        const gone = new Promise((resolve) => child.once('exit', resolve));
        child.kill('SIGKILL');
        await gone;
        changedAt.push(
          (
            await pool.query(`select coalesce(sum(changed), 0)::int as n from tantamos.run_batch where run = $1`, [
              runId,
            ])
          ).rows[0].n as number,
        );
      }
      const { child, base } = await startService(w.url);
      const client = new Client({ base, token: await tokenOf(base, demoAccounts[0].login, demoAccounts[0].password) });
      let run = await client.run(runId!);
      for await (const next of client.runEvents(runId!)) run = next;
      child.kill('SIGTERM');

      expect(changedAt.some((n) => n > 0 && n < p.totals.will_change)).toBe(true);
      expect(run.state).toBe('finished');
      // A few old records break a newer rule: the preview said so, and they stay.
      expect(run.totals).toMatchObject({
        matched: 18_000,
        changed: p.totals.will_change,
        not_allowed: p.totals.not_allowed,
        not_yet: 0,
      });
      const twice = await pool.query('select id from touched group by id having count(*) > 1');
      expect(twice.rows).toEqual([]);
      const touched = await pool.query('select count(*)::int as n from touched');
      expect(touched.rows[0].n).toBe(run.totals.changed);
      const right = await pool.query(`select count(*)::int as n from bookings where note = 'after the storm'`);
      expect(right.rows[0].n).toBe(run.totals.changed + run.totals.already_right);
      const journal = await pool.query(
        `select count(*)::int as n from tantamos.run_batch s join tantamos.batch b on b.position = s.batch and b.preview = $2,
           rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null)) r(key, letter)
         where s.run = $1 and (letter = 'c') <> exists (select from touched t where t.id = r.key::int)`,
        [runId, p.id],
      );
      expect(journal.rows[0].n).toBe(0);
    } finally {
      await pool.end();
    }
  });
});
