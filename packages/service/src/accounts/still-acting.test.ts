import { Client } from '../../../client/src';
import { previewed, refusedWith, rested } from '../testing/jobs';
import { openWorkspace, tokenOf, type Workspace } from '../testing/workspace';

describe('what goes on in the name of an account that is deactivated', () => {
  let w: Workspace;
  let piers: Client;
  let id: string;
  const activate = (active: boolean) => w.admin.changeAccount(id, { active });
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());
  beforeEach(async () => {
    id = (await w.admin.accounts()).find((a) => a.login === 'piers')!.id;
    await activate(true);
    piers = new Client({ base: w.base, token: await tokenOf(w.base, 'piers', 'meadow-editor') });
  });

  const slow = {
    selection: { type: 'bookings', filter: 'id <= 2000' },
    edits: [{ kind: 'set', field: 'note', value: 'slow' }] as const,
    safety: { batchSize: 10, atOnce: 1, perSecond: 100, pace: 100 },
  };

  const failed = { state: 'failed', trouble: expect.stringMatching(/“piers” has been deactivated/) };
  const ended = async (preview: string) => {
    let last = await w.admin.preview(preview);
    for (const end = Date.now() + 60_000; last.state === 'working' && Date.now() < end;) {
      await new Promise((r) => setTimeout(r, 50));
      last = await w.admin.preview(preview);
    }
    return last;
  };

  it('a run pauses with the reason, and goes on when the account is active again', async () => {
    const p = await previewed(piers, slow);
    const run = await piers.startRun({ preview: p.id, expect: p.totals.will_change, askAfter: null });
    while ((await w.admin.run(run.id)).totals.changed === 0) await new Promise((r) => setTimeout(r, 20));
    await activate(false);
    const paused = await rested(w.admin, run.id);
    expect(paused).toMatchObject({
      state: 'paused',
      reason: 'It cannot go on: The account “piers” has been deactivated, so nothing goes on in its name.',
    });
    expect(paused.totals.not_yet).toBeGreaterThan(0);
    // To continue does not help as long as it is so.
    await w.admin.continueRun(run.id);
    const again = await rested(w.admin, run.id);
    expect([again.state, again.totals.changed]).toEqual(['paused', paused.totals.changed]);
    await activate(true);
    await w.admin.changeRun(run.id, { perSecond: null });
    await w.admin.continueRun(run.id);
    expect(await rested(w.admin, run.id)).toMatchObject({
      state: 'finished',
      totals: { changed: p.totals.will_change },
    });
  });

  it('a preview fails with the reason', async () => {
    const somebody = await w.sql.connect();
    await somebody.query('begin; lock table bookings in access exclusive mode');
    const { id: preview } = await piers.makePreview({
      ...slow,
      edits: [{ kind: 'set', field: 'note', value: 'x' }],
    } as never);
    expect((await w.admin.preview(preview)).state).toBe('working');
    await activate(false);
    expect(await ended(preview)).toMatchObject(failed);
    await somebody.query('rollback');
    somebody.release();
  });

  it('a preview that another service takes up fails with the reason', async () => {
    const p = await previewed(piers, { ...slow, edits: [{ kind: 'set', field: 'note', value: 'taken up' }] } as never);
    await activate(false);
    await w.sql.query(
      `with back as (update tantamos.preview set state = 'working', ready_at = null where id = $1 returning id)
       insert into tantamos.preview_work (preview, tries, lease_until) select id, 1, now() - interval '1 second' from back`,
      [p.id],
    );
    expect(await ended(p.id)).toMatchObject(failed);
  });

  it('a request, an event stream and a download that is not read end', async () => {
    const p = await previewed(piers, { ...slow, edits: [{ kind: 'set', field: 'note', value: 'watched' }] } as never);
    const run = await piers.startRun({ preview: p.id, expect: p.totals.will_change, askAfter: null });
    const watched = (async () => {
      for await (const _ of piers.runEvents(run.id));
    })();
    const file = await piers.files.exportRecords('bookings', { format: 'csv', raw: true } as never);
    const reader = file.bytes.getReader();
    await reader.read();
    await activate(false);
    await watched.catch((error: Error) => expect(error.message).toMatch(/broken off/));
    const readAll = async () => {
      for (let pieces = 0; ; pieces++) {
        // Slower than what the sockets on the way hold.
        if (pieces < 3) await new Promise((r) => setTimeout(r, 1500));
        if ((await reader.read()).done) return;
      }
    };
    await readAll().catch((error: Error) => expect(error.message).toMatch(/terminated|aborted/));
    expect(await refusedWith(piers.me())).toMatchObject({ code: 'not_signed_in' });
    await w.admin.stopRun(run.id).catch(() => {});
  });

  it('a recheck, a plan for a file and what is asked again are refused', async () => {
    const { recheck } = await import('../rechecks/rechecks');
    const { planFile } = await import('../files/plan');
    const seen = await w.services.gate.of(await w.services.accounts.person(id));
    const p = await previewed(piers, {
      selection: { type: 'bookings', filter: 'id = 2100' },
      edits: [{ kind: 'set', field: 'note', value: 'checked' }],
    } as never);
    const run = await piers.startRun({ preview: p.id });
    await rested(w.admin, run.id);
    const file = await piers.uploadFile({ name: 'x.csv' }, new TextEncoder().encode('id,note\n2100,x\n'));
    await activate(false);
    const reason = { code: 'not_signed_in', message: expect.stringMatching(/“piers” has been deactivated/) };
    const row = await w.services.runs.get(run.id);
    await expect(recheck(w.services, row, seen, null)).rejects.toMatchObject({ problems: [reason] });
    const plan = {
      type: 'bookings',
      match: [{ column: 'id', field: 'id' }],
      take: [{ column: 'note', field: 'note' }],
    };
    await expect(planFile(w.services, seen, file.id, plan as never)).rejects.toMatchObject({ problems: [reason] });
    const { rows } = await w.sql.query('select count(*)::int as n from tantamos.file_fate where file = $1', [file.id]);
    expect(rows[0].n).toBe(0);
  });
});
