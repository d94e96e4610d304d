import { isMoving } from '@tantamos/core';
import { previewed, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('a run whose database has trouble', () => {
  let w: Workspace;
  let name: string;
  beforeAll(async () => {
    w = await openWorkspace();
    name = new URL(w.url).pathname.slice(1);
  });
  afterAll(() => w.close());

  const hives = (field: string, value: string) => ({
    selection: { type: 'hives' },
    edits: [{ kind: 'set' as const, field, value }],
    safety: { batchSize: 100, pace: 40 },
  });
  const cutConnections = () =>
    w.sql.query(
      `select pg_terminate_backend(pid) from pg_stat_activity where application_name like 'tantamos%' and datname = current_database()`,
    );
  const started = async (field: string, value: string): Promise<string> => {
    const p = await previewed(w.admin, hives(field, value));
    return (await w.admin.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change })).id;
  };
  const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));
  /** Asks again while the service itself is cut off. */
  const run = async (id: string) => {
    for (;;) {
      const found = await w.admin.run(id).catch(() => null);
      if (found) return found;
      await wait(100);
    }
  };
  const finished = async (id: string) => {
    let r = await run(id);
    while (isMoving(r.state)) {
      await wait(150);
      r = await run(id);
    }
    return r;
  };

  it('goes on by itself when its connections are cut, and changes every record once', async () => {
    const id = await started('strength', '3');
    for (let i = 0; i < 4; i++) {
      await wait(120);
      await cutConnections();
    }
    const r = await finished(id);
    expect(r.state).toBe('finished');
    expect(r.totals.changed + r.totals.already_right).toBe(20_000);
    expect((await w.sql.query('select count(*)::int as n from hives where strength <> 3')).rows[0].n).toBe(0);
  });

  it('waits while the database is read-only, says why, and goes on when it takes changes again', async () => {
    const id = await started('strength', '4');
    await wait(150);
    await w.sql.query(`alter database ${name} set default_transaction_read_only = on`);
    await cutConnections();
    let r = await run(id);
    for (let i = 0; i < 100 && !r.reason?.includes('read-only'); i++) {
      await wait(100);
      r = await run(id);
    }
    expect(r).toMatchObject({ state: 'running', reason: expect.stringContaining('read-only') });
    await w.sql.query(`begin read write; alter database ${name} reset default_transaction_read_only; commit`);
    // Everybody's: those opened meanwhile are read-only for good.
    await w.sql.query(
      'select pg_terminate_backend(pid) from pg_stat_activity where datname = current_database() and pid <> pg_backend_pid()',
    );
    await w.sql.query('set default_transaction_read_only = off');
    r = await finished(id);
    expect(r).toMatchObject({ state: 'finished', totals: { not_yet: 0 } });
    expect((await w.sql.query('select count(*)::int as n from hives where strength <> 4')).rows[0].n).toBe(0);
  });

  it('pauses with the reason when a field it writes has been taken away, and is done no harm', async () => {
    await w.sql.query('alter table hives add column colour text');
    w.services.catalogs.refresh();
    const p = await previewed(w.admin, hives('colour', 'green'));
    await w.sql.query('alter table hives drop column colour');
    w.services.catalogs.refresh();
    const { id } = await w.admin.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change });
    const r = await finished(id);
    expect(r).toMatchObject({
      state: 'paused',
      reason: expect.stringContaining('It cannot go on'),
      totals: { changed: 0 },
    });
    expect((await w.admin.stopRun(id)).state).toBe('stopped');
  });

  it('works a large type out range by range, in order, and can be cancelled half way', async () => {
    await w.sql.query(`create table parts (id bigint primary key, name text, size int)`);
    await w.sql.query(`insert into parts select n * 3, 'part ' || n, n % 10 from generate_series(-60000, 260000) n`);
    await w.sql.query(`create table tags (id uuid primary key, name text)`);
    await w.sql.query(`insert into tags select md5(n::text)::uuid, 'tag' from generate_series(1, 220000) n`);
    await w.sql.query('analyze parts; analyze tags');
    w.services.catalogs.refresh();
    const job = {
      selection: { type: 'parts', filter: 'size = 3' },
      edits: [{ kind: 'set' as const, field: 'name', value: 'three' }],
    };
    const p = await previewed(w.admin, job);
    const { rows } = await w.sql.query(
      `select array_agg(k::bigint order by b.position, u.n) as keys, max(size) as largest from tantamos.batch b, unnest(b.keys) with ordinality u(k, n) where preview = $1`,
      [p.id],
    );
    const expected = await w.sql.query('select array_agg(id order by id) as keys from parts where size = 3');
    expect(rows[0].keys).toEqual(expected.rows[0].keys);
    expect(rows[0].largest).toBe(5000);
    expect(p.totals.matched).toBe(expected.rows[0].keys.length);

    const all = await w.admin.makePreview({
      selection: { type: 'tags' },
      edits: [{ kind: 'set', field: 'name', value: 'new' }],
    });
    if (all.state === 'working') await w.admin.dropPreview(all.id);
    const settled = await w.admin.preview(all.id);
    expect(['cancelled', 'ready']).toContain(settled.state);
    if (settled.state === 'cancelled') {
      // It may have been ready just before it was withdrawn; of one that was not, nothing is left.
      const left = await w.sql.query(
        'select from tantamos.batch b join tantamos.preview p on p.id = b.preview where p.id = $1 and ready_at is null',
        [all.id],
      );
      expect(left.rowCount).toBe(0);
      expect(await refusedWith(w.admin.startRun({ preview: all.id, expect: 1 }))).toMatchObject({
        code: 'preview_cancelled',
      });
    }
    const again = await previewed(w.admin, {
      selection: { type: 'tags' },
      edits: [{ kind: 'set', field: 'name', value: 'new' }],
    });
    expect(again.totals.will_change).toBe(220_000);
    const distinct = await w.sql.query(
      `select count(distinct k)::int as n from tantamos.batch b, unnest(b.keys) k where preview = $1`,
      [again.id],
    );
    expect(distinct.rows[0].n).toBe(220_000);
  });

  const leave = async (tries: number, sentence: string) => {
    const job = {
      selection: { type: 'hives', keys: ['1', '2'] },
      edits: [{ kind: 'set', field: 'strength', value: '7' }],
      why: sentence,
    };
    await w.sql.query(
      `with made as (
         insert into tantamos.preview (kind, type, job, work_order, sentence, made_by, batch_size, expires_at)
         select 'edit', 'hives', $1, '{"form":1,"env":{"timeZone":"UTC","now":"0"},"parts":[]}', $2, id, 10, now() + interval '1 day'
         from tantamos.account where login = 'sorrel' returning id)
       insert into tantamos.preview_work (preview, tries, lease_until) select id, $3, now() - interval '1 second' from made`,
      [job, sentence, tries],
    );
  };
  const left = async (sentence: string) =>
    (
      await w.sql.query(`select id, state, trouble from tantamos.preview where sentence like $1 or job::text like $1`, [
        `%${sentence}%`,
      ])
    ).rows[0] as { id: string; state: string; trouble: string | null };

  it('takes up a preview whose process died, and works it out from the beginning', async () => {
    await leave(1, 'left behind');
    const { id } = await left('left behind');
    let last;
    for await (const p of w.admin.previewEvents(id)) last = p;
    expect(last).toMatchObject({ state: 'ready', totals: { matched: 2, will_change: 2 } });
  });

  it('fails one that process after process died over', async () => {
    await leave(3, 'too hard');
    const { id } = await left('too hard');
    let last;
    for await (const p of w.admin.previewEvents(id)) last = p;
    expect(last).toMatchObject({ state: 'failed', trouble: expect.stringContaining('again and again') });
  });
});
