import type { ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { isMoving } from '@tantamos/core';
import { Client } from '../../../client/src';
import { demoAccounts } from '../accounts/demo-accounts';
import { previewed } from '../testing/jobs';
import { startService } from '../testing/program';
import { openWorkspace, tokenOf, type Workspace } from '../testing/workspace';

describe('a service that is frozen', () => {
  let w: Workspace;
  const children: ChildProcess[] = [];
  beforeAll(async () => {
    w = await openWorkspace();
    // Only the programs below carry runs out.
    await w.services.engine.close();
  });
  afterAll(async () => {
    for (const child of children) child.kill('SIGKILL');
    await w.close();
  });

  async function started(): Promise<{ child: ChildProcess; client: Client }> {
    const { child, base } = await startService(w.url);
    children.push(child);
    const token = await tokenOf(base, demoAccounts[0].login, demoAccounts[0].password);
    return { child, client: new Client({ base, token }) };
  }
  const job = (type: string, note: string, more = {}) => ({
    selection: { type },
    edits: [{ kind: 'set' as const, field: 'note', value: note }],
    safety: { batchSize: 50, atOnce: 2, pace: 100, ...more },
  });
  const until = async (isSo: () => Promise<boolean>): Promise<void> => {
    while (!(await isSo())) await new Promise((resolve) => setTimeout(resolve, 50));
  };
  const lanesOf = async (pid: number): Promise<number> => {
    const { rows } = await w.sql.query<{ n: number }>(
      `select count(distinct a.pid)::int as n from pg_stat_activity a join tantamos.worker w on a.application_name = 'tantamos lane ' || w.name
       join pg_locks l on l.pid = a.pid and l.locktype = 'advisory' where w.process = $1`,
      [pid],
    );
    return rows[0]!.n;
  };

  it('another ends its sessions, goes on with the run, and says so; nothing is done twice or lost', async () => {
    await w.sql.query(
      `insert into tantamos.worker (name, host, process, beat_at) values ('deadbeef', 'depot', 1, now() - interval '2 days')`,
    );
    const [one, two] = [await started(), await started()];
    // One that ended without a word is forgotten after a day.
    expect((await w.sql.query(`select from tantamos.worker where name = 'deadbeef'`)).rowCount).toBe(0);
    const p = await previewed(two.client, job('bookings', 'frozen', { perSecond: 400 }));
    const { id } = await two.client.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change });
    await until(async () => (await lanesOf(one.child.pid!)) > 0 && (await two.client.run(id)).totals.changed > 0);
    one.child.kill('SIGSTOP');
    await two.client.changeRun(id, { perSecond: null });
    let run = await two.client.run(id);
    for await (const now of two.client.runEvents(id)) if (!isMoving((run = now).state)) break;
    expect(run).toMatchObject({ state: 'finished', totals: { changed: p.totals.will_change, not_yet: 0 } });
    const log = await two.client.runLog(id);
    expect(log.map((e) => e.words).join('\n')).toMatch(
      /The service \S+\/\d+ did not answer and held locks: its session was ended/,
    );
    // It comes back to a database that goes on without it, and does no harm.
    one.child.kill('SIGCONT');
    const undo = await two.client.undoRun(id, {});
    for await (const _ of one.client.previewEvents(undo.id));
    const ready = await one.client.preview(undo.id);
    expect(ready).toMatchObject({ state: 'ready', totals: { will_change: p.totals.will_change } });
    for (const { child } of [one, two]) {
      const gone = once(child, 'exit');
      child.kill('SIGTERM');
      await gone;
    }
  });

  it('a preview that it held is made by another', async () => {
    const [one, two] = [await started(), await started()];
    // It knows the tables already: it does not look at them while they are locked.
    await previewed(one.client, {
      ...job('sites', 'x', {}),
      selection: { type: 'sites', keys: ['1'] },
      edits: [{ kind: 'set', field: 'access_note', value: 'y' }] as never,
    });
    // Somebody keeps the preview from coming to its end until its service is frozen.
    const somebody = await w.sql.connect();
    await somebody.query('begin; lock table sites in access exclusive mode');
    const made = await one.client.makePreview({
      ...job('sites', 'x'),
      edits: [{ kind: 'set', field: 'access_note', value: 'x' }],
    });
    const freezes = `select from pg_stat_activity a join tantamos.worker w on a.application_name = 'tantamos ' || w.name
      where w.process = $1 and a.wait_event_type = 'Lock'`;
    await until(async () => ((await w.sql.query(freezes, [one.child.pid])).rowCount ?? 0) > 0);
    one.child.kill('SIGSTOP');
    await somebody.query('rollback');
    somebody.release();
    await until(async () => (await two.client.preview(made.id)).state !== 'working');
    expect(await two.client.preview(made.id)).toMatchObject({ state: 'ready', totals: { matched: 4000 } });
  });

  it('a service whose schema was brought up under it begins nothing more, and says why', async () => {
    const one = children.find((c) => c.exitCode === null && c.signalCode === null)!;
    for (const child of children) if (child !== one) child.kill('SIGKILL');
    const { client } = await started();
    one.kill('SIGKILL');
    const p = await previewed(client, job('bookings', 'outdated', { perSecond: 100 }));
    const { id } = await client.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change });
    await until(async () => (await client.run(id)).totals.changed > 0);
    const owner = `insert into tantamos.migration (version, name, checksum) values (999, 'later', 'x')`;
    await w.sql.query(owner);
    await until(async () => /brought to version 999/.test((await client.run(id)).reason ?? ''));
    const before = (await client.run(id)).totals.changed;
    await new Promise((resolve) => setTimeout(resolve, 3000));
    expect((await client.run(id)).totals.changed).toBe(before);
    await w.sql.query('delete from tantamos.migration where version = 999');
    await client.stopRun(id);
  });
});
