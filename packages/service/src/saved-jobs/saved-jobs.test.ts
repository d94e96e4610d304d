import type { SavedJobBody, SavedJobsFileBody } from '@tantamos/contract';
import { ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

const leaver: SavedJobBody = {
  name: 'leaver',
  folder: 'People',
  note: 'When somebody leaves',
  open: true,
  job: {
    selection: { type: 'growers', filter: "owner = 'Tobias Fenwick' AND customer_since < DATE('2030-01-01')" },
    edits: [
      { kind: 'split', field: 'owner', among: [{ to: 'Ines Calloway' }, { to: 'Verity Rushwater' }] },
      { kind: 'fill', field: 'note', value: 'handed over' },
    ],
    safety: { askAfter: null, pace: 100 },
    why: 'Somebody leaves',
  },
  inputs: [
    { name: 'leaver', label: 'Who leaves', spots: [{ at: '/selection/filter', literal: 0 }] },
    {
      name: 'before',
      label: 'Customers since before',
      spots: [{ at: '/selection/filter', literal: 1 }],
      usual: 'TODAY()',
    },
    { name: 'first', label: 'First heir', spots: [{ at: '/edits/0/among/0/to' }] },
    { name: 'words', label: 'What is noted', spots: [{ at: '/edits/1/value' }], among: ['handed over', 'left'] },
  ],
  look: { columns: ['name', 'owner', 'note'], sort: ['-name'] },
};

describe('saved jobs', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());
  const count = async (where: string) =>
    (await w.sql.query<{ n: number }>(`select count(*)::int as n from growers where ${where}`)).rows[0]!.n;

  it('says which values of a job may be asked for', async () => {
    const all = await w.editor.constants(leaver.job);
    expect(all.map((c) => [c.kind, c.text, c.label, c.spot])).toEqual([
      ['record', 'Tobias Fenwick', 'owner', { at: '/selection/filter', literal: 0 }],
      ['date', '2030-01-01', 'customer since', { at: '/selection/filter', literal: 1 }],
      ['record', 'Ines Calloway', 'owner', { at: '/edits/0/among/0/to' }],
      ['record', 'Verity Rushwater', 'owner', { at: '/edits/0/among/1/to' }],
      ['text', 'handed over', 'note', { at: '/edits/1/value' }],
    ]);
  });

  it('is saved with what it asks for, and says so as a form and as a schema', async () => {
    const saved = await w.admin.saveJob(leaver);
    expect(saved).toMatchObject({ version: 1, mine: true, trouble: null, folder: 'People', type: 'growers' });
    expect(saved.sentence).toMatch(/^On the growers where owner is ‹leaver›/);
    const today = new Date().toISOString().slice(0, 10);
    expect(saved.asks.map((a) => [a.name, a.kind, a.type, a.usual])).toEqual([
      ['leaver', 'record', 'staff', 'Tobias Fenwick'],
      ['before', 'date', null, today],
      ['first', 'record', 'staff', 'Ines Calloway'],
      ['words', 'text', null, 'handed over'],
    ]);
    expect(saved.schema).toMatchObject({
      properties: { before: { format: 'date', default: today }, words: { enum: ['handed over', 'left'] } },
    });
    expect(saved.uses).toContainEqual({ what: 'field', name: 'owner' });
    expect((await w.editor.savedJobs()).map((j) => [j.name, j.mine, j.mayChange])).toEqual([['leaver', false, false]]);
  });

  it('is used with other values, and the preview follows the last one made of it', async () => {
    const first = await w.editor.useJob('leaver', { inputs: { Leaver: 'Ines Calloway', first: 'Tobias Fenwick' } });
    expect(first.sentence).toContain('owner is Ines Calloway');
    expect(first.sentence).toContain('among Tobias Fenwick and Verity Rushwater');
    expect(first.totals.matched).toBe(await count('owner = 1 and customer_since < current_date'));
    const again = await w.editor.useJob('leaver', { inputs: { words: 'left' } });
    expect(again.totals.matched).toBe(await count('owner = 2 and customer_since < current_date'));
    expect(again.job!.after).toBe(first.id);
    expect((await w.editor.savedJob('leaver')).lastPreview).toBe(again.id);
    const run = await ran(w.editor, again.id, { askAfter: null, expect: again.totals.will_change });
    expect(run.totals.changed).toBe(again.totals.will_change);
  });

  it('goes on meaning the same person when their name changes', async () => {
    await w.sql.query(`update staff set name = 'Tobias Renamed' where id = 2`);
    const p = await w.editor.useJob('leaver', { inputs: { leaver: '3' } });
    expect(p.state).not.toBe('failed');
    const renamed = await w.editor.useJob('leaver', {});
    expect(renamed.sentence).toContain('owner is 2');
    await w.sql.query(`update staff set name = 'Tobias Fenwick' where id = 2`);
    expect((await w.editor.useJob('leaver', {})).sentence).toContain('owner is Tobias Fenwick');
  });

  it.each<[string, Record<string, string>, string]>([
    ['something it does not ask for', { nobody: 'x' }, 'inputs.nobody'],
    ['nothing', { leaver: ' ' }, 'inputs.leaver'],
    ['a day that is none', { before: 'soon' }, 'inputs.before'],
    ['a value that may not be chosen', { words: 'gone' }, 'inputs.words'],
  ])('refuses %s', async (_, inputs, where) => {
    const answer = await refusedWith(w.editor.useJob('leaver', { inputs }));
    expect([answer.status, answer.problems[0]!.where]).toEqual([400, where]);
  });

  it('asks about a name that is unknown or of two people, as any job does', async () => {
    const answer = await refusedWith(w.editor.useJob('leaver', { inputs: { leaver: 'Ines Caloway' } }));
    expect(answer.problems[0]).toMatchObject({ code: 'unknown_name', suggestions: ["'Ines Calloway'"] });
  });

  it.each<[string, Partial<SavedJobBody>]>([
    ['a name of quotes', { name: "it's" }],
    [
      'an input in the place of nothing there is',
      { inputs: [{ name: 'x', label: 'x', spots: [{ at: '/edits/9/value' }] }] },
    ],
    [
      'an input of two kinds',
      { inputs: [{ name: 'x', label: 'x', spots: [{ at: '/edits/0/among/0/to' }, { at: '/edits/1/value' }] }] },
    ],
    ['a hostile pointer', { inputs: [{ name: 'x', label: 'x', spots: [{ at: '/__proto__/x' }] }] }],
    ['a usual value that is none', { inputs: [{ ...leaver.inputs![1]!, usual: 'owner' }] }],
    ['records picked by hand', { job: { ...leaver.job, selection: { type: 'growers', keys: ['1'] } } }],
    ['a job that is wrong', { job: { ...leaver.job, edits: [{ kind: 'clear', field: 'nope' }] } }],
    ['an account there is not', { people: ['nobody'] }],
  ])('refuses to save %s', async (_, wrong) => {
    const answer = await refusedWith(w.admin.saveJob({ ...leaver, name: 'wrong', ...wrong }));
    expect(answer.status).toBeLessThan(500);
    expect((await w.admin.savedJobs()).map((j) => j.name)).not.toContain('wrong');
  });

  it('keeps every version with what changed and why, and refuses a change made on an older one', async () => {
    const { version } = await w.admin.savedJob('leaver');
    const edits = [leaver.job.edits[0]!];
    await w.admin.saveJob({
      ...leaver,
      job: { ...leaver.job, edits },
      inputs: leaver.inputs!.slice(0, 3),
      version,
      why: 'no notes',
    });
    expect(await refusedWith(w.admin.saveJob({ ...leaver, version }))).toMatchObject({ code: 'stale_version' });
    const [newest, first] = await w.admin.savedJobVersions('leaver');
    expect(newest).toMatchObject({ version: 2, why: 'no notes' });
    expect(newest!.changes).toEqual(['no longer: fill blank note with “handed over”', 'asks for something else']);
    const back = await w.admin.saveJob({
      ...leaver,
      job: first!.job as SavedJobBody['job'],
      inputs: [...first!.inputs] as SavedJobBody['inputs'],
    });
    expect(back.sentence).toContain('fill blank note');
  });

  it('is private, shared with some, or open to all', async () => {
    await w.admin.saveJob({ ...leaver, name: 'mine', open: false });
    expect((await w.editor.savedJobs()).map((j) => j.name)).not.toContain('mine');
    expect((await refusedWith(w.editor.savedJob('mine'))).status).toBe(404);
    expect((await refusedWith(w.editor.saveJob({ ...leaver, name: 'mine' }))).code).toBe('name_taken');
    await w.admin.saveJob({ ...leaver, name: 'mine', open: false, people: ['piers'] });
    expect((await w.editor.savedJobs()).map((j) => j.name)).toContain('mine');
    expect((await w.reader.savedJobs()).map((j) => j.name)).not.toContain('mine');
    expect((await refusedWith(w.editor.dropSavedJob('mine'))).status).toBe(403);
    await w.admin.dropSavedJob('mine');
  });

  it('needs a look when what it names has gone, before it is used', async () => {
    await w.sql.query('alter table growers add column odd text');
    w.services.catalogs.refresh();
    await w.admin.saveJob({
      name: 'odd',
      job: { selection: { type: 'growers', filter: "odd = 'x'" }, edits: [{ kind: 'clear', field: 'odd' }] },
    });
    await w.sql.query('alter table growers drop column odd');
    w.services.catalogs.refresh();
    expect((await w.admin.savedJob('odd')).trouble).toContain('odd');
    expect((await refusedWith(w.admin.useJob('odd', {}))).detail).toContain('needs a look');
    await w.admin.dropSavedJob('odd');
  });

  it('keeps what it rests on from being deleted', async () => {
    await w.admin.saveSelection({ name: 'few', selection: { type: 'growers', filter: 'id < 9' } });
    await w.admin.saveRule({ name: 'noted', type: 'growers', message: 'Say something.', holds: 'note IS NOT NULL' });
    await w.admin.saveJob({
      name: 'resting',
      job: {
        selection: { type: 'growers', filter: "in_selection('few') AND breaks_rule('noted')" },
        edits: [{ kind: 'set', field: 'note', value: 'x' }],
      },
    });
    expect((await w.admin.savedJob('resting')).uses.slice(0, 2)).toEqual([
      { what: 'selection', name: 'few' },
      { what: 'rule', name: 'noted' },
    ]);
    expect((await refusedWith(w.admin.dropSelection('few'))).detail).toContain('a saved job finds records by it');
    expect((await refusedWith(w.admin.dropRule('noted'))).detail).toContain(
      'the job “resting” asks for what breaks it',
    );
    await w.admin.dropSavedJob('resting');
    await w.admin.dropRule('noted');
    await w.admin.dropSelection('few');
  });

  it('goes out as a file and comes in again, all or nothing', async () => {
    const file = JSON.parse(await (await w.admin.files.savedJobsFile()).text()) as SavedJobsFileBody;
    expect(file.jobs.map((j) => j.name)).toEqual(['leaver']);
    await w.admin.dropSavedJob('leaver');
    const broken = {
      ...file,
      jobs: [...file.jobs, { ...file.jobs[0]!, name: 'b', job: { ...leaver.job, edits: [] } }],
    };
    expect((await refusedWith(w.admin.importJobs({ file: broken }))).detail).toContain('“b” could not be taken');
    expect(await w.admin.savedJobs()).toEqual([]);
    expect((await w.admin.importJobs({ file })).map((j) => j.name)).toEqual(['leaver']);
    expect((await refusedWith(w.admin.importJobs({ file }))).code).toBe('name_taken');
    expect(await w.admin.importJobs({ file, taken: 'skip' })).toEqual([]);
  });

  it('asks who is meant where a name of the file is another’s here', async () => {
    const file = JSON.parse(await (await w.admin.files.savedJobsFile()).text()) as SavedJobsFileBody;
    expect(file.jobs[0]!.keys!.staff).toMatchObject({ 'Tobias Fenwick': '2', 'Ines Calloway': '1' });
    await w.admin.dropSavedJob('leaver');
    const elsewhere = { ...file, jobs: [{ ...file.jobs[0]!, keys: { staff: { 'Tobias Fenwick': '77' } } }] };
    const answer = await refusedWith(w.admin.importJobs({ file: elsewhere }));
    expect(answer.problems[0]).toMatchObject({ code: 'ambiguous_name', where: 'names.Tobias Fenwick' });
    const unknown = JSON.parse(
      JSON.stringify(file).replaceAll('Tobias Fenwick', 'Tobias Elsewhere'),
    ) as SavedJobsFileBody;
    expect((await refusedWith(w.admin.importJobs({ file: unknown }))).code).toBe('unknown_name');
    const [taken] = await w.admin.importJobs({ file: unknown, names: { 'Tobias Elsewhere': 'Verity Rushwater' } });
    expect(taken!.asks[0]!.usual).toBe('Verity Rushwater');
    await w.admin.dropSavedJob('leaver');
    // As it is, where it is theirs.
    await w.admin.importJobs({ file: elsewhere, names: { 'Tobias Fenwick': 'Tobias Fenwick' } });
  });

  it('is used with a preview, or neither is noted', async () => {
    await w.admin.saveJob(leaver);
    const previews = async () =>
      (await w.sql.query<{ n: number }>('select count(*)::int as n from tantamos.preview')).rows[0]!.n;
    const before = await previews();
    await w.sql.query('alter table tantamos.saved_job rename column used_at to used_once');
    await expect(w.admin.useJob('leaver', {})).rejects.toThrow();
    await w.sql.query('alter table tantamos.saved_job rename column used_once to used_at');
    expect(await previews()).toBe(before);
    const p = await w.admin.useJob('leaver', {});
    expect((await w.admin.savedJob('leaver')).lastPreview).toBe(p.id);
    await w.admin.dropSavedJob('leaver');
  });

  it('asks for a pasted list, which is matched as the saved one had been', async () => {
    const { id } = await w.admin.paste({
      text: 'G-000001\nG-000002',
      targets: [{ type: 'growers', fields: ['code'] }],
    });
    const job: SavedJobBody['job'] = {
      selection: { type: 'growers', list: { id, unknown: 'skip' } },
      edits: [{ kind: 'set', field: 'note', value: 'listed' }],
    };
    expect((await refusedWith(w.admin.saveJob({ name: 'listed', job }))).detail).toContain('ask for the list');
    const inputs = [{ name: 'codes', label: 'Codes', spots: [{ at: '/selection/list/id' }] }];
    const saved = await w.admin.saveJob({ name: 'listed', job, inputs });
    expect(saved.asks[0]).toMatchObject({ kind: 'list', usual: id });
    expect((await w.admin.useJob('listed', {})).totals.matched).toBe(2);
    const p = await w.admin.useJob('listed', { inputs: { codes: 'G-000007\nG-000008\ng-000009\nnone' } });
    expect([p.totals.matched, p.list!.unknown]).toEqual([3, 1]);
    await w.admin.dropSavedJob('listed');
  });

  describe('that asks for a file', () => {
    const file = (text: string, by = w.admin) => by.uploadFile({ name: 'prices.csv' }, new TextEncoder().encode(text));
    const plan = {
      type: 'bookings',
      match: [{ column: 'ref', field: 'reference' }],
      take: [{ field: 'price_per_hive', column: 'price' }],
      unknown: 'skip' as const,
    };
    const spots = [{ at: '/selection/list/id' }];
    let job: SavedJobBody['job'];
    let first: string;
    beforeAll(async () => {
      ({ id: first } = await file('ref,price\nB-0000001,41\nB-0000002,42\n'));
      const work = await w.admin.planFile(first, plan);
      job = {
        ...(work.job as SavedJobBody['job']),
        edits: [...(work.job!.edits as SavedJobBody['job']['edits']), { kind: 'set', field: 'note', value: 'priced' }],
      };
    });
    afterAll(() => w.admin.dropSavedJob('prices'));

    it('is not saved with the rows of one time, nor with what is usual for a file', async () => {
      expect((await refusedWith(w.admin.saveJob({ name: 'prices', job }))).detail).toContain(
        'ask for the list or the file',
      );
      const usual = [{ name: 'file', label: 'Prices', spots, usual: "'x'" }];
      expect((await refusedWith(w.admin.saveJob({ name: 'prices', job, inputs: usual }))).problems[0]!.where).toMatch(
        /^inputs\[0\]/,
      );
    });

    it('takes the rows of another one under the same plan, with what else the job says', async () => {
      const inputs = [
        { name: 'file', label: 'Prices', spots },
        { name: 'words', label: 'Note', spots: [{ at: '/edits/1/value' }] },
      ];
      const saved = await w.admin.saveJob({ name: 'prices', job, inputs, open: true });
      expect(saved.asks[0]).toMatchObject({ kind: 'file', usual: '' });
      expect(saved.sentence).toContain('in the file “‹file›”: put values, one a record, into price per hive');
      expect(saved.schema).toMatchObject({ properties: { file: { format: 'uuid' } } });
      const { id } = await file('ref,price\nB-0000003,43\nB-0000004,44\nB-0000005,45\nnone,1\n');
      const p = await w.admin.useJob('prices', { inputs: { file: id, words: 'anew' } });
      expect(p.sentence).toContain('put 3 values, one a record, into price per hive and set note to “anew”');
      const { records } = await w.admin.previewRecords(p.id, {});
      expect(records.map((r) => r.key)).toEqual(['3', '4', '5']);
      expect(records[0]!.changes.map((c) => c.new?.value)).toEqual(['43.00', 'anew']);
    });

    it('says what is wrong with the file that is said, or that none is', async () => {
      const trouble = async (said: Record<string, string>) =>
        (await refusedWith(w.admin.useJob('prices', { inputs: said }))).problems[0];
      expect(await trouble({})).toMatchObject({ where: 'inputs.file', message: 'Say Prices: nothing was said.' });
      expect(await trouble({ file: 'prices.csv' })).toMatchObject({ where: 'inputs.file' });
      const { id: other } = await file('code,amount\nB-0000003,43\n');
      expect(await trouble({ file: other })).toMatchObject({
        where: 'inputs.file',
        message: expect.stringContaining('no column “ref”') as string,
      });
      const { id: none } = await file('ref,price\nnone,43\n');
      expect((await trouble({ file: none }))!.message).toMatch(/^“prices.csv”: No row can be taken.*1 row/);
      const { id: theirs } = await file('ref,price\nB-0000003,43\n', w.editor);
      expect((await trouble({ file: theirs }))!.message).toContain('no such file of yours');
      // The job is open: its user brings a file of their own.
      expect((await w.editor.useJob('prices', { inputs: { file: theirs } })).totals.matched).toBe(1);
    });

    it('keeps the file and its values as long as it is kept', async () => {
      await w.sql.query(`update tantamos.file set made_at = now() - interval '9 days' where id = $1`, [first]);
      await w.sql.query(`update tantamos.list set made_at = now() - interval '9 days' where file = $1`, [first]);
      await w.sql.query(`update tantamos.given set made_at = now() - interval '9 days'`);
      await w.sql.query('delete from tantamos.preview_work');
      const { rows } = await w.sql.query<{ id: string }>(`select id from tantamos.given where id::text = $1`, [
        (job.edits[0] as { given: { id: string } }).given.id,
      ]);
      await w.sql.query('select tantamos.drop_unused_values(1000)');
      await file('ref,price\nB-0000003,43\n');
      await w.admin.paste({ text: 'B-0000003', targets: [{ type: 'bookings', fields: ['reference'] }] });
      const kept = await w.sql.query('select from tantamos.given where id = $1', [rows[0]!.id]);
      expect(kept.rowCount).toBe(1);
      expect((await w.admin.savedJob('prices')).trouble).toBeNull();
      const { id } = await file('ref,price\nB-0000006,46\n');
      expect((await w.admin.useJob('prices', { inputs: { file: id } })).totals.matched).toBe(1);
    });

    it('makes new records of its rows where the plan does', async () => {
      const head = 'id,code,name,kind,status,valley';
      const { id: made } = await file(`${head}\n900001,G-900001,Made A,orchard,active,north\n`);
      const growers = {
        type: 'growers',
        match: [{ column: 'code', field: 'code' }],
        take: ['id', 'name', 'kind', 'status', 'valley'].map((of) => ({ field: of, column: of })),
        unknown: 'create' as const,
      };
      const { job: making } = await w.admin.planFile(made, growers);
      expect(making).toMatchObject({ act: 'create' });
      const inputs = [{ name: 'file', label: 'New growers', spots: [{ at: '/from/file' }] }];
      await w.admin.saveJob({ name: 'new growers', job: making as SavedJobBody['job'], inputs });
      const { id } = await file(
        `${head}\n900002,G-900002,Made B,orchard,active,north\n900003,G-900003,Made C,orchard,active,north\n1,G-000001,Renamed,orchard,active,north\n`,
      );
      const p = await w.admin.useJob('new growers', { inputs: { file: id } });
      expect(p.parts.map((part) => [part.act, part.totals.matched])).toEqual([
        ['update', 1],
        ['create', 2],
      ]);
      await w.admin.dropSavedJob('new growers');
    });
  });
});
