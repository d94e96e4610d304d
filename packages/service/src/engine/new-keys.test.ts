import type { JobBody } from '@tantamos/contract';
import { previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** Types whose keys nobody makes: an administrator says how. */
describe('keys of new records', () => {
  let w: Workspace;
  beforeAll(
    async () =>
      (w = await openWorkspace({
        before: (sql) =>
          sql.query(`
            create table visits (id integer primary key, grower integer not null references growers, about text);
            insert into visits values (41, 1, 'first');
            create table letters (id uuid primary key, grower integer not null references growers, about text)`),
      })),
  );
  afterAll(() => w.close());
  const making = (type: string, more: Partial<JobBody> = {}): JobBody => ({
    selection: { type: 'growers', filter: 'id <= 2000' },
    edits: [],
    also: [{ type, values: [{ kind: 'set', field: 'about', value: 'see {name}' }] }],
    safety: { pace: 100, atOnce: 4, batchSize: 100 },
    ...more,
  });
  const made = async (table: string): Promise<number> =>
    (await w.sql.query<{ n: number }>(`select count(*)::int as n from ${table}`)).rows[0]!.n;

  it('without a word of how, making some is refused beforehand', async () => {
    const refused = await refusedWith(w.admin.makePreview(making('visits')));
    expect(refused.detail).toBe('Id of new visits is required, and the database puts nothing there: give it a value.');
  });

  it('count on from the highest, in one lane, with edits and without; undo takes them out', async () => {
    await w.admin.setType('visits', { newKeys: 'highest' });
    const p = await previewed(w.admin, making('visits'));
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 2000 });
    expect(run.totals).toMatchObject({ changed: 2000, refused: 0 });
    const keys = await w.sql.query('select min(id), max(id), count(*)::int as n from visits');
    expect(keys.rows[0]).toEqual({ min: 41, max: 2041, n: 2001 });
    const along = await previewed(
      w.admin,
      making('visits', {
        edits: [{ kind: 'set', field: 'priority', value: 5 }],
        selection: { type: 'growers', filter: 'id <= 300' },
      }),
    );
    const both = await ran(w.admin, along.id, { askAfter: null, expect: along.totals.will_change });
    expect(both.totals).toMatchObject({ changed: along.totals.will_change, refused: 0 });
    expect(await made('visits')).toBe(2001 + along.totals.will_change);
    for (const id of [both.id, run.id]) {
      const back = await w.admin.undoRun(id, {});
      await ran(w.admin, back.id, { askAfter: null, expect: back.totals.will_change });
    }
    expect(await made('visits')).toBe(1);
  });

  it('a key that somebody else takes meanwhile is not written over', async () => {
    const p = await previewed(w.admin, making('visits', { selection: { type: 'growers', filter: 'id <= 20' } }));
    await w.sql.query(`insert into visits values (45, 2, 'theirs')`);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 20 });
    expect(run.totals).toMatchObject({ changed: 20, refused: 0 });
    const theirs = await w.sql.query('select about from visits where id = 45');
    expect(theirs.rows).toEqual([{ about: 'theirs' }]);
  });

  it('are random where a UUID is asked for', async () => {
    await w.admin.setType('letters', { newKeys: 'uuid' });
    const p = await previewed(w.admin, making('letters'));
    expect((await ran(w.admin, p.id, { askAfter: null, expect: 2000 })).totals.changed).toBe(2000);
    expect(await made('letters')).toBe(2000);
  });

  it.each([
    ['letters', 'highest', 'type_mismatch'],
    ['visits', 'uuid', 'type_mismatch'],
    ['placements', 'highest', 'bad_value'],
  ] as const)('%s cannot have keys that are %s', async (type, newKeys, code) => {
    expect((await refusedWith(w.admin.setType(type, { newKeys }))).code).toBe(code);
  });

  it('what the database makes itself stays its own', async () => {
    await w.admin.setType('tasks', { newKeys: 'highest' });
    const key = (await w.admin.type('tasks')).fields.find((f) => f.name === 'id')!;
    expect(key.default).not.toContain('max(');
  });
});
