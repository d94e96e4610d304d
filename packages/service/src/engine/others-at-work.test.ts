import type { Totals } from '@tantamos/core';
import { done, onBookings, previewed, ran, refusedWith, rested } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('a run beside other people’s work', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const note = (value: string) => [{ kind: 'set', field: 'note', value }] as const;
  const noteOf = async (id: number) =>
    (await w.sql.query('select note from bookings where id = $1', [id])).rows[0]?.note;
  const outcomeOf = async (run: string, key: number) =>
    (await w.admin.runRecords(run, { limit: 500 })).records.find((r) => r.key === String(key))?.outcome;
  const sum = ({ matched, ...rest }: Totals) => [matched, Object.values(rest).reduce((a, b) => a + b, 0)];

  it('leaves a record that was edited since the preview as its editor left it', async () => {
    const p = await previewed(w.admin, onBookings([1, 2, 3], [...note('ours')]));
    await w.sql.query(`update bookings set note = 'theirs' where id = 2`);
    const run = await ran(w.admin, p.id);
    expect(run.totals).toMatchObject({ matched: 3, changed: 2, edited_since: 1 });
    expect(await noteOf(2)).toBe('theirs');
    expect(await outcomeOf(run.id, 2)).toBe('edited_since');
  });

  it('also when the value was read through a path, in the filter', async () => {
    await w.sql.query(`update growers set note = 'vip' where id = (select grower from bookings where id = 11)`);
    const job = {
      selection: { type: 'bookings', keys: ['11', '12'], filter: "grower.note = 'vip' OR id = 12" },
      edits: [...note('for vips')],
      safety: { pace: 100 },
    };
    const p = await previewed(w.admin, job);
    expect(p.totals.will_change).toBe(2);
    await w.sql.query(`update growers set note = 'no longer' where note = 'vip'`);
    const run = await ran(w.admin, p.id);
    expect(await outcomeOf(run.id, 11)).toBe('edited_since');
    expect(await outcomeOf(run.id, 12)).toBe('changed');
    expect(await noteOf(11)).not.toBe('for vips');
  });

  it('does not mind a change of a value the job neither read nor writes', async () => {
    const p = await previewed(w.admin, onBookings([21], [...note('mine')]));
    await w.sql.query(`update bookings set hives = hives + 1 where id = 21`);
    expect((await ran(w.admin, p.id)).totals.changed).toBe(1);
  });

  it('reports a deleted record as gone', async () => {
    await w.sql.query(
      `insert into listings (id, slug, crop, valley, headline) select 9001, 'x', crop, valley, 'x' from listings where false`,
    );
    await w.sql.query(
      `insert into staff (id, name, email, role) values (9001, 'Short Stay', 'short@meadowline.example', 'office')`,
    );
    const p = await previewed(w.admin, {
      selection: { type: 'staff', keys: ['9001', '7'] },
      edits: [{ kind: 'set', field: 'role', value: 'finance' }],
    });
    await w.sql.query('delete from staff where id = 9001');
    const run = await ran(w.admin, p.id);
    expect(run.totals).toMatchObject({ matched: 2, changed: 1, gone: 1 });
  });

  it('is not held up by a locked record: the rest goes on, and in the end it is in use', async () => {
    const keys = Array.from({ length: 300 }, (_, i) => 1000 + i);
    const p = await previewed(
      w.admin,
      onBookings(keys, [...note('all of them')], { safety: { batchSize: 50, pace: 100 } }),
    );
    const other = await w.sql.connect();
    try {
      await other.query('begin');
      await other.query('select from bookings where id = 1010 for update');
      const run = await ran(w.admin, p.id);
      expect(run).toMatchObject({ state: 'finished', totals: { changed: 299, in_use: 1, not_yet: 0 } });
      expect(await outcomeOf(run.id, 1010)).toBe('in_use');
      const retry = await w.admin.retryRun(run.id, {});
      await other.query('rollback');
      expect((await ran(w.admin, retry.id)).totals).toMatchObject({ matched: 1, changed: 1 });
    } finally {
      await other.query('rollback');
      other.release();
    }
  });

  it('changes a record that is let go in time', async () => {
    const p = await previewed(w.admin, onBookings([1500, 1501], [...note('patient')]));
    const other = await w.sql.connect();
    await other.query('begin');
    await other.query('select from bookings where id = 1500 for update');
    setTimeout(() => void other.query('rollback').then(() => other.release()), 250);
    expect((await ran(w.admin, p.id)).totals).toMatchObject({ changed: 2, in_use: 0 });
  });

  it('isolates refused records, with the database’s own reason, and changes the rest of the batch', async () => {
    const keys = Array.from({ length: 20 }, (_, i) => 2000 + i);
    await w.sql.query(`create function refuse_some() returns trigger language plpgsql as $$ begin
      if new.id in (2003, 2017) then raise exception 'Booking % is under seal', new.id; end if; return new; end $$`);
    await w.sql.query(
      `create trigger sealed before update on bookings for each row when (new.note = 'sealed?') execute function refuse_some()`,
    );
    const run = await done(w.admin, onBookings(keys, [...note('sealed?')]));
    expect(run.totals).toMatchObject({ matched: 20, changed: 18, refused: 2 });
    const refused = (await w.admin.runRecords(run.id, { outcome: 'refused' })).records;
    expect(refused.map((r) => [r.key, r.cause])).toEqual([
      ['2003', 'Booking 2003 is under seal'],
      ['2017', 'Booking 2017 is under seal'],
    ]);

    // A value that was free when it was previewed, and is somebody else's now.
    const p = await previewed(
      w.admin,
      onBookings([2001, 2002], [{ kind: 'compute', field: 'reference', formula: "IF(id = 2001, 'B-NEW', 'B-OTHER')" }]),
    );
    await w.sql.query(`update bookings set reference = 'B-NEW' where id = 2000`);
    const taken = await ran(w.admin, p.id, { askAfter: null, expect: 2 });
    expect(taken.totals).toMatchObject({ changed: 1, refused: 1 });
    expect((await w.admin.runRecords(taken.id, { outcome: 'refused' })).records[0]!.cause).toBe(
      'Another record already has Reference “B-NEW”.',
    );
  });

  it('journals what a trigger made of the value, and undo puts the old one back', async () => {
    await w.sql.query(
      `create function shout() returns trigger language plpgsql as $$ begin new.note := upper(new.note); return new; end $$`,
    );
    await w.sql.query(
      `create trigger shouting before update on bookings for each row when (new.note = 'loud') execute function shout()`,
    );
    const old = await noteOf(2100);
    const run = await done(w.admin, onBookings([2100], [...note('loud')]));
    expect(await noteOf(2100)).toBe('LOUD');
    expect((await w.admin.runRecords(run.id, {})).records[0]!.changes[0]!.new.value).toBe('LOUD');
    const undo = await w.admin.undoRun(run.id, {});
    expect(undo.totals.will_change).toBe(1);
    await ran(w.admin, undo.id);
    expect(await noteOf(2100)).toBe(old);
  });

  it('does not take back what somebody has changed since', async () => {
    const run = await done(w.admin, onBookings([2200, 2201], [...note('first')]));
    await w.sql.query(`update bookings set note = 'second' where id = 2201`);
    const undo = await w.admin.undoRun(run.id, {});
    expect(undo.totals).toMatchObject({ matched: 2, will_change: 1, edited_since: 1 });
    await ran(w.admin, undo.id);
    expect(await noteOf(2201)).toBe('second');
  });

  it('pauses, goes on and stops at batch borders, and always adds up', async () => {
    const job = {
      selection: { type: 'hives' },
      edits: [{ kind: 'set', field: 'strength', value: '5' }] as const,
      safety: { batchSize: 200, pace: 20 },
    };
    const p = await previewed(w.admin, { ...job, edits: [...job.edits] });
    const { id } = await w.admin.startRun({ preview: p.id, expect: p.totals.will_change });
    while ((await w.admin.run(id)).totals.changed === 0) await new Promise((resolve) => setTimeout(resolve, 20));
    const paused = await w.admin.pauseRun(id);
    expect(paused.state).toBe('paused');
    await new Promise((resolve) => setTimeout(resolve, 400));
    const still = await w.admin.run(id);
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect((await w.admin.run(id)).totals).toEqual(still.totals);
    expect(still.totals.changed).toBeGreaterThan(0);
    expect(still.totals.not_yet).toBeGreaterThan(0);
    expect(sum(still.totals)[0]).toBe(sum(still.totals)[1]);
    await w.admin.continueRun(id);
    const stopped = await w.admin.stopRun(id);
    expect(stopped.state).toBe('stopped');
    const last = await rested(w.admin, id);
    expect(sum(last.totals)[0]).toBe(sum(last.totals)[1]);
    expect(await refusedWith(w.admin.continueRun(id))).toMatchObject({ status: 409, code: 'wrong_state' });
  });

  it('asks after a first N that ends inside a batch, at its border, or beyond the end', async () => {
    const keys = Array.from({ length: 30 }, (_, i) => 3000 + i);
    for (const [askAfter, sizes] of [
      [5, [5, 5, 10, 10]],
      [10, [10, 10, 10]],
      [15, [10, 5, 5, 10]],
    ] as const) {
      const p = await previewed(
        w.admin,
        onBookings(keys, [...note(`ask ${askAfter}`)], { safety: { batchSize: 10, pace: 100 } }),
      );
      const run = await ran(w.admin, p.id, { askAfter });
      expect(run).toMatchObject({ state: 'waiting_for_you', totals: { changed: askAfter } });
      expect((await w.admin.runBatches(run.id)).map((b) => b.size)).toEqual(sizes);
      await w.admin.continueRun(run.id);
      expect((await rested(w.admin, run.id)).totals.changed).toBe(30);
    }
    const p = await previewed(w.admin, onBookings(keys, [...note('beyond')]));
    expect((await ran(w.admin, p.id, { askAfter: 31 })).state).toBe('finished');
  });

  it('works in two lanes to the same end as in one', async () => {
    const job = {
      selection: { type: 'contacts' },
      edits: [{ kind: 'fill', field: 'mail_preference', value: 'all' }] as const,
      safety: { batchSize: 100, atOnce: 2, pace: 100 },
    };
    const run = await done(w.admin, { ...job, edits: [...job.edits] });
    expect(run).toMatchObject({ state: 'finished', atOnce: 2 });
    const blank = await w.sql.query('select count(*)::int as n from contacts where mail_preference is null');
    expect(blank.rows[0].n).toBe(0);
    expect(sum(run.totals)[0]).toBe(sum(run.totals)[1]);
  });
});

