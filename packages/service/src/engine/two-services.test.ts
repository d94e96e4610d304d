import { isMoving } from '@tantamos/core';
import { pino } from 'pino';
import type { AddressInfo } from 'node:net';
import { Client } from '../../../client/src';
import { createApp } from '../http/app';
import { openServices, type Services } from '../services';
import { startService } from '../testing/program';
import { openWorkspace, tokenOf, type Workspace } from '../testing/workspace';
import { previewed } from '../testing/jobs';
import { demoAccounts } from '../accounts/demo-accounts';

describe('two services on one database', () => {
  let w: Workspace;
  let second: Services;
  let other: Client;
  let close: () => Promise<void>;
  beforeAll(async () => {
    w = await openWorkspace();
    second = await openServices({ url: w.url, log: pino({ level: 'silent' }) });
    const server = createApp(second, { heavy: null }).listen(0, '127.0.0.1');
    await new Promise((resolve) => server.once('listening', resolve));
    other = new Client({ base: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, token: w.adminToken });
    close = async () => {
      server.close();
      server.closeAllConnections();
      await second.close();
    };
  });
  afterAll(async () => {
    await close();
    await w.close();
  });

  const job = (type: string, field: string, value: string, pace = 100) => ({
    selection: { type },
    edits: [{ kind: 'set' as const, field, value }],
    safety: { batchSize: 100, atOnce: 4, pace },
  });

  it('share the lanes of a run, and each can tell how it goes and steer it', async () => {
    const p = await previewed(w.admin, job('bookings', 'note', 'shared', 30));
    const run = await w.admin.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change });
    let shared = false;
    const seen: string[] = [];
    const watching = (async () => {
      for await (const now of other.runEvents(run.id)) {
        seen.push(now.state);
        const held = await w.sql.query<{ n: number }>(
          `select count(distinct a.pid)::int as n from pg_locks l join pg_stat_activity a using (pid)
           where l.locktype = 'advisory' and a.application_name like 'tantamos lane%' and a.datname = current_database()`,
        );
        const here = w.services.engine.lanesOf(run.id);
        const there = second.engine.lanesOf(run.id);
        expect(here + there).toBeLessThanOrEqual(4);
        shared ||= here > 0 && there > 0 && held.rows[0]!.n > 1;
        if (!isMoving(now.state)) return now;
      }
      return other.run(run.id);
    })();
    for (const until = Date.now() + 10_000; !shared && Date.now() < until;)
      await new Promise((resolve) => setTimeout(resolve, 50));
    const paused = await other.pauseRun(run.id);
    expect(paused.state).toBe('paused');
    const sofar = paused.totals.changed;
    expect(sofar).toBeGreaterThan(0);
    await watching;
    await w.admin.continueRun(run.id);
    for await (const now of other.runEvents(run.id))
      if (now.state === 'finished') expect(now.totals.changed).toBe(p.totals.will_change);
    expect(shared).toBe(true);
    expect(seen).toContain('running');
    expect((await w.sql.query(`select count(*)::int as n from bookings where note = 'shared'`)).rows[0].n).toBe(
      p.totals.will_change,
    );
  });

  /** A preview of a table that somebody holds: it is not done before they let go. */
  const held = async (): Promise<{ release: () => Promise<void> }> => {
    const client = await w.sql.connect();
    await client.query('begin; lock table slow in access exclusive mode');
    return {
      release: async () => {
        await client.query('rollback');
        client.release();
      },
    };
  };

  it('a preview that one works out is followed and withdrawn at the other', async () => {
    await w.sql.query(`create table slow as select n as id, 'x'::text as note from generate_series(1, 60000) n;
      alter table slow add primary key (id); analyze slow`);
    w.services.catalogs.refresh();
    second.catalogs.refresh();
    await second.catalogs.get();
    await w.services.catalogs.get();
    const { release } = await held();
    const p = await w.admin.makePreview(job('slow', 'note', 'y'));
    expect(p.state).toBe('working');
    expect((await other.preview(p.id)).state).toBe('working');
    await other.dropPreview(p.id);
    for await (const now of w.admin.previewEvents(p.id))
      if (now.state !== 'working') expect(now.state).toBe('cancelled');
    await w.services.previews.settled(p.id, 60_000);
    await release();
    expect((await w.sql.query('select from tantamos.batch where preview = $1', [p.id])).rowCount).toBe(0);
  });

  it('killed ones lose neither the preview nor the run: the living take both up', async () => {
    const { child, base } = await startService(w.url);
    const doomed = new Client({ base, token: await tokenOf(base, demoAccounts[0].login, demoAccounts[0].password) });
    await doomed.type('slow');
    const { release } = await held();
    const working = await doomed.makePreview(job('slow', 'note', 'z'));
    expect(working.state).toBe('working');
    child.kill('SIGKILL');
    await release();
    let last = working;
    const begun = Date.now();
    for await (const now of other.previewEvents(working.id)) last = now;
    expect(last).toMatchObject({ state: 'ready', totals: { matched: 60_000 } });
    expect(Date.now() - begun).toBeLessThan(30_000);

    const again = await startService(w.url);
    const run = await other.startRun({ preview: working.id, askAfter: null, expect: 60_000 });
    await new Promise((resolve) => setTimeout(resolve, 300));
    again.child.kill('SIGKILL');
    for await (const now of w.admin.runEvents(run.id))
      if (now.state === 'finished') expect(now.totals.changed).toBe(60_000);
    expect((await w.sql.query(`select count(*)::int as n from slow where note = 'z'`)).rows[0].n).toBe(60_000);
  });
});
