import type { JobBody } from '@tantamos/contract';
import { done, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** Lists that stand in a table of links: the certificates of growers. */
describe('entries of a table of links', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const held = async (): Promise<Record<string, string[]>> => {
    const { rows } = await w.sql.query<{ grower: number; all: string[] }>(
      `select g.grower, array_agg(c.name order by c.name) as all
         from grower_certificates g join certificates c on c.id = g.certificate where g.grower <= 8 group by 1 order by 1`,
    );
    return Object.fromEntries(rows.map((r) => [r.grower, r.all]));
  };
  const job = (edits: JobBody['edits'], more: Partial<JobBody> = {}): JobBody => ({
    selection: { type: 'growers', filter: 'id <= 8' },
    edits,
    safety: { pace: 100 },
    ...more,
  });
  const undone = async (run: string) => {
    const back = await w.admin.undoRun(run, {});
    return ran(w.admin, back.id, { askAfter: null, expect: back.totals.will_change });
  };

  it('go in where they are not yet, never twice, and come out again by undo', async () => {
    const before = await held();
    const add = job([
      { kind: 'add', field: 'grower_certificates', entries: ['Organic', 'Wild margins'] },
      { kind: 'set', field: 'priority', value: 1 },
    ]);
    const p = await previewed(w.admin, add);
    expect(p.sentence).toBe(
      'On the 8 growers where id is at most 8: add “Organic” and “Wild margins” to grower certificates and set priority to 1.',
    );
    expect(p.parts.map((part) => [part.act, part.type])).toEqual([
      ['update', 'growers'],
      ['create', 'grower_certificates'],
      ['create', 'grower_certificates'],
    ]);
    const lacking = (name: string): number => Object.values(before).filter((all) => !all.includes(name)).length;
    expect(p.parts.slice(1).map((part) => part.totals.will_change)).toEqual([
      lacking('Organic'),
      lacking('Wild margins'),
    ]);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals).toMatchObject({ changed: p.totals.will_change, refused: 0, edited_since: 0 });
    for (const all of Object.values(await held()))
      expect(all).toEqual(expect.arrayContaining(['Organic', 'Wild margins']));
    const again = await previewed(w.admin, add);
    expect(again.totals.will_change).toBe(0);
    await undone(run.id);
    expect(await held()).toEqual(before);
  });

  it('come out of those that have them, with what else stands in the link, and go back in by undo', async () => {
    const since = async (): Promise<unknown> =>
      (await w.sql.query(`select * from grower_certificates order by grower, certificate`)).rows;
    const before = await since();
    const run = await done(
      w.admin,
      job([{ kind: 'remove', field: 'grower_certificates', entries: ['Organic', 'Regional'] }], {
        selection: { type: 'growers' },
      }),
    );
    expect(run.totals.changed).toBeGreaterThan(300);
    expect(JSON.stringify(await since())).not.toBe(JSON.stringify(before));
    const left = await w.sql.query(`select count(*)::int as n from grower_certificates where certificate in (1, 3)`);
    expect(left.rows[0]).toEqual({ n: 0 });
    await undone(run.id);
    expect(await since()).toEqual(before);
  });

  it('one goes in while another comes out; a condition and the first of an order narrow both', async () => {
    const before = await held();
    const swap = job(
      [
        { kind: 'add', field: 'grower_certificates', entries: ['Water wise'], where: 'id > 2' },
        {
          kind: 'remove',
          field: 'grower_certificates',
          entries: ['Organic', 'Bee friendly', 'Regional'],
          where: 'id > 2',
        },
      ],
      { selection: { type: 'growers', filter: 'id <= 8', take: { count: 5, order: ['id'] } } },
    );
    const run = await done(w.admin, swap);
    const now = await held();
    for (const id of [1, 2, 6, 7, 8]) expect([id, now[id]]).toEqual([id, before[id]]);
    for (const id of [3, 4, 5]) {
      const kept = before[id]!.filter((c) => !['Organic', 'Bee friendly', 'Regional'].includes(c));
      expect([id, now[id]]).toEqual([id, [...new Set([...kept, 'Water wise'])].sort()]);
    }
    await undone(run.id);
    expect(await held()).toEqual(before);
  });

  it('what somebody else put in after the preview is left alone', async () => {
    const p = await previewed(w.admin, job([{ kind: 'add', field: 'grower_certificates', entries: ['Low residue'] }]));
    const { rows } = await w.sql.query<{ id: number }>(
      `select min(g.id) as id from growers g where not exists (select from grower_certificates c where c.grower = g.id and c.certificate = 4)`,
    );
    const mine = rows[0]!.id;
    await w.sql.query('insert into grower_certificates values ($1, 4)', [mine]);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals).toMatchObject({ changed: p.totals.will_change - 1, edited_since: 1 });
    await undone(run.id);
    const kept = await w.sql.query('select from grower_certificates where grower = $1 and certificate = 4', [mine]);
    expect(kept.rowCount).toBe(1);
    await w.sql.query('delete from grower_certificates where grower = $1 and certificate = 4', [mine]);
  });

  it('what is left of it is tried again, each entry with its own records', async () => {
    const before = await held();
    const p = await previewed(
      w.admin,
      job([{ kind: 'add', field: 'grower_certificates', entries: ['Low residue', 'Water wise'] }]),
    );
    await w.sql.query(
      `alter table grower_certificates add constraint not_five check (grower <> 5 or certificate < 4) not valid`,
    );
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals.refused).toBeGreaterThan(0);
    await w.sql.query('alter table grower_certificates drop constraint not_five');
    const retry = await w.admin.retryRun(run.id, {});
    for await (const _ of w.admin.previewEvents(retry.id));
    const again = await ran(w.admin, retry.id, { askAfter: null, expect: run.totals.refused });
    expect(again.totals.changed).toBe(run.totals.refused);
    await undone(again.id);
    await undone(run.id);
    expect(await held()).toEqual(before);
  });

  it.each([
    [{ kind: 'add', field: 'grower_certificates', entries: ['Organc'] }, 'unknown_name', 'edits[0].entries[0]'],
    [{ kind: 'add', field: 'grower_certificates', entries: ['Organic', '1'] }, 'bad_value', 'edits[0].entries'],
    [{ kind: 'add', field: 'grower_certificates', entries: ['{name}'] }, 'unknown_name', 'edits[0].entries[0]'],
    [
      { kind: 'add', field: 'grower_certificates', entries: ['Organic'], separator: ';' },
      'bad_value',
      'edits[0].separator',
    ],
    [{ kind: 'set', field: 'grower_certificates', value: 'Organic' }, 'type_mismatch', 'edits[0].kind'],
    [{ kind: 'add', field: 'placements', entries: ['3'] }, 'unknown_field', 'edits[0].field'],
    [
      { kind: 'remove', field: 'grower_certificates', entries: ['1'], where: 'nope = 1' },
      'unknown_field',
      'edits[0].where',
    ],
  ] as const)('says what is wrong with entries: %#', async (edit, code, where) => {
    const problem = await refusedWith(w.admin.makePreview(job([edit])));
    expect([problem.code, problem.problems?.[0]?.where]).toEqual([code, where]);
  });

  it('a type says which lists it has in tables of links', async () => {
    const { links } = await w.admin.type('growers');
    expect(links.map(({ name, label, refersTo, notEditable }) => ({ name, label, refersTo, notEditable }))).toEqual([
      { name: 'grower_certificates', label: 'Grower certificates', refersTo: 'certificates', notEditable: null },
    ]);
    expect((await w.admin.type('bookings')).links).toEqual([]);
  });
});
