import type { PresetBody } from '@tantamos/contract';
import { previewed, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** What new records of a type are often given, kept under a name. */
describe('presets', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());
  const call: PresetBody = {
    name: 'Monday call',
    type: 'tasks',
    edits: [
      { kind: 'set', field: 'subject', value: 'Call {name}' },
      { kind: 'set', field: 'owner', value: 'Ines Calloway' },
      { kind: 'compute', field: 'due_on', formula: "next_weekday(TODAY(), 'monday')" },
    ],
  };

  it('are kept with the keys behind names, said in words, and go into a job as they are', async () => {
    const kept = await w.editor.keepPreset(call);
    expect(kept).toMatchObject({ typeLabel: 'Tasks', mine: true, trouble: null });
    expect(kept.edits[1]).toEqual({ kind: 'set', field: 'owner', value: '1' });
    expect(kept.sentence).toBe(
      "subject to “Call {name}”, owner to Ines Calloway and due on to what next_weekday(TODAY(), 'monday') gives",
    );
    const p = await previewed(w.editor, {
      selection: { type: 'growers', filter: 'id <= 3' },
      edits: [],
      also: [{ type: 'tasks', values: kept.edits }],
    });
    expect(p.totals.will_change).toBe(3);
    // A person who is renamed stays the same one.
    await w.sql.query(`update staff set name = 'Ines Calloway-Moss' where id = 1`);
    const [again] = await w.reader.presets();
    expect(again!.sentence).toContain('owner to Ines Calloway-Moss');
    await w.sql.query(`update staff set name = 'Ines Calloway' where id = 1`);
  });

  it('are replaced under the same name by whose they are, and by nobody else', async () => {
    const first = await w.editor.keepPreset({ ...call, name: 'mine' });
    const second = await w.editor.keepPreset({ ...call, name: 'Mine', edits: [call.edits[0]!] });
    expect([second.id, second.edits.length]).toEqual([first.id, 1]);
    await w.admin.keepPreset({ ...call, name: 'theirs' });
    expect((await refusedWith(w.editor.keepPreset({ ...call, name: 'theirs' }))).code).toBe('name_taken');
    const theirs = (await w.editor.presets()).find((p) => p.name === 'theirs')!;
    expect((await refusedWith(w.editor.dropPreset(theirs.id))).code).toBe('not_permitted');
    await w.admin.dropPreset(first.id);
    expect((await w.editor.presets()).map((p) => p.name)).not.toContain('Mine');
  });

  it('a field that goes says so before it is used', async () => {
    await w.sql.query('alter table contacts add nickname text');
    w.services.catalogs.refresh();
    await w.editor.keepPreset({
      name: 'nick',
      type: 'contacts',
      edits: [{ kind: 'set', field: 'nickname', value: 'x' }],
    });
    await w.sql.query('alter table contacts drop nickname');
    w.services.catalogs.refresh();
    const nick = (await w.editor.presets()).find((p) => p.name === 'nick')!;
    expect(nick.trouble).toBe('Contacts have no field “nickname”.');
  });

  it.each([
    [{ ...call, edits: [] }, 'edits'],
    [{ ...call, edits: [{ kind: 'clear', field: 'owner' }] }, 'edits[0].kind'],
    [{ ...call, edits: [{ kind: 'set', field: 'subject', value: 'Call {name' }] }, 'edits[0].value'],
    [{ ...call, edits: [{ kind: 'compute', field: 'due_on', formula: 'TODAY(' }] }, 'edits[0].formula'],
    [
      { ...call, edits: [{ kind: 'compute', field: 'due_on', formula: 'next_weekday(TODAY(), 1)' }] },
      'edits[0].formula',
    ],
    [{ ...call, edits: [{ kind: 'set', field: 'state', value: 'opne' }] }, 'edits[0].value'],
    [{ ...call, edits: [{ kind: 'set', field: 'owner', value: 'Marta Quill' }] }, 'edits[0].value'],
    [{ ...call, edits: [call.edits[0]!, call.edits[0]!] }, 'edits[1].field'],
    [{ ...call, name: "it's" }, 'name'],
    [{ ...call, type: 'no such' }, 'type'],
  ] as const)('say what is wrong with them: %#', async (body, where) => {
    const { problems } = await refusedWith(w.admin.keepPreset(body));
    expect(problems?.[0]?.where).toBe(where);
  });

  it('a reader keeps none', async () => {
    expect((await refusedWith(w.reader.keepPreset(call))).code).toBe('not_permitted');
  });
});
