import { refusedWith, previewed, onBookings } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('the catalog, read from the database', () => {
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace();
    await w.sql.query('create table season_log (line text)');
    await w.sql.query('create view early as select distinct id, name from growers');
    await w.sql.query(
      'create schema archive; create table archive.staff (id uuid primary key, name text, at time, tags text[], data jsonb)',
    );
    w.services.catalogs.refresh();
  });
  afterAll(() => w.close());

  const field = async (type: string, name: string) => (await w.admin.type(type)).fields.find((f) => f.name === name)!;

  it.each([
    [
      'bookings',
      'id',
      { kind: 'key', base: 'number', required: true, unique: true, notEditable: 'it is the key of the record.' },
    ],
    ['bookings', 'reference', { kind: 'text', maxLength: 12, unique: true, required: true, notEditable: null }],
    ['bookings', 'grower', { kind: 'reference', refersTo: 'growers', required: true }],
    ['bookings', 'status', { kind: 'choice', choices: expect.arrayContaining([{ value: 'draft', label: 'Draft' }]) }],
    [
      'bookings',
      'crop',
      { kind: 'choice', choices: expect.arrayContaining([{ value: 'field_bean', label: 'Field bean' }]) },
    ],
    ['bookings', 'hives', { kind: 'number', scale: 0 }],
    ['bookings', 'price_per_hive', { kind: 'number', precision: 8, scale: 2 }],
    ['bookings', 'total', { kind: 'number', notEditable: 'the database works it out from other fields.' }],
    ['bookings', 'start_on', { kind: 'date' }],
    ['bookings', 'wants_water', { kind: 'yes_no' }],
    ['bookings', 'updated_at', { kind: 'moment' }],
    ['bookings', 'region', { comment: 'Sales region; left blank by the old entry form.', label: 'Region' }],
    ['growers', 'tags', { kind: 'list', notEditable: null }],
    ['growers', 'parent', { kind: 'reference', refersTo: 'growers' }],
    ['staff', 'starts_at', { kind: 'other' }],
  ])('%s.%s', async (type, name, expected) => expect(await field(type, name)).toMatchObject(expected));

  it('knows name fields, owners, rules and triggers', async () => {
    const bookings = await w.admin.type('bookings');
    expect(bookings).toMatchObject({
      label: 'Bookings',
      nameField: 'reference',
      ownerFields: ['owner'],
      notChangeable: null,
      comment: 'Hives rented by a grower for a bloom.',
    });
    expect(bookings.rules.map((r) => r.message)).toContain('A confirmed booking needs a site.');
    expect(bookings.triggers).toEqual([
      { name: 'stamp', comment: 'Stamps the modification time.', at: ['update'], onFields: null },
    ]);
  });

  it.each([
    ['season_log', /no primary key/],
    ['early', /is a view/],
  ])('%s can be read and not changed, and says so', async (type, why) => {
    expect((await w.admin.type(type)).notChangeable).toMatch(why);
    const { rows } = await w.sql.query(`select count(*)::int as n from ${type}`);
    expect((await w.admin.search(type, { count: 'exact' })).numberMatched).toBe(rows[0].n);
    expect(
      await refusedWith(
        w.admin.makePreview({ selection: { type }, edits: [{ kind: 'set', field: 'name', value: 'x' }] }),
      ),
    ).toMatchObject({ code: 'not_changeable' });
  });

  it('tells types of one name in two schemas apart', async () => {
    const ids = (await w.admin.types()).map((t) => t.id);
    expect(ids).toEqual(expect.arrayContaining(['staff', 'archive.staff']));
    expect(ids.filter((id) => id.startsWith('tantamos'))).toEqual([]);
    expect((await w.admin.search('archive.staff', {})).columns.map((c) => c.kind)).toEqual([
      'key',
      'text',
      'other',
      'list',
      'json',
    ]);
  });

  it('keeps what an administrator lays over it, and takes it back', async () => {
    await w.admin.setType('growers', {
      label: 'Customers',
      nameField: 'code',
      ownerFields: ['owner', 'parent'],
      typedFrom: 3,
    });
    expect(await w.editor.type('growers')).toMatchObject({
      label: 'Customers',
      nameField: 'code',
      ownerFields: ['owner', 'parent'],
      bounds: { typedFrom: 3 },
    });
    await w.admin.setType('growers', { label: null, nameField: null, ownerFields: null, typedFrom: null });
    expect(await w.editor.type('growers')).toMatchObject({
      label: 'Growers',
      nameField: 'name',
      ownerFields: ['owner'],
      bounds: { typedFrom: 5000 },
    });
    const ordered = await w.admin.setType('growers', { fieldOrder: ['valley', 'name'] });
    expect(ordered.fields.slice(0, 3).map((f) => f.name)).toEqual(['valley', 'name', 'id']);
    expect((await refusedWith(w.admin.setType('growers', { fieldOrder: ['nope'] }))).code).toBe('unknown_field');
    const back = await w.admin.setType('growers', { fieldOrder: null });
    expect(back.fields[0]!.name).toBe('id');
    expect(await refusedWith(w.admin.setType('growers', { nameField: 'nope' }))).toMatchObject({
      code: 'unknown_field',
    });
    expect(await refusedWith(w.admin.setType('growers', { ownerFields: ['name'] }))).toMatchObject({
      code: 'type_mismatch',
    });
    expect(await refusedWith(w.admin.setType('growers', {}))).toMatchObject({ code: 'bad_request' });
  });

  it('a protected field is not changed, a hidden one not seen, not even through a path', async () => {
    await w.admin.setField('bookings', 'note', { protected: true });
    expect(
      await refusedWith(w.admin.makePreview(onBookings([1], [{ kind: 'set', field: 'note', value: 'x' }]))),
    ).toMatchObject({
      code: 'not_editable',
      detail: 'Note cannot be changed: an administrator has protected it.',
    });
    await w.admin.setField('growers', 'credit_limit', { hidden: true });
    expect(await refusedWith(w.editor.search('growers', { columns: ['credit_limit'] }))).toMatchObject({
      code: 'unknown_field',
    });
    expect(await refusedWith(w.editor.search('bookings', { filter: 'grower.credit_limit > 5' }))).toMatchObject({
      code: 'unknown_field',
    });
    expect((await w.editor.type('growers')).fields.map((f) => f.name)).not.toContain('credit_limit');
    expect((await w.editor.search('growers', { limit: 1 })).columns.map((c) => c.name)).not.toContain('credit_limit');
    await w.admin.setField('growers', 'credit_limit', { hidden: false, label: 'Limit' });
    expect(await field('growers', 'credit_limit')).toMatchObject({ label: 'Limit', hidden: false });
    await w.admin.setField('bookings', 'note', { protected: false, leftOut: true });
    expect(await field('bookings', 'note')).toMatchObject({ protected: false, leftOut: true });
    await w.admin.setField('bookings', 'note', { leftOut: false });
    expect(await field('bookings', 'note')).toMatchObject({ leftOut: false });
  });

  it('a hidden type is not there for an editor, by no way to it; an administrator sees it', async () => {
    await w.admin.setType('invoices', { hidden: true });
    const job = {
      selection: { type: 'invoices', keys: ['1'] },
      edits: [{ kind: 'set' as const, field: 'state', value: 'paid' }],
    };
    const p = await previewed(w.admin, job);
    for (const call of [
      () => w.editor.type('invoices'),
      () => w.editor.search('invoices', { limit: 1 }),
      () => w.editor.record('invoices', '1'),
      () => w.editor.history('invoices', '1'),
      () => w.editor.sample({ job }),
      () => w.editor.makePreview(job),
    ])
      expect(await refusedWith(call())).toMatchObject({ status: 404, code: 'unknown_type' });
    for (const call of [() => w.editor.preview(p.id), () => w.editor.previewRecords(p.id, {})])
      expect(await refusedWith(call())).toMatchObject({ status: 404, code: 'not_found' });
    expect(await refusedWith(w.editor.search('tasks', { filter: 'invoice.net > 5' }))).toMatchObject({
      code: 'type_mismatch',
    });
    expect((await w.editor.types()).map((t) => t.id)).not.toContain('invoices');
    expect((await w.admin.search('invoices', { limit: 1 })).numberReturned).toBe(1);
    await w.admin.setType('invoices', { hidden: false });
    expect((await w.editor.search('invoices', { limit: 1 })).numberReturned).toBe(1);
  });

  it('works out and changes a type whose keys are UUIDs or texts', async () => {
    await w.sql.query(
      `insert into archive.staff (id, name) select gen_random_uuid(), 'Old ' || n from generate_series(1, 25) n`,
    );
    await w.sql.query(
      `create table crops (code text primary key, name text); insert into crops values ('ap', 'Apple'), ('Pe', 'Pear'), ('z''z', 'Odd "one"'), ('é', null)`,
    );
    w.services.catalogs.refresh();
    for (const [type, count] of [
      ['archive.staff', 25],
      ['crops', 4],
    ] as const) {
      const p = await previewed(w.admin, {
        selection: { type },
        edits: [{ kind: 'set', field: 'name', value: 'New' }],
        safety: { batchSize: 3, pace: 100 },
      });
      const run = await w.admin.startRun({ preview: p.id, expect: count, askAfter: null });
      for await (const now of w.admin.runEvents(run.id))
        if (now.state === 'finished') expect(now.totals.changed).toBe(count);
      const { records } = await w.admin.runRecords(run.id, { limit: 500 });
      expect(new Set(records.map((r) => r.key)).size).toBe(count);
      expect(await w.admin.history(type, records.at(-1)!.key)).toHaveLength(1);
    }
  });
});
