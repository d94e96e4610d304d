import { previewed, ran, rested } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

const rows = 40;
const batchSize = 10;

/** Batches whose records are proved all together, and written without a look at each. */
describe('a batch that proves itself', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  let tables = 0;
  /** Records 1 to 40; every third has no shade. Autovacuum would give places away at times of its own. */
  const table = async (): Promise<string> => {
    const name = `proved_${++tables}`;
    await w.sql
      .query(`create table ${name} (id integer primary key, kind integer not null, price numeric(8,2), shade text,
        code text, unread text) with (autovacuum_enabled = off);
      insert into ${name} select n, n % 4, n * 1.5, case when n % 3 > 0 then 'Shade ' || n end, 'C' || n
        from generate_series(1, ${rows}) n`);
    w.services.catalogs.refresh();
    return name;
  };
  const job = (type: string) => ({
    selection: { type, filter: 'price > 1' },
    edits: [
      { kind: 'set' as const, field: 'kind', value: '9' },
      { kind: 'fill' as const, field: 'shade', value: 'plain' },
      { kind: 'clear' as const, field: 'code' },
    ],
    safety: { batchSize, pace: 100 },
  });
  const read = async (type: string) =>
    (
      await w.sql.query<{ id: number; kind: number; shade: string | null; code: string | null }>(
        `select id, kind, shade, code from ${type} order by id`,
      )
    ).rows;
  /** As the job is to leave the record. */
  const done = (id: number) => ({ id, kind: 9, shade: id % 3 > 0 ? `Shade ${id}` : 'plain', code: null });
  const all = Array.from({ length: rows }, (_, i) => i + 1);
  const outcomesOf = async (run: string) =>
    new Map((await w.admin.runRecords(run, { limit: 500 })).records.map((r) => [Number(r.key), r.outcome]));
  /** What becomes of the records when the database is meddled with between the preview and the run. */
  const meddled = async (by: string) => {
    const type = await table();
    const p = await previewed(w.admin, job(type));
    expect(p.totals).toMatchObject({ matched: rows, will_change: rows });
    await w.sql.query(by.replaceAll('{t}', type));
    const run = await ran(w.admin, p.id, { askAfter: null, expect: rows });
    expect(run.state).toBe('finished');
    return { run, now: await read(type), outcomes: await outcomesOf(run.id) };
  };
  const proofs = async (preview: string) =>
    (
      await w.sql.query<{ n: number; proved: number }>(
        'select count(*)::int as n, count(proof)::int as proved from tantamos.batch_place where preview = $1',
        [preview],
      )
    ).rows[0];

  it.each([
    ['all of whose records change', ''],
    [
      'of which some records are right already',
      "update {t} set kind = 9, shade = 'as it is', code = null where id % 5 = 0",
    ],
  ])('is written without a look at what is frozen of each record: one %s', async (_, before) => {
    const type = await table();
    await w.sql.query(before.replaceAll('{t}', type));
    const right = (await read(type)).filter((r) => r.kind === 9);
    const [first, ...others] = job(type).edits;
    const p = await previewed(w.admin, {
      ...job(type),
      edits: [{ ...first!, where: "price > 2 OR code IN ('C1')" }, ...others],
    });
    expect(await proofs(p.id)).toEqual({ n: 4, proved: 4 });
    // Other ways of writing a batch find no new values, and so no record.
    await w.sql.query('delete from tantamos.batch_value where preview = $1', [p.id]);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: rows - right.length });
    expect(run.totals).toMatchObject({ changed: rows - right.length, already_right: right.length });
    expect(await read(type)).toEqual(all.map((id) => right.find((r) => r.id === id) ?? done(id)));
  });

  it('is proved of every kind of field', async () => {
    await w.sql.query(`create type proved_mood as enum ('calm', 'late');
      create table kinds_proved (id uuid, at date, primary key (id, at), mood proved_mood, small smallint, money numeric(12,2), exact numeric,
        ratio double precision, single real, padded char(6), yes boolean, clock timestamp, moment timestamptz, token uuid, data jsonb);
      insert into kinds_proved select gen_random_uuid(), date '2026-01-01' + n, 'calm', n, n / 3.0, n / 7.0, case when n % 2 = 0 then -0.0 else n / 3.0 end,
        n / 3.0, 'p' || n, false, now(), now(), gen_random_uuid(), jsonb_build_object('n', n) from generate_series(1, ${rows}) n`);
    w.services.catalogs.refresh();
    const values = {
      ...{
        mood: 'late',
        small: '-7',
        money: '7.25',
        exact: '0.12345678901234567890',
        ratio: '0.1',
        single: '0.1',
        padded: 'ab',
      },
      ...{ yes: 'true', clock: '2027-02-28 10:00:00.25', moment: '2027-02-28T10:00:00.25Z', data: '{"k":1.50}' },
      token: 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11',
    };
    const p = await previewed(w.admin, {
      selection: { type: 'kinds_proved' },
      edits: Object.entries(values).map(([field, value]) => ({ kind: 'set' as const, field, value })),
      safety: { batchSize, pace: 100 },
    });
    expect(await proofs(p.id)).toEqual({ n: 4, proved: 4 });
    const frozen = await w.sql.query<{ field: string; value: string }>(
      'select field, min(new[1]) as value from tantamos.batch_value where preview = $1 group by 1 order by 1',
      [p.id],
    );
    await w.sql.query('delete from tantamos.batch_value where preview = $1', [p.id]);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: rows });
    expect(run.totals.changed).toBe(rows);
    for (const { field, value } of frozen.rows) {
      const { rows: now } = await w.sql.query(`select distinct ${field}::text as value from kinds_proved`);
      if (field !== 'clock' && field !== 'moment') expect([field, now]).toEqual([field, [{ value }]]);
      else expect([field, now.length]).toEqual([field, 1]);
    }
  });

  it('gives records to another person without a look at each', async () => {
    await w.sql.query(`create table chores (id integer primary key, owner integer references staff);
      insert into chores select n, (select max(id) from staff) from generate_series(1, ${rows}) n`);
    await w.admin.setType('staff', { refusesInactive: true });
    w.services.catalogs.refresh();
    const p = await previewed(w.admin, {
      selection: { type: 'chores' },
      edits: [{ kind: 'set', field: 'owner', value: 'Ines Calloway' }],
      safety: { batchSize, pace: 100 },
    });
    expect(await proofs(p.id)).toEqual({ n: 4, proved: 4 });
    await w.sql.query('delete from tantamos.batch_value where preview = $1', [p.id]);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: rows });
    expect(run.totals.changed).toBe(rows);
    const owners = await w.sql.query(
      'select s.name, count(*)::int as n from chores c join staff s on s.id = c.owner group by 1',
    );
    expect(owners.rows).toEqual([{ name: 'Ines Calloway', n: rows }]);
  });

  it.each([
    ['of each record', 'plain'],
    ['of all of them', '9'],
  ])('writes what was frozen %s, not what would be worked out by now', async (_, value) => {
    const type = await table();
    const p = await previewed(w.admin, job(type));
    await w.sql.query(
      `update tantamos.preview set work_order = replace(work_order::text, $2, $3)::jsonb where id = $1`,
      [p.id, `"${value}"`, '"8"'],
    );
    const run = await ran(w.admin, p.id, { askAfter: null, expect: rows });
    expect(run.totals).toMatchObject({ changed: rows });
    expect(await read(type)).toEqual(all.map(done));
  });

  it.each([
    ['another value', "update {t} set shade = 'mine' where id = 14", [14]],
    ['a blank filled', "update {t} set shade = 'mine' where id = 15", [15]],
    [
      'values of two records in each other’s place',
      'update {t} set price = 37.5 - price where id in (12, 13)',
      [12, 13],
    ],
    [
      'one read value up and another down',
      'update {t} set price = price + (case id when 12 then 1 else -1 end) where id in (12, 13)',
      [12, 13],
    ],
    ['one record in each batch', "update {t} set code = 'mine' where id % 10 = 1", [1, 11, 21, 31]],
  ])('finds %s', async (_, by, edited) => {
    const { run, now, outcomes } = await meddled(by);
    expect(run.totals).toMatchObject({ changed: rows - edited.length, edited_since: edited.length });
    for (const id of edited) expect([id, outcomes.get(id)]).toEqual([id, 'edited_since']);
    const others = all.filter((id) => !edited.includes(id));
    expect(now.filter((r) => others.includes(r.id))).toEqual(others.map(done));
    expect(now.filter((r) => edited.includes(r.id)).every((r) => r.kind < 4)).toBe(true);
  });

  it('finds records that are gone, and leaves alone what stands in their place by now', async () => {
    const type = await table();
    const p = await previewed(w.admin, job(type));
    const place = async (id: number) =>
      (await w.sql.query<{ place: string }>(`select ctid::text as place from ${type} where id = $1`, [id])).rows[0]!
        .place;
    const before = await place(40);
    await w.sql.query(`delete from ${type} where id = 40`);
    await w.sql.query(`vacuum (index_cleanup on) ${type}`);
    // All that the job reads is the same but for the key.
    await w.sql.query(`insert into ${type} values (99, 0, 60, 'Shade 40', 'C40')`);
    expect(await place(99)).toBe(before);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: rows });
    expect(run.totals).toMatchObject({ changed: rows - 1, gone: 1 });
    expect((await read(type)).at(-1)).toEqual({ id: 99, kind: 0, shade: 'Shade 40', code: 'C40' });
  });

  it('is written all the same where its records have been moved by a change of what nobody reads', async () => {
    const { run, now } = await meddled("update {t} set unread = 'x' where id % 10 = 5");
    expect(run.totals).toMatchObject({ changed: rows });
    expect(now).toEqual(all.map(done));
  });

  it('loses to whoever is changing a record meanwhile', async () => {
    const type = await table();
    const p = await previewed(w.admin, job(type));
    const other = await w.sql.connect();
    try {
      await other.query(`begin; update ${type} set shade = 'mine' where id = 15`);
      const run = await w.admin.startRun({ preview: p.id, askAfter: null, expect: rows });
      while ((await w.admin.run(run.id)).totals.changed < rows - 1) await new Promise((wait) => setTimeout(wait, 20));
      await other.query('commit');
      for await (const now of w.admin.runEvents(run.id))
        if (now.state === 'finished') expect(now.totals).toMatchObject({ changed: rows - 1, edited_since: 1 });
      expect((await read(type))[14]).toMatchObject({ kind: 3, shade: 'mine' });
    } finally {
      await other.query('rollback').catch(() => {});
      other.release();
    }
  });

  it('loses nothing of what others write into its records at the same time', async () => {
    const many = 6000;
    await w.sql
      .query(`create table counters (id integer primary key, kind integer not null, times integer not null default 0);
      insert into counters select n, 1 from generate_series(1, ${many}) n`);
    w.services.catalogs.refresh();
    const p = await previewed(w.admin, {
      selection: { type: 'counters' },
      edits: [{ kind: 'set', field: 'kind', value: '2' }],
      safety: { batchSize: 300, pace: 100, atOnce: 2 },
    });
    const run = await w.admin.startRun({ preview: p.id, askAfter: null, expect: many });
    let over = false;
    let written = 0;
    const writer = async (seed: number): Promise<void> => {
      for (let n = seed; !over; n = (n * 7919 + 1) % many) {
        await w.sql.query('update counters set times = times + 1 where id = $1', [n + 1]);
        written++;
      }
    };
    const writers = [writer(1), writer(2)];
    const now = await rested(w.admin, run.id);
    over = true;
    await Promise.all(writers);
    expect(now.totals).toMatchObject({ changed: many });
    expect(written).toBeGreaterThan(10);
    const { rows: sums } = await w.sql.query('select sum(times)::int as times, sum(kind)::int as kinds from counters');
    expect(sums[0]).toEqual({ times: written, kinds: 2 * many });
  });

  it.each([
    ['worked out by a formula', [{ kind: 'compute', field: 'shade', formula: "CONCATENATE('No. ', TEXT(id))" }]],
    ['given for each record', [{ kind: 'put', field: 'shade', values: { '1': 'one', '2': 'two' } }]],
    // Its work would be done again while others wait for the records.
    ['given by a test that takes its time', [{ kind: 'set', field: 'shade', value: 'x', where: "code LIKE '%1%'" }]],
  ] as const)('is none of values that are %s', async (_, edits) => {
    const type = await table();
    const p = await previewed(w.admin, { ...job(type), edits: edits });
    expect((await proofs(p.id))!.proved).toBe(0);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals.changed).toBe(p.totals.will_change);
  });
});
