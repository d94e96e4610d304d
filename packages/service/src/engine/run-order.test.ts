import type { JobBody } from '@tantamos/contract';
import { previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** In which order a run goes about its records, where somebody says it. */
describe('the order of a run', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const job = (order: string[], more: Partial<JobBody> = {}): JobBody => ({
    selection: { type: 'bookings', filter: "status = 'draft' AND region IS NULL" },
    edits: [{ kind: 'set', field: 'note', value: `by ${order.join()}` }],
    safety: { order, batchSize: 20, pace: 100 },
    ...more,
  });
  const column = async <V>(statement: string): Promise<V[]> =>
    (await w.sql.query<{ v: V }>(statement)).rows.map((r) => r.v);

  it('the first are those that come first in it, over paths and downwards, blanks last', async () => {
    const order = ['-start_on', 'grower.name', 'reference'];
    const wanted = await column<string>(
      `select b.id::text as v from bookings b join growers g on g.id = b.grower where b.status = 'draft' and b.region is null
       order by b.start_on desc nulls last, g.name, b.reference, b.id limit 30`,
    );
    const p = await previewed(w.admin, job(order));
    const { records } = await w.admin.previewRecords(p.id, { limit: 30 });
    expect(records.map((r) => r.key)).toEqual(wanted);
    const run = await ran(w.admin, p.id, { askAfter: 30, expect: p.totals.will_change });
    expect(run.state).toBe('waiting_for_you');
    const changed = await column<string>(`select id::text as v from bookings where note = 'by ${order.join()}'`);
    expect([...changed].sort()).toEqual([...wanted].sort());
    await w.admin.stopRun(run.id);
  });

  it('several lanes begin at its beginning, and all of it is done once', async () => {
    const p = await previewed(
      w.admin,
      job(['-price_per_hive'], {
        safety: { order: ['-price_per_hive'], batchSize: 10, atOnce: 2, perGo: 60, pace: 100 },
      }),
    );
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals.changed).toBe(60);
    const dearest = await column<string>(
      `select id::text as v from bookings where status = 'draft' and region is null order by price_per_hive desc nulls last, id limit 60`,
    );
    const changed = await column<string>(`select id::text as v from bookings where note = 'by -price_per_hive'`);
    expect([...changed].sort()).toEqual([...dearest].sort());
    await w.admin.stopRun(run.id);
    const back = await w.admin.undoRun(run.id, {});
    expect((await ran(w.admin, back.id, { askAfter: null, expect: 60 })).totals.changed).toBe(60);
    expect(await column(`select id as v from bookings where note = 'by -price_per_hive'`)).toEqual([]);
  });

  it.each([
    [['nothing'], 'safety.order'],
    [['owner.secret'], 'safety.order'],
    [[''], 'safety.order'],
    [['\u0000'], undefined],
    [Array.from({ length: 11 }, () => 'id'), 'safety.order'],
  ])('%j is refused in words', async (order, where) => {
    const answer = await refusedWith(w.admin.makePreview(job(order)));
    expect(answer.status).toBe(400);
    if (where) expect(answer.problems[0]!.where).toMatch(new RegExp(`^${where}`));
  });

  it('is withheld with the field that it names', async () => {
    const p = await previewed(w.admin, job(['-note'], { edits: [{ kind: 'set', field: 'region', value: 'By note' }] }));
    expect((await w.editor.preview(p.id)).job?.safety?.order).toEqual(['-note']);
    const line = await w.admin.addRight({
      login: 'piers',
      effect: 'deny',
      acts: ['see'],
      types: ['bookings'],
      fields: ['note'],
    });
    try {
      expect(JSON.stringify(await w.editor.preview(p.id))).not.toContain('-note');
    } finally {
      await w.admin.dropRight(line.id);
    }
  });

  it('is of the first part; what is tried again of others alone has none', async () => {
    await w.sql.query(`create function no_x() returns trigger language plpgsql as
      $$ begin if new.subject like 'x%' then raise exception 'No x.'; end if; return new; end $$`);
    await w.sql.query('create trigger no_x before update on tasks for each row execute function no_x()');
    const p = await previewed(w.admin, {
      selection: { type: 'bookings', filter: 'id <= 40' },
      edits: [{ kind: 'set', field: 'note', value: 'first' }],
      then: [
        { selection: { type: 'tasks', filter: 'id <= 20' }, edits: [{ kind: 'set', field: 'subject', value: 'x' }] },
      ],
      safety: { order: ['-start_on'], pace: 100 },
    });
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals.refused).toBe(20);
    const again = await w.admin.retryRun(run.id, {});
    expect(again.totals.matched).toBe(20);
  });
});
