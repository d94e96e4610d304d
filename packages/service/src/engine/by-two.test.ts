import type { JobBody, PreviewView } from '@tantamos/contract';
import { done, previewed } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

const rows = 120_000;

describe('a preview that two connections work on', () => {
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace();
    await w.sql
      .query(`create table crates (id int primary key, kind int not null, shade text, code text, made timestamptz not null);
      insert into crates select n, n % 40, case when n % 3 = 0 then E'a\\tb\\\\' || n end, null, now() from generate_series(1, ${rows}) n;
      analyze crates`);
    w.services.catalogs.refresh();
  });
  afterAll(() => w.close());

  const job = (prefix: string) => ({
    selection: { type: 'crates', filter: 'kind <> 7' },
    edits: [
      { kind: 'compute', field: 'shade', formula: "CONCATENATE('shade ', TEXT(kind))" },
      { kind: 'number', field: 'code', prefix, width: 7, order: ['-id'] },
    ] as const,
    safety: { batchSize: 700 },
  });
  const matched = (rows * 39) / 40;
  const frozen = async (preview: string) =>
    (
      await w.sql.query(
        `select b.position, b.keys, b.signatures, b.verdicts, h.places::text, array_agg(v.old order by v.field)::text as old,
           array_agg(v.new order by v.field)::text as new
         from tantamos.batch b join tantamos.batch_value v using (preview, position) join tantamos.batch_place h using (preview, position)
         where preview = $1 group by 1, 2, 3, 4, 5 order by 1`,
        [preview],
      )
    ).rows;
  const writers = async (preview: string): Promise<number> =>
    (
      await w.sql.query<{ n: number }>(
        'select count(distinct xmin::text)::int as n from tantamos.batch where preview = $1',
        [preview],
      )
    ).rows[0]!.n;
  /** The backends that freeze at the same time, as soon as there are two. */
  const freezing = async (): Promise<number[]> => {
    const until = Date.now() + 20_000;
    for (let found: number[] = []; Date.now() < until;) {
      const { rows } = await w.sql.query<{ pid: number }>(
        `select pid from pg_stat_activity where datname = current_database() and state = 'active'
           and query like '%matched as materialized%' and pid <> pg_backend_pid() order by xact_start desc`,
      );
      found = rows.map((r) => r.pid);
      if (found.length === 2) return found;
    }
    throw new Error('Two never froze at the same time.');
  };

  const ready = async (made: Promise<PreviewView>): Promise<PreviewView> => {
    let p = await made;
    for await (const next of w.admin.previewEvents(p.id)) p = next;
    expect(p).toMatchObject({ state: 'ready' });
    return p;
  };
  /** Two connections for previews stay free for those of others: with two of the five taken there is no second to be had. */
  const byOne = async (make: () => Promise<PreviewView>): Promise<PreviewView> => {
    let release = (): void => {};
    const taken = new Promise<void>((resolve) => (release = resolve));
    const holders = [1, 2].map(() => w.services.database.with(() => taken, 'freezes'));
    const made = await ready(make()).finally(release);
    await Promise.all(holders);
    return made;
  };

  it('is the one that a single connection makes', async () => {
    const byTwo = await previewed(w.admin, job('C-'));
    expect(await writers(byTwo.id)).toBe(2);
    const alone = await byOne(() => w.admin.makePreview(job('C-')));
    expect(await writers(alone.id)).toBe(1);

    expect(byTwo.totals).toMatchObject({ matched, will_change: matched });
    expect(byTwo.totals).toEqual(alone.totals);
    expect(byTwo.pairs.filter((p) => p.field === 'shade')).toEqual(alone.pairs.filter((p) => p.field === 'shade'));
    expect(byTwo.morePairs).toEqual(alone.morePairs);
    const one = await frozen(alone.id);
    expect(one).toHaveLength(Math.ceil(matched / 700));
    expect(await frozen(byTwo.id)).toEqual(one);
  });

  it('is so where records are found by their keys: of several fields, and alike in more than one writing', async () => {
    await w.sql.query(`create collation level2 (provider = icu, locale = 'und-u-ks-level2', deterministic = false);
      create table lots (region text collate level2 not null, no int not null, note text, primary key (region, no)) partition by list (region);
      create table lots_a partition of lots for values in ('A', E'b\\t\\\\');
      create table lots_b partition of lots default;
      insert into lots select (array['A', E'b\\t\\\\', 'c', 'D'])[1 + n % 4], n, null from generate_series(1, 60000) n; analyze lots`);
    w.services.catalogs.refresh();
    const ofLots: JobBody = {
      selection: { type: 'lots' },
      edits: [{ kind: 'number', field: 'note', prefix: 'N-', order: ['-no'] }],
    };
    const byTwo = await previewed(w.admin, ofLots);
    const alone = await byOne(() => w.admin.makePreview(ofLots));
    expect([await writers(byTwo.id), await writers(alone.id)]).toEqual([2, 1]);
    expect(byTwo.totals).toMatchObject({ will_change: 60_000 });
    expect(await frozen(byTwo.id)).toEqual(await frozen(alone.id));
  });

  it('is so where each finds its own records, whose number is counted ahead', async () => {
    await w.sql.query(`create table boxes (id int primary key, kind int not null, shade text);
      insert into boxes select n, n % 40, case when n % 3 = 0 then 'old ' || n % 9 end from generate_series(1, 330000) n
        where n % 110000 > 5000; analyze boxes`);
    w.services.catalogs.refresh();
    const ofBoxes: JobBody = {
      selection: { type: 'boxes', filter: 'kind <> 7 AND id <> 200001' },
      edits: [{ kind: 'fill', field: 'shade', value: 'plain' }],
      safety: { batchSize: 700 },
    };
    const byTwo = await previewed(w.admin, ofBoxes);
    const alone = await byOne(() => w.admin.makePreview(ofBoxes));
    expect([await writers(byTwo.id), await writers(alone.id)]).toEqual([2, 1]);
    expect(byTwo.totals).toEqual(alone.totals);
    expect(byTwo.pairs).toEqual(alone.pairs);
    const one = await frozen(alone.id);
    expect(one.map((b) => b.position)).toEqual(one.map((_, i) => i));
    expect(await frozen(byTwo.id)).toEqual(one);
    // Few of many: nobody else is asked to help.
    const few = await previewed(w.admin, { ...ofBoxes, selection: { type: 'boxes', filter: 'kind = 7' } });
    expect(few.totals.matched).toBeGreaterThan(5000);
    expect(await writers(few.id)).toBe(1);
  });

  it('goes on alone where a second connection cannot be had', async () => {
    const full = jest.spyOn(w.services.database, 'withFree').mockRejectedValueOnce(new Error('too many clients'));
    const alone = await previewed(w.admin, job('L-'));
    expect(full).toHaveBeenCalled();
    expect(await writers(alone.id)).toBe(1);
    full.mockRestore();
  });

  it('takes a run back by two as by one', async () => {
    const run = await done(w.admin, { ...job('U-'), safety: { batchSize: 700, pace: 100, atOnce: 2 } });
    expect(run.totals.changed).toBe(matched);
    await w.sql.query(`update crates set shade = 'theirs' where id % 1000 = 3`);
    const byTwo = await ready(w.admin.undoRun(run.id, {}));
    const alone = await byOne(() => w.admin.undoRun(run.id, {}));
    expect([await writers(byTwo.id), await writers(alone.id)]).toEqual([2, 1]);
    expect(byTwo.totals.edited_since).toBeGreaterThan(100);
    expect(byTwo.totals).toEqual(alone.totals);
    const all = ({ pairs }: PreviewView): string[] =>
      pairs
        .filter((p) => p.field === 'shade')
        .map((p) => JSON.stringify([p.old, p.new, p.count]))
        .sort();
    expect(byTwo.morePairs).toEqual(alone.morePairs);
    expect(all(byTwo).length > 0 || byTwo.morePairs.includes('shade')).toBe(true);
    const back = await frozen(byTwo.id);
    expect(back.flatMap((b) => b.keys as string[])).toHaveLength(matched);
    expect(back).toEqual(await frozen(alone.id));
  });

  it('leaves nothing when it is withdrawn, and fails as a whole when one of the two is cut', async () => {
    const begun = async (prefix: string) => {
      const made = w.admin.makePreview(job(prefix));
      const both = await freezing();
      const { rows } = await w.sql.query<{ id: string }>(`select id from tantamos.preview where state = 'working'`);
      return { made, both, id: rows[0]!.id };
    };
    const withdrawn = await begun('D-');
    await w.admin.dropPreview(withdrawn.id);
    let last = await withdrawn.made;
    for await (const now of w.admin.previewEvents(withdrawn.id)) last = now;
    expect(last.state).toBe('cancelled');
    expect((await w.sql.query('select from tantamos.batch where preview = $1', [withdrawn.id])).rowCount).toBe(0);

    const broken = await begun('E-');
    await w.sql.query('select pg_terminate_backend($1)', [broken.both[0]]);
    let end = await broken.made;
    for await (const now of w.admin.previewEvents(broken.id)) end = now;
    expect(end).toMatchObject({ state: 'failed' });
    expect((await w.sql.query('select from tantamos.batch where preview = $1', [broken.id])).rowCount).toBe(0);
    expect((await previewed(w.admin, job('F-'))).totals.will_change).toBe(matched);
  });

  it('is worked out anew where an attempt has left something of itself', async () => {
    const made = await previewed(w.admin, job('G-'));
    // It is told to be ready a moment before who worked on it has put that away.
    while ((await w.sql.query('select from tantamos.preview_work where preview = $1', [made.id])).rowCount)
      await new Promise((resolve) => setTimeout(resolve, 20));
    // As if the process had died when all was written but the totals.
    await w.sql.query(
      `with left_behind as (update tantamos.preview set state = 'working', ready_at = null where id = $1 returning id)
       insert into tantamos.preview_work (preview, tries, lease_until) select id, 1, now() - interval '1 second' from left_behind`,
      [made.id],
    );
    await w.sql.query('delete from tantamos.batch where preview = $1 and position % 2 = 0', [made.id]);
    let last;
    for await (const now of w.admin.previewEvents(made.id)) last = now;
    expect(last).toMatchObject({ state: 'ready', trouble: null, totals: { matched, will_change: matched } });
    expect(await frozen(made.id)).toHaveLength(Math.ceil(matched / 700));
  });
});
