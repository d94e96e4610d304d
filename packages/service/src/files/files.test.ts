import type { FilePlanBody, JobBody } from '@tantamos/contract';
import fc from 'fast-check';
import { done, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** Values from files: which rows are about which records, what their cells become, and what happens to every row. */
describe('values from a file', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const sent = (text: string | Uint8Array<ArrayBuffer>, query: object = {}) =>
    w.admin.uploadFile(
      { name: 'values.csv', ...query },
      typeof text === 'string' ? new TextEncoder().encode(text) : text,
    );
  const planned = async (text: string, plan: Omit<FilePlanBody, 'type'> & { type?: string }) =>
    w.admin.planFile((await sent(text)).id, { type: 'bookings', ...plan });
  const one = async <R>(statement: string): Promise<R> => (await w.sql.query(statement)).rows[0] as R;

  it('each row is accounted for once, each number opens its rows, and what can be done is a job', async () => {
    const { rows } = await w.sql.query<{ reference: string; price: string }>(
      'select reference, price_per_hive::text as price from bookings where id <= 4 order by id',
    );
    const [a, b, c, d] = rows.map((r) => r.reference);
    const text = [
      'Reference;Price per hive;Note',
      `${a};"1.012,50";first`,
      `${b!.toLowerCase()} ;12,5;`,
      `${c};abc;third`,
      `${d};9;x`,
      `${d};10;x`,
      `${a};"1.012,50";first`,
      'B-NOPE;3;y',
      ';;',
      ';4;no key',
    ].join('\r\n');
    const { file, stopped, job } = await planned(text, {
      match: [{ column: 'reference', field: 'reference' }],
      take: [
        { field: 'price_per_hive', column: 'Price per hive' },
        { field: 'note', column: 'Note' },
      ],
      unknown: 'skip',
    });
    expect(file).toMatchObject({ format: 'csv', separator: ';', encoding: 'utf-8', rows: 9 });
    expect(file.report!.sentence).toBe(
      '9 rows = 2 taken + 2 fit no record + 2 contradict each other + 1 said before + 1 do not fit + 1 blank; 2 → 2 bookings',
    );
    expect(stopped).toBeNull();
    const all = (await w.admin.fileRows(file.id, {})).rows;
    expect(all.map((r) => [r.at, r.fate])).toEqual([
      [2, 'taken'],
      [3, 'taken'],
      [4, 'unfit'],
      [5, 'twice'],
      [6, 'twice'],
      [7, 'repeat'],
      [8, 'unknown'],
      [9, 'blank'],
      [10, 'unknown'],
    ]);
    expect(all.map((r) => r.reason)).toEqual([
      null,
      null,
      'Price per hive: “Price per hive” is no number.',
      'rows 5 and 6 say different things of one record',
      'rows 5 and 6 say different things of one record',
      'row 2 says the same',
      'no record fits',
      null,
      '“Reference” is empty',
    ]);
    const left = await (await w.admin.files.fileRows(file.id, { of: 'left', format: 'csv' })).text();
    expect(left.split('\r\n')[1]).toBe(`${c},abc,third,Price per hive: “Price per hive” is no number.`);
    expect(left.trim().split('\r\n')).toHaveLength(7);
    const p = await previewed(w.admin, { ...(job as JobBody), safety: { pace: 100 } });
    expect(p.totals).toMatchObject({ matched: 2, not_allowed: 0 });
    const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    expect(run.totals).toMatchObject({ refused: 0, edited_since: 0 });
    const now = await w.sql.query('select price_per_hive::text as price, note from bookings where id <= 2 order by id');
    // An empty cell leaves what is there.
    const note = await one<{ note: string | null }>('select note from bookings where id = 2');
    expect(now.rows).toEqual([
      { price: '1012.50', note: 'first' },
      { price: '12.50', note: note.note },
    ]);
    const back = await w.admin.undoRun(run.id, {});
    await ran(w.admin, back.id, { askAfter: null, expect: back.totals.will_change });
    const before = await w.sql.query('select price_per_hive::text as price from bookings where id <= 2 order by id');
    expect(before.rows.map((r) => (r as { price: string }).price)).toEqual(rows.slice(0, 2).map((r) => r.price));
  });

  it('rows that fit none become new records, which an undo takes out again', async () => {
    const before = await one<{ n: number }>('select count(*)::int as n from contacts');
    const text = [
      'E-mail,Name,Grower,Source,Created on',
      'ada.bright@mill.example,Ada Bright,Church Acre Co-operative,Fair,2026-05-01',
      'bo.stern@mill.example,Bo Stern,Nobody At All,Fair,2026-05-01',
      'ada.bright@mill.example,Ada Bright,Church Acre Co-operative,Fair,2026-05-01',
    ].join('\n');
    const file = await sent(text);
    const guess = await w.admin.guessPlan(file.id, 'contacts');
    expect(guess.match).toEqual([{ column: 'E-mail', field: 'email' }]);
    // Part of a name is enough where what is in the column is a value of that field, and of no other.
    const partly = async (text: string) => (await w.admin.guessPlan((await sent(text)).id, 'contacts')).take;
    expect(await partly('E-mail,Preference\na@b.example,none\nc@d.example,Season only\n')).toEqual([
      { field: 'mail_preference', column: 'Preference' },
    ]);
    expect(await partly('E-mail,Preference\na@b.example,sometimes\n')).toEqual([]);
    expect(await partly('E-mail,Old mail preference\na@b.example,none\n')).toEqual([]);
    expect(guess.take.map((t) => t.field)).toEqual(['name', 'grower', 'source', 'created_on']);
    const { job, file: now } = await w.admin.planFile(file.id, { ...(guess as FilePlanBody), unknown: 'create' });
    expect(now.report!.sentence).toBe('3 rows = 1 new + 1 said before + 1 do not fit');
    const p = await previewed(w.admin, { ...(job as JobBody), safety: { pace: 100 } });
    expect(p.sentence).toBe('Make 1 record of contacts of the rows of “values.csv” that fit none.');
    // A row is no record: it has neither the name nor the history of the one whose key is its number.
    const [frozen] = (await w.admin.previewRecords(p.id, { outcome: 'will_change' })).records;
    expect(frozen).toMatchObject({ type: 'rows:', key: '1', name: 'Row 1', makes: 'contacts' });
    const first = await w.admin.history('contacts', '1');
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 1 });
    expect(run.totals).toMatchObject({ changed: 1, refused: 0 });
    expect(await w.admin.history('contacts', '1')).toEqual(first);
    const [done] = (await w.admin.runRecords(run.id, { outcome: 'changed' })).records;
    expect(done).toMatchObject({ type: 'contacts', name: 'Ada Bright' });
    const made = await one<Record<string, string>>(
      `select c.name, c.source, c.created_on::text, g.name as grower from contacts c join growers g on g.id = c.grower where c.email = 'ada.bright@mill.example'`,
    );
    expect(made).toEqual({
      name: 'Ada Bright',
      source: 'fair',
      created_on: '2026-05-01',
      grower: 'Church Acre Co-operative',
    });
    // The same file again has nothing to do.
    const again = await w.admin.planFile(file.id, { ...(guess as FilePlanBody), unknown: 'create' });
    expect(again.file.report!.fates).toMatchObject({ taken: 1, new: 0, repeat: 1, unfit: 1 });
    const right = await previewed(w.admin, again.job as JobBody);
    expect(right.totals).toMatchObject({ matched: 1, already_right: 1 });
    const back = await w.admin.undoRun(run.id, {});
    await ran(w.admin, back.id, { askAfter: null, expect: 1 });
    expect(await one('select count(*)::int as n from contacts')).toEqual(before);
  });

  it('new rows that the database refused are tried again as they are', async () => {
    const text = ['x@mill.example', 'y@mill.example'].map((mail) => `${mail},X,Church Acre Co-operative`).join('\n');
    const { job } = await planned(`email,name,grower\n${text}\n`, {
      type: 'contacts',
      match: [{ column: 'email', field: 'email' }],
      take: ['name', 'grower'].map((f) => ({ field: f, column: f })),
      unknown: 'create',
    });
    const p = await previewed(w.admin, { ...(job as JobBody), safety: { pace: 100 } });
    await w.sql.query(`alter table contacts add constraint no_x check (email <> 'x@mill.example') not valid`);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 2 });
    expect(run.totals).toMatchObject({ changed: 1, refused: 1 });
    const [refused] = (await w.admin.runRecords(run.id, { outcome: 'refused' })).records;
    expect(refused).toMatchObject({ type: 'rows:', key: '1', name: 'Row 1' });
    await w.sql.query('alter table contacts drop constraint no_x');
    const again = await w.admin.retryRun(run.id, {});
    const second = await ran(w.admin, again.id, { askAfter: null, expect: 1 });
    expect(second.totals).toMatchObject({ matched: 1, changed: 1 });
    for (const id of [second.id, run.id]) {
      const back = await w.admin.undoRun(id, {});
      await ran(w.admin, back.id, { askAfter: null, expect: 1 });
    }
  });

  it('known and new rows in one file: changed and made by one run', async () => {
    const known = await one<{ email: string }>('select email from contacts where id = 7');
    const text = `email;name;grower;phone\n${known.email};;;+44 1\nnew.one@mill.example;New One;Church Acre Co-operative;+44 2\n`;
    const { job } = await planned(text, {
      type: 'contacts',
      match: [{ column: 'email', field: 'email' }],
      take: ['name', 'grower', 'phone'].map((f) => ({ field: f, column: f })),
      unknown: 'create',
    });
    const p = await previewed(w.admin, { ...(job as JobBody), safety: { pace: 100 } });
    expect(p.parts.map((part) => [part.act, part.type, part.totals.will_change])).toEqual([
      ['update', 'contacts', 1],
      ['create', 'contacts', 1],
    ]);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 2 });
    expect(run.totals).toMatchObject({ changed: 2 });
    const back = await w.admin.undoRun(run.id, {});
    const undone = await ran(w.admin, back.id, { askAfter: null, expect: 2 });
    expect(undone.totals).toMatchObject({ changed: 2 });
  });

  it('what is worked out of columns, an empty cell that clears, and rows that fit several', async () => {
    const { rows } = await w.sql.query<{ reference: string }>(
      `select reference from bookings where note is not null order by id limit 2`,
    );
    const [a, b] = rows.map((r) => r.reference);
    const text = `ref,price,factor,note\n${a},10,1.05,\n${b},20,0,kept\n`;
    const plan = {
      match: [{ column: 'ref', field: 'reference' }],
      take: [
        { field: 'price_per_hive', formula: 'ROUND(file.price / file.factor, 2)' },
        { field: 'note', column: 'note' },
      ],
      blank: 'clear',
      unknown: 'skip',
    } as const;
    const { file, job } = await planned(text, { ...plan, match: [...plan.match], take: [...plan.take] });
    expect(file.report!.reasons).toEqual([{ reason: 'Price per hive: division by zero.', count: 1 }]);
    const p = await previewed(w.admin, job as JobBody);
    const { records } = await w.admin.previewRecords(p.id, { outcome: 'will_change' });
    expect(records.map((r) => r.changes.map((c) => c.new.value))).toEqual([['9.52', null]]);

    const shared = await one<{ email: string; n: number }>(
      'select email, count(*)::int as n from contacts where email is not null group by 1 having count(*) > 1 order by 1 limit 1',
    );
    const several = (how: 'skip' | 'all') =>
      planned(`email,position\n${shared.email},Owner\n`, {
        type: 'contacts',
        match: [{ column: 'email', field: 'email' }],
        take: [{ field: 'position', column: 'position' }],
        several: how,
      });
    const left = await several('skip');
    expect([left.stopped, left.file.report!.reasons[0]!.reason]).toEqual([
      'No row can be taken: look at why.',
      `${shared.n} records fit`,
    ]);
    expect((await several('all')).file.report).toMatchObject({ records: shared.n });
  });

  it('several columns find a record together, one of them along a path', async () => {
    const { valley, crop, name } = await one<Record<string, string>>(
      `select l.valley, l.crop::text, s.name from listings l join staff s on s.id = l.owner where (select count(*) from staff x where x.name = s.name) = 1 limit 1`,
    );
    const { file } = await planned(
      `who,crop,valley,headline\n${name},${crop},${valley},New\n${name},${crop},nowhere,New\n`,
      {
        type: 'listings',
        match: [
          { column: 'who', field: 'owner.name' },
          { column: 'crop', field: 'crop' },
          { column: 'valley', field: 'valley' },
        ],
        take: [{ field: 'headline', column: 'headline' }],
        unknown: 'skip',
      },
    );
    expect(file.report!.fates).toMatchObject({ taken: 1, unknown: 1 });
  });

  it('dates that fit both ways are asked about; those that were turned round are told row by row', async () => {
    const plan: Omit<FilePlanBody, 'type'> = {
      match: [{ column: 'ref', field: 'reference' }],
      take: [{ field: 'start_on', column: 'starts' }],
      unknown: 'skip',
    };
    const both = planned('ref,starts\nB-0000001,3/4/2026\nB-0000002,5/6/2026\n', plan);
    const asked = await refusedWith(both);
    expect([asked.problems[0]!.where, asked.problems[0]!.suggestions]).toEqual([
      'readings.starts.dates',
      ['dmy', 'mdy'],
    ]);
    // One that is certain settles all of them.
    const { file } = await planned('ref,starts\nB-0000001,3/4/2026\nB-0000002,25/6/2026\n', plan);
    expect(file.columns[1]!.order).toBe('dmy');
    const mixed = 'ref,starts\nB-0000001,3/4/2026\nB-0000002,25/6/2026\nB-0000003,6/25/2026\n';
    expect((await refusedWith(planned(mixed, plan))).code).toBe('bad_value');
    const said = await planned(mixed, { ...plan, readings: { starts: { dates: 'dmy' } } });
    expect(said.file.report!.reasons).toEqual([{ reason: 'Start on: “starts” is no date.', count: 1 }]);
  });

  it('somebody who edits a record after the preview is not written over', async () => {
    const { job } = await planned('ref,note\nB-0000011,mine\nB-0000012,mine\n', {
      match: [{ column: 'ref', field: 'reference' }],
      take: [{ field: 'note', column: 'note' }],
    });
    const p = await previewed(w.admin, { ...(job as JobBody), safety: { pace: 100 } });
    await w.sql.query(`update bookings set note = 'theirs' where id = 11`);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 2 });
    expect(run.totals).toMatchObject({ changed: 1, edited_since: 1 });
    expect(await one('select note from bookings where id = 11')).toEqual({ note: 'theirs' });
  });

  it('what is not for a person is not found by a file either, and a file is only its own', async () => {
    await w.admin.addRight({
      role: 'editor',
      effect: 'deny',
      acts: ['see'],
      types: ['growers'],
      filter: "valley = 'south'",
    });
    const { rows } = await w.sql.query<{ code: string }>(
      `(select code from growers where valley = 'south' limit 1) union all (select code from growers where valley = 'north' limit 1)`,
    );
    const bytes = new TextEncoder().encode(`code,note\n${rows.map((r) => `${r.code},x`).join('\n')}\n`);
    const file = await w.editor.uploadFile({ name: 'x.csv' }, bytes);
    const plan: FilePlanBody = {
      type: 'growers',
      match: [{ column: 'code', field: 'code' }],
      take: [{ field: 'note', column: 'note' }],
      unknown: 'skip',
    };
    expect((await w.editor.planFile(file.id, plan)).file.report!.fates).toMatchObject({ taken: 1, unknown: 1 });
    for (const call of [w.admin.file(file.id), w.admin.planFile(file.id, plan), w.admin.fileRows(file.id, {})])
      expect((await refusedWith(call)).code).toBe('not_found');
    const making: JobBody = { selection: { type: 'growers' }, act: 'create', from: { file: file.id }, edits: [] };
    expect((await refusedWith(w.admin.makePreview(making))).code).toBe('not_found');
  });

  it.each([
    [{ match: [] }, 'match'],
    [{ take: [] }, 'take[0]'],
    [{ match: [{ column: 'nope', field: 'reference' }] }, 'match[0].column'],
    [{ match: [{ column: 'ref', field: 'owner' }] }, 'match[0].field'],
    [{ take: [{ field: 'total', column: 'note' }] }, 'take[0].field'],
    [{ take: [{ field: 'note', column: 'note', formula: 'file.note' }] }, 'take[0].column'],
    [{ take: [{ field: 'note', formula: 'note' }] }, 'take[0].formula'],
    [{ take: [{ field: 'note', formula: 'file.nope' }] }, 'take[0].formula'],
    [{ take: [{ field: 'hives', formula: 'file.note * 2' }] }, 'take[0].formula'],
    [
      {
        take: [
          { field: 'note', column: 'note' },
          { field: 'note', column: 'ref' },
        ],
      },
      'take[1].field',
    ],
  ])('says what is wrong with a plan: %#', async (wrong, where) => {
    const plan = {
      match: [{ column: 'ref', field: 'reference' }],
      take: [{ field: 'note', column: 'note' }],
      ...wrong,
    };
    const { problems } = await refusedWith(planned('ref,note\nB-0000001,x\n', plan));
    expect(problems[0]!.where).toBe(where);
  });

  describe('an export that comes back', () => {
    const exported = async (filter: string, more: object = {}): Promise<string[][]> => {
      const file = await w.admin.files.exportRecords('bookings', {
        format: 'csv',
        filter,
        columns: ['id', 'reference', 'owner', 'status', 'price_per_hive', 'start_on', 'note', 'grower.name'],
        sort: ['id'],
        signed: true,
        ...more,
      });
      return (await file.text())
        .trim()
        .split('\r\n')
        .map((line) => line.split(','));
    };
    const back = async (rows: readonly (readonly string[])[], more: Partial<FilePlanBody> = {}) => {
      const file = await sent(rows.map((r) => r.join(',')).join('\n'));
      const guess = await w.admin.guessPlan(file.id, 'bookings');
      return w.admin.planFile(file.id, { ...(guess as FilePlanBody), ...more });
    };

    it('minds nothing in cells that were not edited: a name that many have, or another has by now, one who left', async () => {
      const columns = ['id', 'grower', 'owner', 'price_per_hive', 'note'];
      await w.sql.query(`update growers set name = '=Third' where id = (select grower from bookings where id = 43)`);
      const rows = await exported('id IN (41, 42, 43)', { columns, decimalComma: true, separator: ';' });
      const cells = rows.map((r) => r.join(',').split(';'));
      // As an export writes what a spreadsheet would take for a formula.
      expect(cells[3]![1]).toBe("'=Third");
      const [first, second] = (
        await w.sql.query<{ id: string; name: string }>(
          'select g.id, g.name from growers g join bookings b on b.grower = g.id where b.id in (41, 42) order by b.id',
        )
      ).rows as [{ id: string; name: string }, { id: string; name: string }];
      await w.sql.query('update staff set active = false where id = (select owner from bookings where id = 41)');
      await w.sql.query(`update growers set name = 'Elsewhere' where id = $1`, [first.id]);
      await w.sql.query('update growers set name = $2 where id = $1', [second.id, first.name]);
      cells[2]![4] = 'mine';
      const sentBack = async () => {
        const file = await sent(cells.map((r) => r.join(';')).join('\n'));
        const guess = await w.admin.guessPlan(file.id, 'bookings');
        const readings = { ...(guess as FilePlanBody).readings, price_per_hive: { decimal: ',' } };
        return w.admin.planFile(file.id, { ...(guess as FilePlanBody), readings } as FilePlanBody);
      };
      expect((await sentBack()).file.report!.sentence).toBe(
        '3 rows = 1 taken + 2 not edited; 1 → 1 record of bookings',
      );
      cells[1]![1] = 'Farther On';
      await w.sql.query(
        `update growers set name = 'Farther On' where id = (select grower from bookings where id = 45)`,
      );
      await w.sql.query('update bookings set grower = (select grower from bookings where id = 44) where id = 41');
      const told = (await sentBack()).file.report!.reasons.map((r) => r.reason);
      expect(told).toEqual([expect.stringMatching(/^Grower: was “\D+”, is “\D+” now, the file says “\D+”$/)]);
      cells[1]![1] = first.name;
      cells[3]![1] = 'Nobody Grows Here';
      const { file } = await sentBack();
      expect(file.report!.fates).toMatchObject({ taken: 1, same: 1, unfit: 1 });
      expect(file.report!.reasons).toEqual([
        { reason: expect.stringContaining('Nobody Grows Here') as string, count: 1 },
      ]);
    });

    it('columns that were given another name are known by what is in them', async () => {
      const rows = await exported('id IN (31, 32, 33, 34)');
      const at = (name: string): number => rows[0]!.indexOf(name);
      const [price, owner, note] = [at('price_per_hive'), at('owner'), at('note')];
      rows[2]![price] = '77.25';
      rows[0]![price] = 'What it costs';
      rows[0]![owner] = 'note';
      rows[0]![note] = 'Nothing of the kind';
      const { file } = await back(rows);
      expect(file.plan!.take).toEqual(expect.arrayContaining([{ field: 'price_per_hive', column: 'What it costs' }]));
      // A name that is a field's says so; a column of which nothing tells is left.
      expect(file.plan!.take.filter((t) => t.column === 'Nothing of the kind')).toEqual([]);
      expect(file.report!.fates.taken + file.report!.fates.unfit).toBeGreaterThan(0);
    });

    it('as it was, does nothing; edited, only the cells that were', async () => {
      const rows = await exported('id IN (21, 22, 23)');
      expect(rows[0]!.at(-1)).toBe('Tantamos');
      const same = await back(rows);
      expect([same.stopped, same.file.report!.fates.same, same.file.report!.mended]).toEqual([
        'Nothing was edited in it.',
        3,
        0,
      ]);
      const edited = rows.map((r) => [...r]);
      edited[1]![6] = 'edited';
      edited[2]![4] = '77.7';
      const { job, file } = await back(edited);
      expect(file.report!.sentence).toBe('3 rows = 2 taken + 1 not edited; 2 → 2 bookings');
      const p = await previewed(w.admin, job as JobBody);
      const { records } = await w.admin.previewRecords(p.id, { outcome: 'will_change' });
      const changed = records.map((r) => [
        r.key,
        r.changes.filter((c) => c.old.value !== c.new.value).map((c) => [c.field, c.new.value]),
      ]);
      expect(changed).toEqual([
        ['21', [['note', 'edited']]],
        ['22', [['price_per_hive', '77.70']]],
      ]);
    });

    it('what somebody else changed meanwhile is left, cell by cell; what both made alike is right', async () => {
      const rows = await exported('id IN (24, 25, 26)');
      for (const r of rows.slice(1)) r[6] = 'mine';
      await w.sql.query(
        `update bookings set note = case id when 24 then 'theirs' else 'mine' end where id in (24, 25)`,
      );
      const { file, job } = await back(rows);
      expect(file.report!.fates).toMatchObject({ taken: 2, edited_since: 1 });
      const [row] = (await w.admin.fileRows(file.id, { of: 'edited_since' })).rows;
      expect(row!.reason).toMatch(/^Note: was (blank|“.*”), is “theirs” now, the file says “mine”$/);
      const p = await previewed(w.admin, job as JobBody);
      expect(p.totals).toMatchObject({ will_change: 1, already_right: 1 });
      // What others did elsewhere in the record is none of it.
      const other = await exported('id = 27');
      other[1]![6] = 'mine';
      await w.sql.query('update bookings set price_per_hive = price_per_hive + 1 where id = 27');
      expect((await back(other)).file.report!.fates).toMatchObject({ taken: 1, edited_since: 0 });
    });

    it('what a spreadsheet does by itself is no edit', async () => {
      await w.sql
        .query(`update bookings set note = case id when 31 then '0071' when 32 then '1234567890123456789' when 33 then '=1+1' when 34 then ' kept ' end
        where id in (31, 32, 33, 34)`);
      const rows = await exported('id IN (31, 32, 33, 34)');
      const turned = (day: string): string => {
        const [y, m, d] = day.split('-').map(Number);
        return `${m}/${d}/${y}`;
      };
      const damaged = rows.map((r, i) => (i === 0 ? r : r.map((cell, c) => (c === 5 ? turned(cell) : cell.trim()))));
      damaged[1]![6] = '71';
      damaged[2]![6] = '1.23456789012346E+18';
      expect(damaged[3]![6]).toBe("'=1+1");
      const { stopped, file } = await back(damaged);
      expect([stopped, file.report!.fates.same]).toEqual(['Nothing was edited in it.', 4]);
      expect(file.report!.mended).toBeGreaterThanOrEqual(3);
      const { rows: mended } = await w.admin.fileRows(file.id, { of: 'mended' });
      expect(mended.find((r) => r.n === 1)!.damage).toContain('Note: the file says “71”, taken as “0071”');
      expect(mended.flatMap((r) => r.damage)).toHaveLength(file.report!.mended);
    });

    it('a column that was altered meanwhile: what is the same is the same, written as it is now', async () => {
      const rows = await exported('id IN (51, 52, 53)');
      rows[1]![4] = '71.5';
      rows[2]![6] = 'edited';
      const total = await one<{ is: string }>(
        `select format_type(a.atttypid, a.atttypmod) || ' generated always as ' || pg_get_expr(d.adbin, d.adrelid) || ' stored' as is
         from pg_attribute a join pg_attrdef d on d.adrelid = a.attrelid and d.adnum = a.attnum
         where a.attrelid = 'bookings'::regclass and a.attname = 'total'`,
      );
      await w.sql.query('alter table bookings drop column total');
      await w.sql.query('alter table bookings alter column price_per_hive type numeric(12,3)');
      await w.sql.query('update bookings set price_per_hive = 9 where id = 53');
      // The service looks at the tables anew.
      await w.admin.setWorkspace({});
      rows[3]![4] = '8';
      const { file, job } = await back(rows);
      expect(file.report!.fates).toMatchObject({ taken: 2, edited_since: 1 });
      const p = await previewed(w.admin, job as JobBody);
      const { records } = await w.admin.previewRecords(p.id, { outcome: 'will_change' });
      expect(records.map((r) => r.key)).toEqual(['51', '52']);
      await w.sql.query('alter table bookings rename column note to remark');
      await w.admin.setWorkspace({});
      // What is no field any more is not taken; who takes it all the same hears of it.
      const renamed = await back(rows);
      expect(renamed.file.plan!.take.map((t) => t.field)).not.toContain('note');
      const take = [{ field: 'note', column: 'note' }];
      await expect(back(rows, { take })).rejects.toThrow('Bookings have no field “note”.');
      await w.sql.query('alter table bookings rename column remark to note');
      await w.sql.query('alter table bookings alter column price_per_hive type numeric(8,2)');
      await w.sql.query(`alter table bookings add column total ${total.is}`);
      await w.admin.setWorkspace({});
    });

    it('two people who bring one file back: the second finds it done, and what they may not do is not done', async () => {
      const rows = await exported('id IN (61, 62)');
      rows[1]![6] = 'brought back';
      rows[2]![6] = 'brought back';
      const text = rows.map((r) => r.join(',')).join('\n');
      const by = async (who: typeof w.admin) => {
        const file = await who.uploadFile({ name: 'back.csv' }, new TextEncoder().encode(text));
        const guess = await who.guessPlan(file.id, 'bookings');
        return who.planFile(file.id, guess as FilePlanBody);
      };
      const [first, second] = [await by(w.admin), await by(w.editor)];
      expect([first, second].map((work) => work.file.report!.fates.taken)).toEqual([2, 2]);
      const mine = await previewed(w.admin, first.job as JobBody);
      const theirs = await previewed(w.editor, second.job as JobBody);
      const run = await ran(w.admin, mine.id, { askAfter: null, expect: 2 });
      expect(run.totals.changed).toBe(2);
      const late = await ran(w.editor, theirs.id, { askAfter: null, expect: 2 });
      expect(late.totals).toMatchObject({ changed: 0 });
      expect((await by(w.editor)).file.report!.fates).toMatchObject({ edited_since: 0, unfit: 0 });
    });

    it('cells of any signs stand as they were sent', async () => {
      const odd = [
        'a\\b',
        'say "hi"',
        'tab\there',
        'two\nlines',
        'NULL',
        '{a,b}',
        '\\N',
        '\\.',
        "'",
        '“é”',
        '\\"',
        'a,b;c',
      ];
      const quoted = (text: string): string => `"${text.replaceAll('"', '""')}"`;
      const file = await sent(['id,note', ...odd.map((text, i) => `${201 + i},${quoted(text)}`)].join('\n'));
      const { job } = await w.admin.planFile(file.id, {
        type: 'bookings',
        match: [{ column: 'id', field: 'id' }],
        take: [{ field: 'note', column: 'note' }],
        unknown: 'skip',
      });
      await done(w.admin, job as JobBody);
      const { rows } = await w.sql.query<{ note: string }>(
        'select note from bookings where id between 201 and $1 order by id',
        [200 + odd.length],
      );
      expect(rows.map((r) => r.note)).toEqual(odd);
    });

    it('planning that is broken off leaves nothing half done, and is done again', async () => {
      const rows = await exported('id IN (71, 72)');
      rows[1]![6] = 'again';
      const file = await sent(rows.map((r) => r.join(',')).join('\n'));
      const plan = (await w.admin.guessPlan(file.id, 'bookings')) as FilePlanBody;
      const holder = await w.sql.connect();
      await holder.query('begin');
      await holder.query('select from tantamos.file where id = $1 for update', [file.id]);
      const broken = w.admin.planFile(file.id, plan).catch((error: Error) => error);
      const cut = `select pg_terminate_backend(pid) from pg_stat_activity where wait_event_type = 'Lock' and query like 'select others from tantamos.file%'`;
      for (let i = 0; i < 200 && (await w.sql.query(cut)).rowCount === 0; i++)
        await new Promise((r) => setTimeout(r, 25));
      expect(await broken).toBeInstanceOf(Error);
      await holder.query('rollback');
      holder.release();
      expect((await w.admin.file(file.id)).report).toBeNull();
      expect((await w.admin.planFile(file.id, plan)).file.report!.fates.taken).toBe(1);
    });

    it('a signature that is none, or of other records, finds nothing', async () => {
      const rows = await exported('id IN (35, 36)');
      rows[1]![rows[1]!.length - 1] = 'forged';
      rows[2]![6] = 'edited';
      expect((await back(rows)).file.report!.fates).toMatchObject({ taken: 1, unknown: 1 });
      const file = await sent(rows.map((r) => r.join(',')).join('\n'));
      const plan = { signed: 'Tantamos', match: [], take: [{ field: 'note', column: 'note' }] };
      expect((await refusedWith(w.admin.planFile(file.id, { type: 'growers', ...plan }))).code).toBe('bad_value');
    });

    it('nobody’s edit is written over, whoever edits what: some cells here, some records there', async () => {
      await fc.assert(
        fc.asyncProperty(
          fc.uniqueArray(fc.record({ row: fc.nat(9), note: fc.stringMatching(/^[a-z]{1,6}$/) }), {
            selector: (e) => e.row,
            maxLength: 6,
          }),
          fc.uniqueArray(fc.record({ row: fc.nat(9), note: fc.stringMatching(/^[a-z]{1,6}$/) }), {
            selector: (e) => e.row,
            maxLength: 6,
          }),
          async (mine, theirs) => {
            await w.sql.query(`update bookings set note = 'start' where id between 51 and 60`);
            const rows = await exported('id BETWEEN 51 AND 60');
            for (const { row, note } of mine) rows[row + 1]![6] = note;
            for (const { row, note } of theirs)
              await w.sql.query('update bookings set note = $2 where id = $1', [51 + row, note]);
            const { job } = await back(rows);
            if (job) {
              const p = await previewed(w.admin, { ...(job as JobBody), safety: { pace: 100 } });
              if (p.totals.will_change > 0) await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
            }
            const now = await w.sql.query<{ note: string }>(
              'select note from bookings where id between 51 and 60 order by id',
            );
            const expected = Array.from({ length: 10 }, (_, i) => {
              const other = theirs.find((e) => e.row === i);
              return other ? other.note : (mine.find((e) => e.row === i)?.note ?? 'start');
            });
            expect(now.rows.map((r) => r.note)).toEqual(expected);
          },
        ),
        { numRuns: 12, seed: jest.getSeed() },
      );
    });
  });

  it('a formula reads columns of the file beside fields of the record, as these are when it is previewed', async () => {
    const { rows } = await w.sql.query<{ reference: string; id: number; price: string; hives: number }>(
      `select reference, id, price_per_hive::text as price, hives from bookings
       where price_per_hive between 20 and 60 order by id limit 6`,
    );
    const [a, b, c, d, e, f] = rows;
    const text = [
      'Reference,Least price',
      `${a!.reference},1`,
      `${b!.reference},99.5`,
      `${c!.reference},`,
      `${d!.reference},dear`,
      `${e!.reference},0`,
    ].join('\n');
    const plan = {
      match: [{ column: 'Reference', field: 'reference' }],
      take: [
        { field: 'price_per_hive', formula: 'MAX(price_per_hive, file."least price")' },
        {
          field: 'note',
          formula: `TEXT(100 / file."Least price" * hives)`,
        },
      ],
    };
    const { file, job } = await planned(text, plan);
    expect(file.report!.sentence).toBe('5 rows = 4 taken + 1 do not fit; 4 → 4 bookings');
    expect((await w.admin.fileRows(file.id, { of: 'left' })).rows.map((r) => r.reason)).toEqual([
      'Least price: “Least price” is no number.',
    ]);
    // What the record has is read when it is previewed, not when the file was.
    await w.sql.query('update bookings set price_per_hive = 150 where id = $1', [b!.id]);
    const p = await previewed(w.admin, job as JobBody);
    expect(p.sentence).toContain('set price per hive to what MAX(price_per_hive, file."least price") gives');
    const outcomes = await w.admin.previewRecords(p.id, {});
    const told = Object.fromEntries(outcomes.records.map((r) => [r.key, r]));
    expect(told[a!.id]).toMatchObject({ outcome: 'will_change' });
    // Nothing comes out where the cell is empty: it is left as it is. A division by what the file says is told.
    expect(told[c!.id]).toMatchObject({ outcome: 'already_right' });
    expect(told[e!.id]).toMatchObject({ outcome: 'not_allowed', cause: expect.stringContaining('division by zero') });
    await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
    const is = (id: number) =>
      one<{ price: string; note: string | null }>(
        `select price_per_hive::text as price, note from bookings where id = ${id}`,
      );
    expect(await is(a!.id)).toEqual({ price: a!.price, note: String(100 * a!.hives) });
    expect((await is(b!.id)).price).toBe('150.00');
    expect((await is(c!.id)).price).toBe(c!.price);

    // Somebody else's columns, another place, a column that is text: refused in words, before anything is worked out.
    const { edits } = job as JobBody;
    const [edit] = edits as unknown as { file: { id: string; columns: { name: string; at: number; as: string }[] } }[];
    const said = (more: object) =>
      w.admin.makePreview({ ...job, edits: [{ ...edit, file: { ...edit!.file, ...more } }] } as unknown as JobBody);
    const [column] = edit!.file.columns;
    for (const wrong of [
      { id: '01a21ada-a773-7508-95c9-c877d075c432' },
      { columns: [{ ...column, at: 600 }] },
      { columns: [{ ...column, as: 'date' }] },
      { columns: [{ ...column, name: 'Reference' }] },
    ])
      expect((await refusedWith(said(wrong))).detail).toMatch(/no values of that column|has no column|is a date/);
    expect((await refusedWith(said({ columns: [{ ...column, at: 2147483648 }] }))).detail).toContain('file');

    expect(await refusedWith(planned(text, { ...plan, unknown: 'create' }))).toMatchObject({
      problems: expect.arrayContaining([expect.objectContaining({ where: 'take[0].formula' })]),
    });
    expect(
      await refusedWith(
        planned(text, { ...plan, take: [{ field: 'price_per_hive', formula: 'price_per_hiv + file."Least price"' }] }),
      ),
    ).toMatchObject({ problems: [expect.objectContaining({ where: 'take[0].formula', code: 'unknown_field' })] });

    // One that reads a column hundreds of times is asked for it once, and is no burden.
    const often = Array.from({ length: 200 }, () => 'file."Least price"').join(', ');
    const long = await planned(text, {
      ...plan,
      take: [{ field: 'price_per_hive', formula: `MAX(price_per_hive * 0, ${often})` }],
      blank: 'clear',
    });
    expect((await previewed(w.admin, long.job as JobBody)).totals).toMatchObject({ matched: 4 });

    // Cleared where the file says nothing, and only there.
    const cleared = await planned(text, { ...plan, take: [plan.take[1]!], blank: 'clear' });
    await w.sql.query(`update bookings set note = 'before' where id = any($1)`, [[c!.id, f!.id]]);
    const q = await previewed(w.admin, cleared.job as JobBody);
    await ran(w.admin, q.id, { askAfter: null, expect: q.totals.will_change });
    expect([(await is(c!.id)).note, (await is(f!.id)).note]).toEqual([null, 'before']);
  });

  describe('new records out of nothing', () => {
    const make = (job: Partial<JobBody>): Promise<unknown> =>
      previewed(w.admin, { selection: { type: 'contacts' }, act: 'create', edits: [], ...job });

    it('get what the edits say, so many times', async () => {
      const p = await previewed(w.admin, {
        selection: { type: 'tasks' },
        act: 'create',
        from: { rows: 3 },
        edits: [
          { kind: 'set', field: 'subject', value: 'Call' },
          { kind: 'set', field: 'booking', value: 'B-0000001' },
          { kind: 'compute', field: 'due_on', formula: "DATE('2026-05-01') + 3" },
        ],
        safety: { pace: 100 },
      });
      expect(p.sentence).toMatch(
        /^Make 3 tasks: set subject to “Call”, set booking to B-0000001 and set due on to what/,
      );
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 3 });
      expect(run.totals.changed).toBe(3);
      const made = await w.sql.query(`select state, due_on::text from tasks where subject = 'Call'`);
      expect(made.rows).toEqual(Array(3).fill({ state: 'open', due_on: '2026-05-04' }));
      const back = await w.admin.undoRun(run.id, {});
      await ran(w.admin, back.id, { askAfter: null, expect: 3 });
      expect((await w.sql.query(`select from tasks where subject = 'Call'`)).rowCount).toBe(0);
    });

    it.each([
      [{}, 'edits'],
      [{ from: { rows: 1001 } }, 'from.rows'],
      [{ from: { rows: 1, file: '01a21ada-a773-7508-95c9-c877d075c432' } }, 'from'],
      [{ from: {} }, 'from'],
      [
        { selection: { type: 'contacts', filter: 'id = 1' }, edits: [{ kind: 'set', field: 'name', value: 'x' }] },
        'selection',
      ],
      [{ edits: [{ kind: 'set', field: 'grower', value: 'No Such' }] }, 'edits'],
    ])('says what is wrong: %#', async (job, where) => {
      const answer = await refusedWith(make(job as Partial<JobBody>));
      expect(answer.status).toBe(400);
      expect(answer.problems?.[0]?.where).toBe(where);
    });

    it('needs the right to', async () => {
      await w.admin.addRight({ role: 'editor', effect: 'deny', acts: ['create'], types: ['contacts'] });
      const edits: JobBody['edits'] = [
        { kind: 'set', field: 'name', value: 'x' },
        { kind: 'set', field: 'grower', value: '2' },
      ];
      const made = w.editor.makePreview({ selection: { type: 'contacts' }, act: 'create', edits });
      expect((await refusedWith(made)).code).toBe('not_permitted');
    });
  });
});
