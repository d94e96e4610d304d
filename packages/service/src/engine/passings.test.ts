import type { JobBody, PreviewView, RunView } from '@tantamos/contract';
import fc from 'fast-check';
import { done, previewed, ran } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

type EditBody = JobBody['edits'][number];

const count = 60;

describe('values that may be there once and pass from record to record', () => {
  const seed = jest.getSeed();
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace();
    await w.sql.query(`
      create table seats (id int primary key, place int unique, code varchar(12) not null unique, tag text not null unique,
        low int unique check (low > 0), other int unique)`);
    w.services.catalogs.refresh();
  });
  afterAll(() => w.close());
  beforeEach(() =>
    w.sql.query(`truncate seats;
      insert into seats select n, n, 'C' || n, 'T' || n, n, n from generate_series(1, ${count}) n`),
  );

  const job = (edits: EditBody[], filter?: string, batchSize = 7): JobBody => ({
    selection: { type: 'seats', ...(filter === undefined ? {} : { filter }) },
    edits,
    safety: { batchSize, pace: 100, atOnce: 2 },
  });
  const started = (p: PreviewView): Promise<RunView> => ran(w.admin, p.id, { expect: p.totals.will_change });
  const places = async (field = 'place'): Promise<unknown[]> =>
    (await w.sql.query(`select ${field} as v from seats order by id`)).rows.map((r: { v: unknown }) => r.v);
  /** Gives each of these records what another has, by key. */
  const moved = (to: Readonly<Record<number, number>>, field = 'place'): EditBody => ({
    kind: 'put',
    field,
    values: Object.fromEntries(Object.entries(to).map(([key, v]) => [key, field === 'place' ? v : `C${v}`])),
  });
  const undone = async (run: string): Promise<void> => {
    const back = await w.admin.undoRun(run, {});
    expect((await started(back)).totals).toMatchObject({ changed: back.totals.will_change, refused: 0 });
  };

  it.each<[string, EditBody, (n: number) => number]>([
    ['up by one', { kind: 'compute', field: 'place', formula: 'place + 1' }, (n) => n + 1],
    ['down by three', { kind: 'compute', field: 'place', formula: 'place - 3' }, (n) => n - 3],
  ])('all of them %s, and back', async (_, edit, expected) => {
    const p = await previewed(w.admin, job([edit]));
    expect(p.totals).toMatchObject({ will_change: count, not_allowed: 0 });
    expect(p.notes.find((n) => n.code === 'one_lane')!.message).toContain('one after another, in one lane');
    const run = await started(p);
    expect(run.totals).toMatchObject({ changed: count, refused: 0 });
    expect(await places()).toEqual(Array.from({ length: count }, (_, i) => expected(i + 1)));
    await undone(run.id);
    expect(await places()).toEqual(Array.from({ length: count }, (_, i) => i + 1));
  });

  it.each(['place', 'code'])('%s of two, of three, and of a batch go round in a circle', async (field) => {
    const to = { 1: 2, 2: 1, 10: 30, 30: 50, 50: 10, 20: 21, 21: 22, 22: 23, 23: 24, 24: 25, 25: 26, 26: 20, 40: 99 };
    const before = await places(field);
    const p = await previewed(w.admin, job([moved(to, field)]));
    expect(p.totals).toMatchObject({ will_change: 13, not_allowed: 0 });
    expect(p.notes.find((n) => n.code === 'one_lane')!.message).toContain('go round in a circle');
    const run = await started(p);
    expect(run.totals).toMatchObject({ changed: 13, refused: 0 });
    const after = [...before];
    for (const [key, v] of Object.entries(to)) after[Number(key) - 1] = field === 'place' ? v : `C${v}`;
    expect(await places(field)).toEqual(after);
    await undone(run.id);
    expect(await places(field)).toEqual(before);
  });

  it('a circle that no batch holds, or that a rule says no to, is told of beforehand', async () => {
    const ring = Object.fromEntries(Array.from({ length: 9 }, (_, i) => [i + 1, ((i + 1) % 9) + 1]));
    const long = await previewed(w.admin, job([moved(ring)]));
    expect(long.causes).toEqual([
      { cause: 'Place: its values go round in a circle of more records than a batch holds.', count: 9 },
    ]);
    expect((await previewed(w.admin, job([moved(ring)], undefined, 9))).totals.will_change).toBe(9);
    const ruled = await previewed(w.admin, job([{ kind: 'put', field: 'low', values: { '1': 2, '2': 1, '3': 100 } }]));
    expect(ruled.causes).toEqual([{ cause: expect.stringContaining('a rule of the database says'), count: 2 }]);
    expect(ruled.totals.will_change).toBe(1);
  });

  it('who waits for a value that is kept after all is not allowed, however far behind', async () => {
    const p = await previewed(w.admin, job([{ kind: 'compute', field: 'place', formula: 'place + 1' }], 'id <= 20'));
    expect(p.totals).toMatchObject({ will_change: 0, not_allowed: 20 });
    expect(p.causes.map((c) => c.count).sort()).toEqual([1, 19]);
    const two = await previewed(
      w.admin,
      job([
        { kind: 'put', field: 'place', values: { '1': 2, '2': 3, '3': 1, '4': 50 } },
        { kind: 'put', field: 'other', values: { '3': 60 } },
      ]),
    );
    // The third keeps its place since it may not have that other value, and so the others theirs.
    expect(two.totals).toMatchObject({ will_change: 0, not_allowed: 4 });
  });

  it('two fields that pass values on at once are refused with what to do', async () => {
    const p = await previewed(
      w.admin,
      job([
        { kind: 'compute', field: 'place', formula: 'place + 1' },
        { kind: 'compute', field: 'other', formula: 'other - 1' },
      ]),
    );
    expect(p.totals.will_change).toBe(0);
    expect(p.causes).toEqual([
      { cause: 'Two fields pass values from record to record: change one after the other.', count },
    ]);
  });

  it('any mapping of places: what the preview says is done, and undone', async () => {
    const target = fc.integer({ min: 1, max: count + 5 });
    await fc.assert(
      fc.asyncProperty(
        fc.dictionary(fc.integer({ min: 1, max: count }).map(String), target, { minKeys: 1, maxKeys: 40 }),
        fc.constantFrom(3, 7, 40),
        async (to, batchSize) => {
          const before = await places();
          const p = await previewed(w.admin, job([{ kind: 'put', field: 'place', values: to }], undefined, batchSize));
          if (p.totals.will_change === 0) return;
          const run = await started(p);
          expect(run.totals).toMatchObject({ changed: p.totals.will_change, refused: 0 });
          await undone(run.id);
          expect(await places()).toEqual(before);
        },
      ),
      { numRuns: 25, seed },
    );
  });

  it('a record of a circle that is changed meanwhile keeps its circle, and no other', async () => {
    const p = await previewed(w.admin, job([moved({ 1: 2, 2: 1, 3: 4, 4: 3, 5: 6, 6: 5 })]));
    await w.sql.query('update seats set place = 77 where id = 3');
    const run = await started(p);
    expect(run.totals).toMatchObject({ changed: 5, edited_since: 1, refused: 0 });
    expect((await places()).slice(0, 6)).toEqual([2, 1, 77, 3, 6, 5]);
  });

  it('and where its value stays in the way, the other is refused', async () => {
    const p = await previewed(w.admin, job([moved({ 1: 2, 2: 1, 3: 4, 4: 3, 5: 6, 6: 5 })]));
    await w.sql.query('update seats set place = 4 where id = 3 and false; delete from seats where id = 4');
    await w.sql.query(`insert into seats select 90, 4, 'C90', 'T90', 90, 90`);
    const run = await started(p);
    expect(run.totals).toMatchObject({ changed: 4, refused: 1, gone: 1 });
    expect(
      await w.sql.query('select place from seats where id in (1, 2, 3, 5, 6) order by id').then((r) => r.rows),
    ).toEqual([2, 1, 3, 6, 5].map((place) => ({ place })));
  });

  it('asked after the first few, no circle is cut', async () => {
    const run = await done(w.admin, {
      ...job([moved({ 1: 2, 2: 1, 3: 4, 4: 3 })]),
      safety: { batchSize: 7, askAfter: 1, pace: 100 },
    });
    expect(run.totals).toMatchObject({ changed: 4, refused: 0 });
  });

  it('a long chain takes its time by what it is, not by its length times itself', async () => {
    await w.sql.query(
      `truncate seats; insert into seats select n, n, 'C' || n, 'T' || n, n, n from generate_series(1, 6000) n`,
    );
    const all = job([{ kind: 'put', field: 'place', values: { '1': 9_000 } }]);
    expect((await previewed(w.admin, all)).totals.will_change).toBe(1);
    // Every second goes up, the others down: no order of values is right for all of them.
    const mixed = await previewed(
      w.admin,
      job(
        [
          {
            kind: 'compute',
            field: 'place',
            formula: 'IF(MOD(place, 2) = 0, place - 2, IF(place = 5999, 6000, place + 2))',
          },
        ],
        undefined,
        500,
      ),
    );
    expect(mixed.totals).toMatchObject({ will_change: 6000 });
    const run = await started(mixed);
    expect(run.totals).toMatchObject({ changed: 6000, refused: 0 });
  });
});
