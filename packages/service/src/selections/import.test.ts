import type { SelectionsFileBody } from '@tantamos/contract';
import { refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('taking saved selections from a file', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const file = (...selections: unknown[]) =>
    ({ tantamos: 'saved-selections', selections }) as unknown as SelectionsFileBody;
  const one = (name: string, selection: object) => ({ name, selection: { type: 'growers', ...selection } });
  const take = (body: SelectionsFileBody, taken?: 'skip' | 'replace') =>
    w.admin.importSelections({ file: body, taken });
  const names = async () => (await w.admin.selections()).map((s) => s.name).sort();

  it('takes all of it, whatever the order in which they rest on each other', async () => {
    const taken = await take(
      file(
        one('c', { filter: "in_selection('b')" }),
        one('b', { filter: "in_selection('a') AND status = 'active'" }),
        one('a', { filter: { op: '=', args: [{ property: 'valley' }, 'north'] }, 'filter-lang': 'cql2-json' }),
      ),
    );
    expect(taken.map((s) => s.name).sort()).toEqual(['a', 'b', 'c']);
    expect((await w.admin.selection('a')).selection.filter).toBe("valley = 'north'");
    expect((await w.admin.countSelection('c')).lastCount).toBeGreaterThan(0);
  });

  it.each([
    ['a filter that does not hold', one('z', { filter: 'statsu = 1' })],
    ['one that rests on none there is', one('z', { filter: "in_selection('nowhere')" })],
    ['one that would rest on itself', one('z', { filter: "in_selection('z')" })],
    ['a list that is none', one('z', { list: { id: '00000000-0000-7000-8000-000000000000' } })],
    ['keys that are no keys', one('z', { keys: ['one'] })],
    ['a name of quotes', one("z'", {})],
    ['a name twice', one('Y', { filter: 'id = 2' })],
  ])('all or nothing: %s', async (_, wrong) => {
    const before = await names();
    const answer = await refusedWith(take(file(one('y', { filter: 'id = 1' }), wrong, one('x', {}))));
    expect(answer.status).toBeLessThan(500);
    expect(await names()).toEqual(before);
  });

  it.each([
    ['keys that are a text', { keys: '1' }],
    [
      'a depth that is a text',
      { related: { of: { type: 'growers' }, how: 'descendants', field: 'parent', depth: 'x' } },
    ],
    ['a list id that is none', { list: { id: 'x' } }],
    ['a take without a number', { take: { count: 'many' } }],
    ['members nobody knows', { sql: 'drop table growers' }],
    [
      'a related of a related that is wrong',
      { related: { of: { type: 'growers', keys: 7 }, how: 'siblings', field: 'parent' } },
    ],
  ])('members of the wrong kind are refused as anywhere: %s', async (_, selection) => {
    const before = await names();
    const answer = await refusedWith(take(file(one('y', { filter: 'id = 1' }), one('z', selection))));
    expect(answer).toMatchObject({ code: 'bad_request', status: 400 });
    expect(answer.problems[0]!.where).toMatch(/^file\.selections\[1\]\.selection/);
    expect(await names()).toEqual(before);
    // Nobody is the worse for it.
    expect((await w.editor.selections()).map((s) => s.name)).not.toContain('z');
    expect((await w.admin.search('growers', { filter: "in_selection('a')", limit: 1 })).numberReturned).toBe(1);
  });

  it('replacing is a new version of each, or of none', async () => {
    const taken = await take(file(one('a', { filter: "valley = 'south'" }), one('b', { filter: 'id = 5' })), 'replace');
    expect(taken.map((s) => [s.name, s.version])).toEqual(
      expect.arrayContaining([
        ['a', 2],
        ['b', 2],
      ]),
    );
    const wrong = file(one('a', { filter: "valley = 'east'" }), one('b', { filter: 'nothing = 5' }));
    expect((await refusedWith(take(wrong, 'replace'))).detail).toMatch(/“b” could not be taken, so none was/);
    expect(await w.admin.selection('a')).toMatchObject({ version: 2, selection: { filter: "valley = 'south'" } });
    expect(await take(file(one('a', {})), 'skip')).toEqual([]);
  });

  it('another takes only what they may keep open', async () => {
    const line = await w.admin.addRight({ login: 'piers', effect: 'deny', acts: ['keep_open'] });
    const both = file(one('mine', {}), { ...one('all', {}), open: true });
    expect(await refusedWith(w.editor.importSelections({ file: both }))).toMatchObject({ status: 403 });
    expect((await w.editor.selections()).some((s) => s.mine)).toBe(false);
    await w.admin.dropRight(line.id);
    expect(await w.editor.importSelections({ file: both })).toHaveLength(2);
  });
});
