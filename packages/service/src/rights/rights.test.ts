import type { RightLineBody } from '@tantamos/contract';
import { done, northDrafts, onBookings, previewed, ran, refusedWith, rested } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('rights at work', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  /** Lines that hold during the work. */
  const under = async (lines: readonly RightLineBody[], work: () => Promise<void>): Promise<void> => {
    const ids: string[] = [];
    try {
      for (const line of lines) ids.push((await w.admin.addRight(line)).id);
      await work();
    } finally {
      for (const id of ids) await w.admin.dropRight(id);
    }
  };
  const to = (login: string, effect: 'allow' | 'deny', acts: RightLineBody['acts'], more = {}): RightLineBody => ({
    login,
    effect,
    acts,
    ...more,
  });
  const note = (keys: readonly number[], value = 'mine') => onBookings(keys, [{ kind: 'set', field: 'note', value }]);
  const whoOwns = async (owner: number, count: number): Promise<number[]> =>
    (
      await w.sql.query<{ id: number }>(`select id from bookings where owner = $1 order by id limit ${count}`, [owner])
    ).rows.map((r) => r.id);
  const noteOf = async (id: number) =>
    (await w.sql.query<{ note: string | null }>('select note from bookings where id = $1', [id])).rows[0]!.note;

  it('a reader finds and counts, and changes nothing: the refusal says which right is missing and who can give it', async () => {
    expect((await w.reader.search('bookings', { limit: 3 })).numberReturned).toBe(3);
    expect(await w.reader.type('bookings')).toMatchObject({
      notChangeable: 'You may not change bookings: the right to change them is missing; Sorrel Haldane can give it.',
    });
    expect(await refusedWith(w.reader.makePreview(note([1])))).toMatchObject({
      code: 'not_changeable',
      detail: expect.stringContaining('Sorrel Haldane can give it'),
    });
    const p = await previewed(w.admin, note([1], 'a'));
    expect(await refusedWith(w.reader.startRun({ preview: p.id }))).toMatchObject({ status: 403 });
    expect(await refusedWith(w.reader.dropPreview(p.id))).toMatchObject({ status: 403 });
  });

  it('names two who can give it, and says that there are more', async () => {
    const add = (login: string, name: string) =>
      w.admin.addAccount({ login, name, role: 'administrator', password: 'long enough' });
    await add('ada', 'Ada Fell');
    await add('bo', 'Bo Crag');
    expect((await refusedWith(w.reader.setWorkspace({ name: 'x' }))).detail).toBe(
      'You may not administer: the right to do so is missing; Sorrel Haldane, Ada Fell or another administrator can give it.',
    );
    for (const a of await w.admin.accounts())
      if (['ada', 'bo'].includes(a.login)) await w.admin.changeAccount(a.id, { active: false });
  });

  it('changes only the records of the filter: the preview says so of the others, the run does no more', async () => {
    const mine = await whoOwns(58, 2);
    const [others] = await whoOwns(7, 1);
    if (mine.length === 0) await w.sql.query('update bookings set owner = 58 where id in (11, 12)');
    const own = mine.length > 0 ? mine : [11, 12];
    await under([to('wren', 'allow', ['change'], { types: ['bookings'], filter: 'owner = me()' })], async () => {
      const p = await previewed(w.reader, note([...own, others!]));
      expect(p.totals).toMatchObject({ matched: own.length + 1, will_change: own.length, not_allowed: 1 });
      expect(p.causes).toEqual([
        { cause: 'The right to change this record is missing; Sorrel Haldane can give it.', count: 1 },
      ]);
      const run = await ran(w.reader, p.id, { askAfter: null });
      expect(run.totals).toMatchObject({ changed: own.length, not_allowed: 1 });
      expect(await noteOf(others!)).not.toBe('mine');
      // What is changed by it is theirs no longer; what cannot be put back says so.
      expect(await refusedWith(w.reader.undoRun(run.id, {}))).toMatchObject({
        status: 403,
        detail: expect.stringContaining('may not put back bookings'),
      });
      await under([to('wren', 'allow', ['put_back'])], async () => {
        const back = await w.reader.undoRun(run.id, {});
        expect(back.totals).toMatchObject({ matched: own.length, will_change: own.length });
        await ran(w.reader, back.id);
      });
    });
  });

  it('asks again at each batch: a record that has left the filter is left alone, and says why', async () => {
    await w.sql.query('update bookings set owner = 58 where id in (21, 22, 23, 24)');
    await under([to('wren', 'allow', ['change', 'put_back'], { types: ['bookings'] })], async () => {
      const p = await previewed(w.reader, note([21, 22, 23, 24], 'now'));
      expect(p.totals.will_change).toBe(4);
      // Only some of them are left to the person after the preview.
      await under([to('wren', 'deny', ['change'], { types: ['bookings'], filter: 'id IN (22, 23)' })], async () => {
        const run = await ran(w.reader, p.id, { askAfter: null });
        expect(run.totals).toMatchObject({ changed: 2, not_allowed: 2, refused: 0, edited_since: 0 });
        const { records } = await w.reader.runRecords(run.id, { outcome: 'not_allowed' });
        expect(records.map((r) => [r.key, r.cause])).toEqual(
          ['22', '23'].map((k) => [k, 'The right to change this record is missing; Sorrel Haldane can give it.']),
        );
        const back = await w.reader.undoRun(run.id, {});
        expect(back.totals).toMatchObject({ matched: 2, will_change: 2 });
        await ran(w.reader, back.id);
      });
      expect(await noteOf(22)).not.toBe('now');
    });
  });

  it('an undo leaves alone what the person may not change by now', async () => {
    const run = await done(w.editor, note([31, 32, 33], 'x'));
    await under([to('piers', 'deny', ['change'], { types: ['bookings'], filter: 'id = 32' })], async () => {
      const back = await w.editor.undoRun(run.id, {});
      expect(back.totals).toMatchObject({ matched: 3, will_change: 2, not_allowed: 1 });
      expect((await ran(w.editor, back.id)).totals).toMatchObject({ changed: 2, not_allowed: 1 });
    });
    expect(await noteOf(32)).toBe('x');
  });

  it('a run whose right is taken away pauses with the reason, and goes on when it is given back', async () => {
    const keys = Array.from({ length: 60 }, (_, i) => 2000 + i);
    const job = { ...note(keys, 'slow'), safety: { batchSize: 10, pace: 100, askAfter: 10 } };
    const p = await previewed(w.editor, job);
    const asked = await ran(w.editor, p.id, { askAfter: 10 });
    expect(asked).toMatchObject({ state: 'waiting_for_you', totals: { changed: 10 } });
    await under([to('piers', 'deny', ['change'], { types: ['bookings'], fields: ['note'] })], async () => {
      await w.editor.continueRun(asked.id);
      const paused = await rested(w.editor, asked.id);
      expect(paused).toMatchObject({ state: 'paused', totals: { changed: 10, not_yet: 50 } });
      expect(paused.reason).toContain('You may not change note of bookings: the right to change it is missing');
    });
    await w.editor.continueRun(asked.id);
    expect(await rested(w.editor, asked.id)).toMatchObject({ state: 'finished', totals: { changed: 60 } });
  });

  it('a field that may be seen and not changed says so where it is chosen, and cannot be written', async () => {
    await under([to('piers', 'deny', ['change'], { types: ['bookings'], fields: ['NOTE'] })], async () => {
      const { fields } = await w.editor.type('bookings');
      expect(fields.find((f) => f.name === 'note')!.notEditable).toBe(
        'the right to change note is missing; Sorrel Haldane can give it.',
      );
      expect(fields.find((f) => f.name === 'region')!.notEditable).toBeNull();
      expect(await refusedWith(w.editor.makePreview(note([1])))).toMatchObject({
        code: 'not_editable',
        problems: [{ where: 'edits[0].field' }],
      });
    });
  });

  it('many at once is a right of its own, with a number', async () => {
    const p = await previewed(w.editor, northDrafts);
    expect(p).toMatchObject({ totals: { will_change: 191 }, hindrance: null });
    await under([to('piers', 'deny', ['change_many'], { types: ['bookings'], most: 190 })], async () => {
      const told =
        '191 bookings would change; without the right to change more at once, one run of yours may change 190; Sorrel Haldane can give it.';
      expect((await w.editor.preview(p.id)).hindrance).toBe(told);
      expect((await refusedWith(w.editor.startRun({ preview: p.id }))).detail).toBe(told);
    });
    await under([to('piers', 'deny', ['change_many'])], async () => {
      expect((await w.editor.preview(p.id)).hindrance).toContain('one run of yours may change 100');
      expect(
        (
          await done(
            w.editor,
            note(
              Array.from({ length: 100 }, (_, i) => 3000 + i),
              'few',
            ),
          )
        ).totals.changed,
      ).toBe(100);
    });
    await w.editor.dropPreview(p.id);
  });

  it('steers others’ runs and previews only by right', async () => {
    const p = await previewed(w.admin, note([41], 'theirs'));
    expect((await refusedWith(w.editor.startRun({ preview: p.id }))).detail).toBe(
      'Only who made this preview may do that, and who may steer others’; Sorrel Haldane can give it.',
    );
    await under([to('piers', 'allow', ['steer'])], async () => {
      expect((await ran(w.editor, p.id)).totals.changed).toBe(1);
    });
  });

  it('keeps open to all only by right', async () => {
    const save = (open: boolean) => w.editor.saveSelection({ name: 'of mine', selection: { type: 'hives' }, open });
    await under([to('piers', 'deny', ['keep_open'])], async () => {
      expect((await refusedWith(save(true))).detail).toContain('may not keep things open to all');
      expect((await save(false)).open).toBe(false);
    });
  });

  it('tries again what others have edited only by right, and says so', async () => {
    const p = await previewed(w.editor, note([51, 52], 'again'));
    await w.sql.query(`update bookings set note = 'edited' where id = 51`);
    const run = await ran(w.editor, p.id);
    expect(run.totals).toMatchObject({ changed: 1, edited_since: 1 });
    await under([to('piers', 'deny', ['overwrite'])], async () => {
      expect((await refusedWith(w.editor.retryRun(run.id, {}))).detail).toContain('may not overwrite others’ edits');
      expect((await refusedWith(w.editor.undoRun(run.id, { overwrite: true }))).detail).toContain(
        'may not overwrite others’ edits',
      );
      expect(await refusedWith(w.editor.retryRun(run.id, { outcomes: ['edited_since'] }))).toMatchObject({
        status: 403,
      });
    });
    expect((await w.editor.retryRun(run.id, {})).totals.will_change).toBe(1);
  });

  it('records outside the filter are not found, not counted, not named; the rest is', async () => {
    const all = (await w.admin.search('growers', { count: 'exact', limit: 0 })).numberMatched!;
    const south = Number((await w.sql.query(`select count(*) from growers where valley = 'south'`)).rows[0].count);
    await under([to('piers', 'deny', ['see'], { types: ['growers'], filter: "valley = 'south'" })], async () => {
      const count = async (filter?: string) =>
        (await w.editor.search('growers', { filter, count: 'exact', limit: 0 })).numberMatched;
      expect(await count()).toBe(all - south);
      expect(await count("valley = 'south'")).toBe(0);
      const [values] = await w.editor.values('growers', { fields: ['valley'] });
      expect(values!.values.map((v) => v.value)).not.toContain('south');
      expect(values!.total).toBe(all - south);
      // A path to one is blank, as if nothing were there; the reference itself is the record's own.
      const [{ id, grower }] = (
        await w.sql.query(`select b.id, b.grower from bookings b join growers g on g.id = b.grower
        where g.valley = 'south' limit 1`)
      ).rows as [{ id: number; grower: number }];
      const found = await w.editor.search('bookings', { keys: [String(id)], columns: ['grower', 'grower.name'] });
      expect(found.records[0]!.values).toEqual([{ value: String(grower) }, { value: null }]);
      expect(await refusedWith(w.editor.record('growers', String(grower)))).toMatchObject({ status: 404 });
      // No more is said of the number than they may see.
      expect((await w.editor.type('growers')).about).toBe(0);
      expect((await w.editor.explain('growers', {})).all).toBe(all - south);
    });
  });

  it('a preview whose formula reads what is withheld is done as it was worked out', async () => {
    // A path into records that this person does not see is blank to them, at the preview and at the run alike.
    await under([to('piers', 'deny', ['see'], { types: ['growers'], filter: "valley = 'south'" })], async () => {
      const filter = 'id < 400 AND grower.name IS NULL';
      const p = await previewed(w.editor, {
        selection: { type: 'bookings', filter },
        edits: [{ kind: 'set', field: 'note', value: 'no grower' }],
        safety: { pace: 100 },
      });
      expect(p.totals.will_change).toBeGreaterThan(0);
      const run = await ran(w.editor, p.id, { askAfter: null });
      expect(run.totals).toMatchObject({ changed: p.totals.will_change, edited_since: 0 });
      await ran(w.editor, (await w.editor.undoRun(run.id, {})).id);
    });
  });

  it('a filter that can be read no longer allows nothing and denies everything, and says so', async () => {
    await w.sql.query('alter table sites add odd text');
    w.services.catalogs.refresh();
    await under([to('piers', 'deny', ['see'], { types: ['sites'], filter: "odd = 'x'" })], async () => {
      expect((await w.editor.search('sites', { count: 'exact', limit: 0 })).numberMatched).toBeGreaterThan(0);
      await w.sql.query('alter table sites drop odd');
      w.services.catalogs.refresh();
      expect((await w.editor.search('sites', { count: 'exact', limit: 0 })).numberMatched).toBe(0);
      const line = (await w.admin.rights()).find((l) => l.types?.includes('sites'));
      expect(line!.trouble).toContain('no field “odd”');
    });
  });

  it('nobody can take the last administrator away, by whatever way', async () => {
    const sorrel = (await w.admin.accounts()).find((a) => a.login === 'sorrel')!;
    const line = (await w.admin.rights()).find((l) => l.role === 'administrator' && l.acts.includes('administer'))!;
    const ways = [
      () => w.admin.dropRight(line.id),
      () => w.admin.addRight({ login: 'sorrel', effect: 'deny', acts: ['administer'] }),
      () => w.admin.addRight({ role: 'administrator', effect: 'deny', acts: ['see', 'administer'] }),
      () => w.admin.changeAccount(sorrel.id, { role: 'reader' }),
      () => w.admin.changeAccount(sorrel.id, { active: false }),
    ];
    for (const way of ways) expect(await refusedWith(way())).toMatchObject({ code: 'would_alter', status: 409 });
    expect((await w.admin.me()).may).toContain('administer');
    // Two that each would leave one, at the same moment, do not leave none.
    const other = await w.admin.addAccount({
      login: 'two',
      name: 'Two',
      role: 'administrator',
      password: 'long enough',
    });
    const both = await Promise.allSettled(
      [other.id, sorrel.id].map((id) => w.admin.changeAccount(id, { role: 'reader' })),
    );
    expect(both.filter((b) => b.status === 'fulfilled')).toHaveLength(1);
    await w.services.accounts.change(sorrel.id, { role: 'administrator' }, null);
    await w.services.accounts.change(other.id, { active: false }, null);
  });

  it('a record named in a line is kept by its key, and a right rests on no saved selection', async () => {
    const line = { login: 'piers', effect: 'deny', acts: ['see'], types: ['bookings'] } as const;
    const added = await w.admin.addRight({
      ...line,
      acts: ['see'],
      types: ['bookings'],
      filter: "owner = 'Ines Calloway'",
    });
    expect(added).toMatchObject({ filter: 'owner = 1', trouble: null });
    const left = await w.editor.search('bookings', { limit: 1, count: 'exact' });
    const { rows } = await w.sql.query('select count(*)::int as n from bookings where owner is distinct from 1');
    expect(left.numberMatched).toBe(rows[0].n);
    await w.admin.dropRight(added.id);
    const saved = await w.admin.saveSelection({ name: 'Ground', selection: { type: 'bookings', filter: 'hives > 0' } });
    for (const filter of ["owner = 'Ines Caloway'", "in_selection('Ground')", "in_selection('none such')"])
      expect(
        await refusedWith(w.admin.addRight({ ...line, acts: ['see'], types: ['bookings'], filter })),
      ).toMatchObject({ status: 400, problems: [{ where: 'filter', span: expect.any(Object) }] });
    await w.admin.dropSelection(saved.name);
  });

  it('of a type that a person may not see they may do nothing; administrators are told so, they are not', async () => {
    await under([to('wren', 'deny', ['see'], { types: ['invoices'] })], async () => {
      const { types, lines } = await w.admin.may('wren');
      const invoices = types.find((t) => t.type === 'invoices')!;
      const denial = lines.find((l) => l.login === 'wren')!;
      expect(invoices.acts.map((a) => a.may)).toEqual(invoices.acts.map(() => 'none'));
      expect(invoices.acts[0]).toMatchObject({ words: 'may not see: a line denies it', lines: [denial.id] });
      expect(invoices.acts[1]).toMatchObject({ words: 'may not change: may not see them', lines: [denial.id] });
      expect((await w.reader.may('wren')).types.map((t) => t.type)).not.toContain('invoices');
    });
    await w.admin.setType('remarks', { hidden: true });
    const remarks = (await w.admin.may('wren')).types.find((t) => t.type === 'remarks')!;
    expect(remarks.acts[0]).toMatchObject({ may: 'none', words: 'may not see: the type is hidden', lines: [] });
    await w.admin.setType('remarks', { hidden: false });
  });

  it('refuses lines that mean nothing, and answers to odd ones', async () => {
    const wrong = (body: object) =>
      refusedWith(w.admin.addRight({ effect: 'allow', acts: ['see'], role: 'reader', ...body }));
    expect(await wrong({ login: 'piers' })).toMatchObject({ code: 'bad_request' });
    expect(await wrong({ role: undefined })).toMatchObject({ code: 'bad_request' });
    expect(await wrong({ role: 'chiefs' })).toMatchObject({ code: 'bad_value' });
    expect(await wrong({ role: undefined, login: 'none' })).toMatchObject({ code: 'not_found' });
    expect(await wrong({ acts: ['fly'] })).toMatchObject({ code: 'bad_request' });
    expect(await wrong({ acts: [] })).toMatchObject({ code: 'bad_request' });
    expect(await wrong({ types: ['bookings'], filter: 'statsu = 1' })).toMatchObject({
      code: 'unknown_field',
      problems: [{ where: 'filter' }],
    });
    expect(await wrong({ types: ['bookings'], filter: "in_selection('x')" })).toMatchObject({ code: 'bad_value' });
    expect(await wrong({ types: ['bookings'], filter: '\0' })).toMatchObject({ status: 400 });
    expect(await wrong({ acts: ['change_many'], most: 2 ** 53 })).toMatchObject({ status: 400 });
    expect(await refusedWith(w.admin.dropRight('00000000-0000-7000-8000-000000000000'))).toMatchObject({ status: 404 });
  });

  it('a role of one’s own has no right until lines give it some', async () => {
    await w.admin.addRole({ id: 'field-staff', label: 'Field staff' });
    expect(await refusedWith(w.admin.addRole({ id: 'field-staff', label: 'x' }))).toMatchObject({ code: 'name_taken' });
    expect(await refusedWith(w.admin.addRole({ id: 'Field Staff', label: 'x' }))).toMatchObject({ code: 'bad_value' });
    const wren = (await w.admin.accounts()).find((a) => a.login === 'wren')!;
    await w.admin.changeAccount(wren.id, { role: 'field-staff' });
    expect(await w.reader.types()).toEqual([]);
    expect((await w.reader.me()).roleLabel).toBe('Field staff');
    await under([{ role: 'field-staff', effect: 'allow', acts: ['see'], types: ['hives'] }], async () => {
      expect((await w.reader.types()).map((t) => t.id)).toEqual(['hives']);
      // What its fields point at is not theirs to follow.
      const owner = (await w.reader.type('hives')).fields.find((f) => f.name === 'owner')!;
      expect(owner).toMatchObject({ refersTo: null, kind: 'number' });
      expect(await refusedWith(w.reader.search('hives', { filter: "owner = 'Ines Calloway'" }))).toMatchObject({
        status: 400,
      });
    });
    expect(await refusedWith(w.admin.dropRole('field-staff'))).toMatchObject({ code: 'wrong_state' });
    await w.admin.changeAccount(wren.id, { role: 'reader' });
    await w.admin.dropRole('field-staff');
    expect(await refusedWith(w.admin.dropRole('reader'))).toMatchObject({ code: 'wrong_state' });
  });

  it('says what a person may do, and by which line', async () => {
    await under(
      [to('wren', 'allow', ['change'], { types: ['bookings'], fields: ['note', 'region'], filter: 'owner = me()' })],
      async () => {
        const may = await w.admin.may('wren');
        const bookings = may.types.find((t) => t.type === 'bookings')!;
        const act = (name: string) => bookings.acts.find((a) => a.act === name)!;
        const line = may.lines.find((l) => l.login === 'wren')!;
        expect(act('change')).toMatchObject({ may: 'some', lines: [line.id] });
        expect(act('change').words).toBe('may change, only region and note, where owner = me(), 100 records a run');
        expect(act('see')).toMatchObject({ may: 'all', words: 'may see' });
        expect(act('delete')).toMatchObject({ may: 'none', words: 'may not delete: no line allows it', lines: [] });
        expect(may.general.find((g) => g.act === 'administer')).toMatchObject({ may: 'none' });
        // Of oneself as far as one sees; of others not at all.
        const own = await w.reader.may('wren');
        expect(own.types.find((t) => t.type === 'bookings')!.acts).toEqual(bookings.acts);
        expect(own.lines).toEqual([]);
        expect(await refusedWith(w.reader.may('sorrel'))).toMatchObject({ status: 403 });
        expect(await refusedWith(w.reader.may('nobody'))).toMatchObject({ status: 403 });
        expect(await refusedWith(w.admin.may('nobody'))).toMatchObject({ status: 404 });
      },
    );
  });
});
