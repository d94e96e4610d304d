import type { JobBody, KeptValuesBody } from '@tantamos/contract';
import { done, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('values that are kept before a job is made of them', () => {
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace();
  });
  afterAll(() => w.close());

  const notes = { type: 'sites', field: 'access_note' } as const;
  const kept = async (...pieces: readonly Omit<KeptValuesBody, 'type' | 'field'>[]) => {
    let given = await w.admin.keepValues({ ...notes, ...pieces[0]! });
    for (const piece of pieces.slice(1)) given = await w.admin.keepValues({ ...notes, ...piece, into: given.id });
    return given;
  };

  it('are mapped from old values, piece by piece, by names and labels too; the rest as the map says', async () => {
    const given = await kept(
      { by: 'grower.owner', keys: ['Ines Calloway', '2'], values: ['Ask Ines', 'Ask Tobias'] },
      { by: 'grower.owner', keys: ['3'], values: [''] },
    );
    expect(given.count).toBe(3);
    const job: JobBody = {
      selection: { type: 'sites' },
      edits: [{ kind: 'map', field: 'access_note', from: 'grower.owner', given, otherwise: 'Ask the office' }],
    };
    const preview = await previewed(w.admin, job);
    expect(preview.sentence).toContain('map access note by grower’s owner: 3 values, all others to “Ask the office”');
    const before = (await w.sql.query('select id, access_note from sites order by id')).rows;
    const run = await done(w.admin, job);
    const { rows } = await w.sql.query(`select count(*)::int as wrong from sites s join growers g on g.id = s.grower
      where access_note is distinct from case g.owner when 1 then 'Ask Ines' when 2 then 'Ask Tobias' when 3 then null else 'Ask the office' end`);
    expect(rows).toEqual([{ wrong: 0 }]);
    await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: run.totals.changed });
    expect((await w.sql.query('select id, access_note from sites order by id')).rows).toEqual(before);
  });

  it('are put by the keys of records', async () => {
    const given = await kept(
      { keys: ['1', '2'], values: ['one', 'two'] },
      { keys: ['3', '999999'], values: ['three', 'x'] },
    );
    const preview = await previewed(w.admin, {
      selection: { type: 'sites' },
      edits: [{ kind: 'put', field: 'access_note', given }],
    });
    expect(preview.totals.will_change).toBe(3);
    expect(preview.notes).toContainEqual(expect.objectContaining({ code: 'given_unused', count: 1 }));
  });

  it.each<[Partial<KeptValuesBody>, string, RegExp]>([
    [{ keys: ['1', '1'], values: ['a', 'b'] }, 'keys[1]', /Two values are given for “1”/],
    [{ by: 'crop', keys: ['apple', 'apple'], values: ['a', 'b'] }, 'keys[1]', /mapped twice, in line 1 and in line 2/],
    [{ keys: ['1', '2'], values: ['a'] }, 'values', /2 keys and 1 values/],
    [{ keys: ['1', 'x'], values: ['a', 'b'] }, 'values[1]', /x: /],
    [{ by: 'crop', keys: ['apple', 'granite'], values: ['a', 'b'] }, 'keys[1]', /granite/],
    [{ by: 'crops', keys: ['apple'], values: ['a'] }, 'by', /crops/],
    [{ field: 'hectares', keys: ['1', '2'], values: ['3', 'many'] }, 'values[1]', /many/],
    [{ field: 'id', keys: ['1'], values: ['3'] }, 'field', /key/i],
    [{ field: 'nothing', keys: ['1'], values: ['3'] }, 'field', /nothing/],
    [{ keys: [], values: [] }, 'keys', /keys/],
  ])('not %j', async (body, where, message) => {
    const { problems } = await refusedWith(w.admin.keepValues({ ...notes, keys: [], values: [], ...body }));
    expect(problems).toMatchObject([{ where, message: expect.stringMatching(message) }]);
  });

  it('not twice in two pieces, nor into what is of another field, another key or another person', async () => {
    const given = await kept({ keys: ['1', '2'], values: ['one', 'two'] });
    const into = given.id;
    const more = { keys: ['9', '2'], values: ['nine', 'two'], into };
    expect((await refusedWith(w.admin.keepValues({ ...notes, ...more }))).problems).toMatchObject([
      { where: 'keys', message: expect.stringContaining('“2” is there already') },
    ]);
    const fresh = { ...more, keys: ['9'], values: ['5'] };
    for (const call of [
      w.admin.keepValues({ ...notes, ...fresh, field: 'hectares' }),
      w.admin.keepValues({ ...notes, ...fresh, by: 'hectares' }),
      w.editor.keepValues({ ...notes, ...fresh }),
    ])
      expect(await refusedWith(call)).toMatchObject({ code: 'not_found' });
    // What was refused has left nothing behind.
    expect(await w.admin.keepValues({ ...notes, ...fresh })).toEqual({ id: into, count: 3 });
    const as = async (edit: JobBody['edits'][number]) =>
      refusedWith(w.admin.makePreview({ selection: { type: 'sites' }, edits: [edit] }));
    expect(await as({ kind: 'map', field: 'access_note', from: 'hectares', given })).toMatchObject({
      code: 'not_found',
    });
    expect(await as({ kind: 'put', field: 'name', given })).toMatchObject({ code: 'not_found' });
    expect(await as({ kind: 'map', field: 'access_note', given, pairs: [{ old: 'a', new: 'b' }] })).toMatchObject({
      problems: [{ where: 'edits[0].pairs', message: expect.stringContaining('by one of the two') }],
    });
  });
});
