import { done, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** What the database does to a table between a preview and the end of its run. */
describe('policies and rules of the database', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace({ template: 'blank_template' })));
  afterAll(() => w.close());
  beforeEach(async () => {
    await w.sql.query(`
      drop table if exists parcels cascade;
      create table parcels (id integer primary key, name text, note text);
      insert into parcels select n, 'parcel ' || n, null from generate_series(1, 200) n;`);
    w.services.catalogs.refresh();
  });
  const set = (more = {}) => ({
    selection: { type: 'parcels' },
    edits: [{ kind: 'set' as const, field: 'note', value: 'x' }],
    safety: { batchSize: 10, pace: 100, ...more },
  });

  it('a policy for deletes is asked in the preview, as one for updates is', async () => {
    await w.sql.query(`
      alter table parcels enable row level security;
      create policy see on parcels for select using (true);
      create policy change on parcels for update using (true);
      create policy remove on parcels for delete using (id > 150);`);
    w.services.catalogs.refresh();
    const p = await previewed(w.admin, {
      selection: { type: 'parcels' },
      edits: [],
      act: 'delete',
      safety: { pace: 100 },
    });
    expect(p.totals).toMatchObject({ will_change: 50, not_allowed: 150 });
    expect(p.causes).toEqual([
      { cause: 'A row rule of the database does not let this record be deleted.', count: 150 },
    ]);
    expect((await ran(w.admin, p.id, { askAfter: null, expect: 50 })).totals).toMatchObject({ changed: 50 });
    expect((await done(w.admin, set())).totals).toMatchObject({ changed: 150 });
  });

  it('a rule made while a run works pauses it with the reason, as one made before keeps it from starting', async () => {
    const p = await previewed(w.admin, set({ perSecond: 20 }));
    const { id } = await w.admin.startRun({ preview: p.id, askAfter: null, expect: 200 });
    for await (const now of w.admin.runEvents(id)) if (now.totals.changed > 0) break;
    await w.sql.query('create rule nothing as on update to parcels do instead nothing');
    await w.admin.changeRun(id, { perSecond: null });
    let run = await w.admin.run(id);
    for await (const now of w.admin.runEvents(id)) if ((run = now).state === 'paused') break;
    expect(run).toMatchObject({ state: 'paused', reason: expect.stringContaining('nothing') });
    expect(run.totals.refused).toBe(0);
    const written = await w.sql.query(`select from parcels where note = 'x'`);
    expect(written.rowCount).toBe(run.totals.changed);
    await w.sql.query('drop rule nothing on parcels');
    w.services.catalogs.refresh();
    await w.admin.continueRun(id);
    for await (const now of w.admin.runEvents(id)) if ((run = now).state === 'finished') break;
    expect(run.totals).toMatchObject({ changed: 200, refused: 0 });
  });

  it('a preview that was started cannot be discarded, and says which run it became', async () => {
    const p = await previewed(w.admin, set());
    await ran(w.admin, p.id, { askAfter: null, expect: 200 });
    const problem = await refusedWith(w.admin.dropPreview(p.id));
    expect(problem).toMatchObject({ code: 'preview_started', detail: expect.stringMatching(/as run \w{8}/) });
    const other = await previewed(w.admin, { ...set(), edits: [{ kind: 'clear', field: 'note' }] });
    await w.admin.dropPreview(other.id);
    expect((await w.admin.preview(other.id)).state).toBe('cancelled');
  });
});
