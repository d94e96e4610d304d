import type { JobBody, RunView, SafetyBody } from '@tantamos/contract';
import { onBookings, previewed, ran, refusedWith, rested, undone } from '../testing/jobs';
import { stuckStandby } from '../testing/standby';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('how carefully a run goes about it', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const keys = (from: number, count: number): number[] => Array.from({ length: count }, (_, i) => from + i);
  let notes = 0;
  const note = (from: number, count: number, safety: SafetyBody = {}): JobBody =>
    onBookings(keys(from, count), [{ kind: 'set', field: 'note', value: `note ${++notes}` }], {
      safety: { pace: 100, batchSize: 10, ...safety },
    });
  const begun = async (job: JobBody, more: Parameters<typeof w.admin.startRun>[0] | object = {}): Promise<RunView> => {
    const p = await previewed(w.admin, job);
    return rested(w.admin, (await w.admin.startRun({ preview: p.id, ...more })).id);
  };
  const noted = async (like = `note ${notes}`): Promise<number[]> =>
    (await w.sql.query<{ id: number }>('select id from bookings where note = $1 order by id', [like])).rows.map(
      (r) => r.id,
    );
  const until = async (id: string, holds: (r: RunView) => boolean): Promise<RunView> => {
    for (const end = Date.now() + 120_000; Date.now() < end;) {
      const r = await w.admin.run(id);
      if (holds(r)) return r;
      await new Promise((resolve) => setTimeout(resolve, 50));
    }
    throw new Error(`It is ${JSON.stringify(await w.admin.run(id))}`);
  };

  it('does one of each different from → to first, and asks', async () => {
    const job = onBookings(keys(1, 60), [{ kind: 'set', field: 'note', value: 'was {valley}' }], {
      safety: { pace: 100, batchSize: 20, first: 'spread' },
    });
    const p = await previewed(w.admin, job);
    const different = p.pairs.filter((x) => x.field === 'note').length;
    expect(different).toBeGreaterThan(1);
    const r = await ran(w.admin, p.id);
    expect(r).toMatchObject({
      state: 'waiting_for_you',
      totals: { changed: different, not_yet: p.totals.will_change - different },
    });
    const { records } = await w.admin.runRecords(r.id, { outcome: 'changed' });
    expect(new Set(records.map((x) => [x.changes[0]!.old.value, x.changes[0]!.new.value].join())).size).toBe(different);
    await w.admin.continueRun(r.id);
    expect(await rested(w.admin, r.id)).toMatchObject({ state: 'finished', totals: { not_yet: 0, matched: 60 } });
    // What was cut out for it stands in the journal once, and goes back whole.
    const { records: all } = await w.admin.runRecords(r.id, { limit: 500 });
    expect(new Set(all.map((x) => x.key)).size).toBe(60);
    const undo = await w.admin.undoRun(r.id, {});
    for await (const _ of w.admin.previewEvents(undo.id));
    expect(await ran(w.admin, undo.id)).toMatchObject({ state: 'finished', totals: { changed: p.totals.will_change } });
  });

  it('does those first that were picked, and refuses those that will not change', async () => {
    const p = await previewed(w.admin, note(100, 30));
    const wrong = await refusedWith(w.admin.startRun({ preview: p.id, firstKeys: ['110', '5000'] }));
    expect(wrong).toMatchObject({
      code: 'bad_value',
      detail: expect.stringContaining('Of the 2 picked 1 will change'),
    });
    const r = await rested(w.admin, (await w.admin.startRun({ preview: p.id, firstKeys: ['119', '103', '110'] })).id);
    expect(r).toMatchObject({ state: 'waiting_for_you', totals: { changed: 3 } });
    expect(await noted()).toEqual([103, 110, 119]);
    await w.admin.continueRun(r.id);
    expect(await rested(w.admin, r.id)).toMatchObject({ state: 'finished', totals: { changed: 30 } });
  });

  it('does not forget to ask where it was paused before', async () => {
    const p = await previewed(w.admin, note(200, 40, { batchSize: 5, perSecond: 2 }));
    const { id } = await w.admin.startRun({ preview: p.id, askAfter: 20 });
    await until(id, (r) => r.totals.changed > 0);
    await w.admin.pauseRun(id);
    expect((await rested(w.admin, id)).totals.changed).toBeLessThan(20);
    await w.admin.changeRun(id, { perSecond: null });
    await w.admin.continueRun(id);
    expect(await rested(w.admin, id)).toMatchObject({ state: 'waiting_for_you', totals: { changed: 20 } });
    await w.admin.stopRun(id);
  });

  it('does at most so many in one go, and the next when somebody says so', async () => {
    let r = await begun(note(300, 45, { perGo: 20 }));
    for (const changed of [20, 40]) {
      expect(r).toMatchObject({ state: 'waiting_for_you', totals: { changed }, perGo: 20 });
      await w.admin.continueRun(r.id);
      r = await rested(w.admin, r.id);
    }
    expect(r).toMatchObject({ state: 'finished', totals: { changed: 45 } });
    // A go that is smaller than a batch makes batches smaller.
    r = await begun(note(300, 20, { perGo: 7 }));
    expect(r).toMatchObject({ batchSize: 7, totals: { changed: 7 } });
    await w.admin.stopRun(r.id);
  });

  it('begins the next go by itself when its time has come', async () => {
    const r = await begun(note(400, 30, { perGo: 20, goEvery: 5 }));
    expect(r).toMatchObject({ state: 'waiting_until', totals: { changed: 20 } });
    const minutes = (Date.parse(r.wakesAt!) - Date.now()) / 60_000;
    expect(minutes).toBeGreaterThan(4);
    expect(minutes).toBeLessThanOrEqual(5.1);
    await w.sql.query('update tantamos.run set wakes_at = now() where id = $1', [r.id]);
    expect(await until(r.id, (x) => x.state === 'finished')).toMatchObject({ totals: { changed: 30 }, wakesAt: null });
    const log = await w.admin.runLog(r.id);
    expect(log.map((e) => e.what)).toEqual(['start', 'rest', 'wake', 'finish']);
    expect(log[0]).toMatchObject({ by: 'Sorrel Haldane', words: 'Started' });
  });

  it('works in its hours only, unless somebody lets it go on', async () => {
    // An hour that is over, by a clock that is not the server's.
    const clock = (ms: number): string =>
      new Intl.DateTimeFormat('en-GB', {
        timeZone: 'Pacific/Auckland',
        hour: '2-digit',
        minute: '2-digit',
        hourCycle: 'h23',
      }).format(Date.now() + ms);
    const hours = { zone: 'Pacific/Auckland', from: clock(-3 * 3_600_000), to: clock(-2 * 3_600_000) };
    const r = await begun(note(500, 20, { hours }));
    expect(r).toMatchObject({ state: 'waiting_until', totals: { changed: 0 }, hours });
    expect(r.reason).toBe(`It works only from ${hours.from} to ${hours.to} (Pacific/Auckland).`);
    const ahead = (Date.parse(r.wakesAt!) - Date.now()) / 3_600_000;
    expect(ahead).toBeGreaterThan(20);
    expect(ahead).toBeLessThan(22.1);
    await w.admin.continueRun(r.id);
    expect(await until(r.id, (x) => x.state === 'finished')).toMatchObject({ totals: { changed: 20 } });
    // Who takes back means it now.
    const back = await ran(w.admin, (await undone(w.admin, r.id)).id);
    expect(back).toMatchObject({ state: 'finished', hours: null, totals: { changed: 20 } });

    for (const [bad, where] of [
      [{ ...hours, zone: 'Mars/Olympus' }, 'safety.hours.zone'],
      [{ ...hours, from: '24:00' }, 'safety.hours.from'],
      [{ ...hours, days: [] }, 'safety.hours.days'],
    ] as const)
      expect((await refusedWith(w.admin.makePreview(note(1, 1, { hours: bad as never })))).problems[0]!.where).toBe(
        where,
      );
  });

  it('waits where it was paused while it waited for its time, and stays so', async () => {
    const r = await begun(note(550, 30, { perGo: 20, goEvery: 1 }));
    expect(await w.admin.pauseRun(r.id)).toMatchObject({ state: 'paused', wakesAt: null });
    await w.admin.continueRun(r.id);
    expect(await until(r.id, (x) => x.state === 'finished')).toMatchObject({ totals: { changed: 30 } });
  });

  it('stops at so many failures before the next batch is begun, says which limit, and goes on when told to', async () => {
    await w.sql.query(`create function no_tens() returns trigger language plpgsql as $$ begin
      if new.note like 'note %' and new.id % 10 = 0 then raise exception 'no tens'; end if; return new; end $$`);
    await w.sql.query('create trigger no_tens before update on bookings for each row execute function no_tens()');
    try {
      const r = await begun(note(600, 100, { stopIf: { failures: 2 } }));
      expect(r).toMatchObject({
        state: 'paused',
        exceeded: { limit: 'failures', allowed: 2, found: 3 },
        totals: { refused: 3, changed: 27, not_yet: 70 },
      });
      expect(r.reason).toBe('Stopped by its limit: 3 could not be changed, more than the 2 you allowed');
      await w.admin.continueRun(r.id);
      expect(await rested(w.admin, r.id)).toMatchObject({ state: 'finished', exceeded: null, totals: { refused: 10 } });
    } finally {
      await w.sql.query('drop trigger no_tens on bookings; drop function no_tens()');
    }
  });

  it('stops where others have changed too many meanwhile', async () => {
    const p = await previewed(w.admin, note(700, 50, { stopIf: { editedSince: 0 } }));
    await w.sql.query(`update bookings set note = 'mine' where id = 711`);
    const r = await ran(w.admin, p.id);
    expect(r).toMatchObject({ state: 'paused', exceeded: { limit: 'editedSince', allowed: 0, found: 1 } });
    expect(r.totals.not_yet).toBeGreaterThan(0);
    await w.admin.stopRun(r.id);
  });

  it('stops where others wait too long for a small write', async () => {
    const p = await previewed(w.admin, note(800, 100, { batchSize: 2, perSecond: 3, stopIf: { slowdown: 5 } }));
    const { id } = await w.admin.startRun({ preview: p.id });
    await until(id, (r) => r.totals.changed > 0);
    // Every small write is made slow, as a busy disk would.
    await w.sql.query(
      `create function slow() returns trigger language plpgsql as $$ begin perform pg_sleep(0.25); return new; end $$`,
    );
    await w.sql.query('create trigger slow before insert on tantamos.canary for each row execute function slow()');
    try {
      const r = await until(id, (x) => x.state === 'paused');
      expect(r.exceeded).toMatchObject({ limit: 'slowdown', allowed: 5 });
      expect(r.exceeded!.found).toBeGreaterThan(5);
      const course = await w.admin.runCourse(id);
      expect(course.usualMs).toBeGreaterThan(0);
      expect(Math.max(...course.stretches.map((s) => s.canaryMs ?? 0))).toBeGreaterThan(70);
      expect(course.stretches.reduce((n, s) => n + s.done, 0)).toBe(100 - r.totals.not_yet);
    } finally {
      await w.sql.query('drop trigger slow on tantamos.canary; drop function slow()');
      await w.admin.stopRun(id);
    }
  });

  it('a run stops when a replica falls behind', async () => {
    const standby = await stuckStandby(w.url);
    try {
      const p = await previewed(w.admin, note(1600, 100, { batchSize: 1, perSecond: 8, stopIf: { lag: 1 } }));
      const r = await ran(w.admin, p.id);
      expect(r).toMatchObject({ state: 'paused', exceeded: { limit: 'lag', allowed: 1 } });
      expect(r.exceeded!.words).toMatch(/^a replica is [\d.]+ seconds behind/);
      expect(r.totals.changed).toBeLessThan(100);
      await w.admin.stopRun(r.id);
    } finally {
      await standby.end();
    }
  });

  it('stops where others wait for what it has locked', async () => {
    const p = await previewed(w.admin, note(900, 60, { batchSize: 1, perSecond: 5, stopIf: { waiting: 0 } }));
    // A trigger that takes its time: whoever wants the same record waits.
    await w.sql.query(
      `create function idle() returns trigger language plpgsql as $$ begin perform pg_sleep(4); return new; end $$`,
    );
    await w.sql.query(
      `create trigger idle before update on bookings for each row when (new.id = 905) execute function idle()`,
    );
    try {
      const { id } = await w.admin.startRun({ preview: p.id });
      const isAt = `select from pg_stat_activity where application_name like 'tantamos lane%' and wait_event = 'PgSleep'
        and datname = current_database()`;
      while ((await w.sql.query(isAt)).rows.length === 0) await new Promise((resolve) => setTimeout(resolve, 20));
      const other = w.sql.query(`update bookings set region = region where id = 905`);
      const r = await until(id, (x) => x.exceeded !== null || x.state === 'finished');
      expect(r.exceeded).toMatchObject({ limit: 'waiting', allowed: 0, found: 1 });
      await other;
      await w.admin.stopRun(id);
    } finally {
      await w.sql.query('drop trigger idle on bookings; drop function idle()');
    }
  });

  it('does not begin where too few or too large a share would change, or another run is on the records', async () => {
    const hindrance = async (job: JobBody): Promise<string> => (await previewed(w.admin, job)).hindrance ?? '';
    expect(await hindrance(note(1000, 3, { atLeast: 4 }))).toContain('fewer than 4 would change; 3 would');
    const all = (await w.sql.query<{ n: number }>('select count(*)::int as n from bookings')).rows[0]!.n;
    await w.sql.query('analyze bookings');
    w.services.catalogs.refresh();
    const share = Math.floor((30 / all) * 100 * 100) / 100;
    expect(await hindrance(note(1000, 30, { atMostShare: share / 2 }))).toMatch(
      /more than .* % of all bookings would change; 30 of about/,
    );
    expect(await hindrance(note(1000, 30, { atMostShare: share * 2 }))).toBe('');

    const slow = await previewed(w.admin, note(1100, 40, { perSecond: 1 }));
    const { id } = await w.admin.startRun({ preview: slow.id });
    const mine = await previewed(w.admin, note(1130, 20, { alone: true }));
    const problem = await refusedWith(w.admin.startRun({ preview: mine.id }));
    expect(problem.detail).toMatch(/no other run is on these records; run .* is still to change 10 of these records/);
    await w.admin.stopRun(id);
    expect(await ran(w.admin, mine.id)).toMatchObject({ state: 'finished', totals: { changed: 20 } });
  });

  it('keeps within what an administrator allows, and goes as they say where nobody else does', async () => {
    await w.admin.setType('bookings', { usualBatch: 30, usualPace: 80, usualAtOnce: 2, mostAtOnce: 3, mostPace: 90 });
    try {
      const usual = onBookings(keys(1200, 40), [{ kind: 'set', field: 'note', value: 'usual' }], { safety: {} });
      expect(await begun(usual)).toMatchObject({ batchSize: 30, pace: 80, atOnce: 2 });
      expect((await refusedWith(w.admin.makePreview(note(1200, 10, { pace: 91 })))).problems[0]).toMatchObject({
        where: 'safety.pace',
      });
      const r = await begun(note(1200, 30, { atOnce: 3, pace: 90, askAfter: 10 }));
      expect((await refusedWith(w.admin.changeRun(r.id, { atOnce: 4 }))).detail).toContain('up to 3');
      await w.admin.stopRun(r.id);
      expect((await refusedWith(w.admin.changeRun(r.id, { pace: 50 }))).code).toBe('wrong_state');
    } finally {
      await w.admin.setType('bookings', {
        usualBatch: null,
        usualPace: null,
        usualAtOnce: null,
        mostAtOnce: null,
        mostPace: null,
      });
    }
  });

  it('goes at another pace from the next batch on', async () => {
    // At this pace it would take longer than anything here waits.
    const p = await previewed(w.admin, note(1300, 300, { perSecond: 1 }));
    const { id } = await w.admin.startRun({ preview: p.id });
    await until(id, (r) => r.totals.changed > 0);
    expect(await w.admin.changeRun(id, { perSecond: null, atOnce: 4 })).toMatchObject({ perSecond: null, atOnce: 4 });
    expect(await until(id, (r) => r.state === 'finished')).toMatchObject({ totals: { changed: 300 } });
    expect((await w.admin.runLog(id)).find((e) => e.what === 'change')!.words).toBe(
      'Pace changed: 4 at once, as many a second as there is time for',
    );
  });
});