describe('a run whose pace nobody has said', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace({ patience: { tries: 4, firstWait: 100 } })));
  afterAll(() => w.close());

  it('gives way while others write, says so, and goes on for who says how fast', async () => {
    const p = await previewed(w.admin, {
      selection: { type: 'bookings', filter: 'id >= 4000 AND id < 4600' },
      edits: [{ kind: 'set', field: 'note', value: 'politely' }],
      safety: { batchSize: 20 },
    });
    let isWriting = true;
    const desk = (async () => {
      while (isWriting) {
        await w.sql.query(`update staff set email = email where id = 1`);
        await new Promise((resolve) => setTimeout(resolve, 4));
      }
    })();
    const begun = Date.now();
    const { id } = await w.admin.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change });
    let run = await w.admin.run(id);
    while (!run.givesWay && Date.now() - begun < 20_000) run = await w.admin.run(id);
    expect(run).toMatchObject({ givesWay: true, state: 'running', pace: null });
    isWriting = false;
    await desk;
    // Others on the server may go on: who is in a hurry says so, and it gives way no more.
    expect(await w.admin.changeRun(id, { pace: 100 })).toMatchObject({ pace: 100, givesWay: false });
    const over = await rested(w.admin, id);
    expect(over).toMatchObject({ state: 'finished', givesWay: false });
    expect(over.totals.changed).toBe(p.totals.will_change);
    // Who says how fast it is to go is heeded, whatever others do.
    const q = await previewed(w.admin, {
      selection: { type: 'bookings', filter: 'id >= 4000 AND id < 4600' },
      edits: [{ kind: 'set', field: 'note', value: 'in a hurry' }],
      safety: { batchSize: 20, pace: 100, perGo: 300 },
    });
    const fast = await w.admin.startRun({ preview: q.id, askAfter: null, expect: q.totals.will_change });
    expect(await w.admin.changeRun(fast.id, { pace: null })).toMatchObject({ pace: null });
    expect((await w.admin.runLog(fast.id)).map((e) => e.words)).toContainEqual(
      expect.stringContaining('less while others write'),
    );
    expect(await w.admin.changeRun(fast.id, { pace: 70 })).toMatchObject({ pace: 70 });
    await rested(w.admin, fast.id);
    await w.admin.stopRun(fast.id);
  });
});
