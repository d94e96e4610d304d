import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { SelectionBody, SelectionsFileBody } from '@tantamos/contract';
import { countRecords } from '@tantamos/core';
import { asProblem } from '../database/problems';
import { previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace, seenBy } from '../testing/workspace';

const leftAlone = readFileSync(join(__dirname, '../../../demo/left-alone.txt'), 'utf8');

describe('saying which records', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const count = async (selection: SelectionBody): Promise<number> => {
    const { type, ...parts } = selection;
    return (await w.admin.search(type, { ...parts, limit: 0, count: 'exact' })).numberMatched!;
  };
  const keys = async ({ type, ...parts }: SelectionBody): Promise<string[]> =>
    (await w.admin.search(type, { ...parts, columns: ['id'], limit: 1000 })).records.map((r) => r.key!);
  const byHand = async (sql: string): Promise<number> =>
    Number((await w.sql.query(`select count(*) as n from ${sql}`)).rows[0].n);

  describe('the whole language, against the same by hand', () => {
    it.each([
      [
        'bookings',
        "count(invoices, state = 'open') > 1",
        "bookings b where (select count(*) from invoices i where i.booking = b.id and i.state = 'open') > 1",
      ],
      [
        'growers',
        'sum(bookings.hives) > 900',
        'growers g where (select sum(hives) from bookings b where b.grower = g.id) > 900',
      ],
      [
        'growers',
        "NOT has(bookings, status = 'placed') AND has(contacts)",
        "growers g where not exists (select from bookings b where b.grower = g.id and status = 'placed') and exists (select from contacts c where c.grower = g.id)",
      ],
      [
        'growers',
        "average(bookings.price_per_hive) < 38 AND max(bookings.start_on) > DATE('2026-12-01')",
        "growers g where (select round(avg(price_per_hive), 16) from bookings b where b.grower = g.id) < 38 and (select max(start_on) from bookings b where b.grower = g.id) > '2026-12-01'",
      ],
      ['staff', 'has(staff.lead)', 'staff s where exists (select from staff o where o.lead = s.id)'],
      [
        'bookings',
        'ROUND(total / hives, 2) = price_per_hive',
        'bookings where round(total / hives, 2) = price_per_hive',
      ],
      [
        'bookings',
        'start_on + 30 > end_on AND WEEKDAY(start_on, 2) > 5',
        'bookings where start_on + 30 > end_on and extract(isodow from start_on) > 5',
      ],
      ['growers', "A_CONTAINS(tags, ('steep'))", "growers where tags @> array['steep']"],
      [
        'growers',
        "CASEI(name) LIKE CASEI('%ORCHARDS') AND LEN(code) = 8",
        "growers where name ilike '%orchards' and length(code) = 8",
      ],
      [
        'bookings',
        "T_INTERSECTS(INTERVAL(start_on, end_on), INTERVAL('2026-05-01', '..'))",
        "bookings where end_on >= '2026-05-01'",
      ],
      ['bookings', "updated_at = DATE('2026-02-01')", "bookings where updated_at::date = '2026-02-01'"],
      [
        'sites',
        "IF(crop = 'apple', hectares, 0) > 90 OR SWITCH(valley, 'north', 1, 'High', 2, 0) = 2 AND ISBLANK(access_note)",
        "sites where (crop = 'apple' and hectares > 90) or (valley = 'high' and access_note is null)",
      ],
    ])('%s: %s', async (type, filter, hand) => {
      expect(await count({ type, filter })).toBe(await byHand(hand));
      expect(await count({ type, filter })).toBeGreaterThan(0);
    });

    it('takes the JSON form as a body, and as text in an address, and says places in the text form', async () => {
      const json = {
        op: 'and',
        args: [
          { op: '=', args: [{ property: 'status' }, 'draft'] },
          { op: '>', args: [{ property: 'hives' }, 100] },
        ],
      };
      const expected = await byHand(`bookings where status = 'draft' and hives > 100`);
      expect(await count({ type: 'bookings', filter: json })).toBe(expected);
      expect(await count({ type: 'bookings', filter: JSON.stringify(json), 'filter-lang': 'cql2-json' })).toBe(
        expected,
      );
      const wrong = await refusedWith(
        count({ type: 'bookings', filter: { op: '=', args: [{ property: 'statsu' }, 'x'] } }),
      );
      expect(wrong.problems[0]).toMatchObject({
        code: 'unknown_field',
        span: { start: 0, end: 6 },
        text: "statsu = 'x'",
        suggestions: ['status'],
      });
      expect(
        (await refusedWith(count({ type: 'bookings', filter: { op: '=', args: [{ property: 'hives' }] } }))).detail,
      ).toContain('At $');
      expect((await refusedWith(count({ type: 'bookings', filter: { op: 'xor!', args: [] } }))).code).toBe('syntax');
    });

    it('knows me, and the day in the zone of the workspace', async () => {
      // By key, whoever else is called so.
      await w.sql.query(`update staff set name = 'Sorrel Haldane' where id = 7`);
      expect(await count({ type: 'bookings', filter: 'owner = me()' })).toBe(await byHand('bookings where owner = 5'));
      const { numberMatched } = await w.editor.search('bookings', { filter: 'owner = me()', count: 'exact', limit: 0 });
      expect(numberMatched).toBe(await byHand('bookings where owner = 7'));
      expect(await refusedWith(w.admin.search('bookings', { filter: 'grower = me()' }))).toMatchObject({
        code: 'type_mismatch',
        detail: 'me() is one of staff; grower points at growers.',
      });
      const { id } = (await w.admin.accounts()).find((a) => a.login === 'piers')!;
      await w.admin.changeAccount(id, { person: null });
      expect((await refusedWith(w.editor.search('bookings', { filter: 'owner = me()' }))).detail).toContain(
        'stands for no person’s record',
      );
      await w.admin.changeAccount(id, { person: { type: 'staff', key: '7' } });
      // Past the trigger that stamps the time of every change.
      await w.sql.query(`begin; set local session_replication_role = replica;
        update bookings set updated_at = '2026-02-01T23:30:00Z' where id <= 5; commit`);
      await w.admin.setWorkspace({ timeZone: 'Europe/Berlin' });
      expect(await count({ type: 'bookings', filter: "updated_at = DATE('2026-02-02')" })).toBe(5);
      await w.admin.setWorkspace({ timeZone: 'UTC' });
      expect(await count({ type: 'bookings', filter: "updated_at = DATE('2026-02-02')" })).toBe(0);
      expect((await refusedWith(w.admin.setWorkspace({ timeZone: 'Atlantis/Centre' }))).status).toBe(400);
    });

    it('aborts on nothing: a division by zero, a text that is no number, a date beyond all dates', async () => {
      const filter =
        'hives / (hives - hives) = 1 OR VALUE(reference) > 0 OR start_on + 9999999 < TODAY() OR 10 ^ 100 > hives';
      expect(await count({ type: 'bookings', filter })).toBe(0);
    });

    it('changes nothing whose children have changed since the preview counted them', async () => {
      const job = {
        selection: { type: 'growers', filter: "count(tasks, state = 'open') > 2" },
        edits: [{ kind: 'set' as const, field: 'note', value: 'busy' }],
        safety: { pace: 100 },
      };
      const p = await previewed(w.admin, job);
      const [first] = (await w.admin.previewRecords(p.id, { limit: 1 })).records;
      await w.sql.query(`update tasks set state = 'done' where grower = $1`, [Number(first!.key)]);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      expect(run.totals).toMatchObject({ edited_since: 1, changed: p.totals.will_change - 1 });
    });
  });

  describe('related records', () => {
    it('goes down, up and on: the bookings of these growers, the growers of these invoices', async () => {
      const north = { type: 'growers', filter: "valley = 'north' AND status = 'dormant'" };
      const bookings: SelectionBody = { type: 'bookings', related: { of: north, how: 'pointing_at', field: 'grower' } };
      const hand = `bookings b join growers g on g.id = b.grower where g.valley = 'north' and g.status = 'dormant'`;
      expect(await count(bookings)).toBe(await byHand(hand));
      const invoices: SelectionBody = {
        type: 'invoices',
        filter: "state = 'open'",
        related: { of: bookings, how: 'pointing_at', field: 'booking' },
      };
      expect(await count(invoices)).toBe(
        await byHand(`invoices i where state = 'open' and booking in (select b.id from ${hand})`),
      );
      const growers: SelectionBody = { type: 'growers', related: { of: invoices, how: 'pointed_at', field: 'grower' } };
      expect(await count(growers)).toBe(
        await byHand(
          `growers where id in (select i.grower from invoices i where state = 'open' and booking in (select b.id from ${hand}))`,
        ),
      );
    });

    it('finds siblings, with themselves or without, descendants and ancestors', async () => {
      const [child] = (await w.sql.query('select id, parent from growers where parent is not null order by id limit 1'))
        .rows;
      const of = { type: 'growers', keys: [String(child.id)] };
      const same = await byHand(`growers where parent = ${child.parent}`);
      expect(await count({ type: 'growers', related: { of, how: 'siblings', field: 'parent', self: true } })).toBe(
        same,
      );
      expect(await count({ type: 'growers', related: { of, how: 'siblings', field: 'parent' } })).toBe(same - 1);
      expect(await keys({ type: 'growers', related: { of, how: 'ancestors', field: 'parent' } })).toEqual([
        String(child.parent),
      ]);
      const top = { type: 'staff', filter: 'lead IS NULL' };
      const all = await count({ type: 'staff', related: { of: top, how: 'descendants', field: 'lead', self: true } });
      expect(all).toBe(60);
      const near = await count({ type: 'staff', related: { of: top, how: 'descendants', field: 'lead', depth: 1 } });
      expect(near).toBe(await byHand('staff where lead in (select id from staff where lead is null)'));
    });

    it('finds circles and walks round them once', async () => {
      await w.sql.query('update staff set lead = 59 where id = 60; update staff set lead = 60 where id = 59');
      const related = { of: { type: 'staff', keys: ['60'] }, how: 'descendants' as const, field: 'lead' };
      expect(await keys({ type: 'staff', related })).toContain('59');
      expect((await w.admin.explain('staff', { related })).circles).toBeGreaterThan(0);
    });

    it('refuses a way that does not lead there, and a chain without end', async () => {
      const wrong = await refusedWith(
        count({ type: 'bookings', related: { of: { type: 'growers' }, how: 'pointing_at', field: 'owner' } }),
      );
      expect(wrong.problems[0]).toMatchObject({ code: 'type_mismatch', suggestions: ['grower'] });
      let of: SelectionBody = { type: 'growers' };
      for (let i = 0; i < 15; i++) of = { type: 'growers', related: { of, how: 'siblings', field: 'parent' } };
      expect((await refusedWith(count(of))).code).toBe('too_deep');
    });

    it('counts everything that points at one record', async () => {
      const found = await w.admin.pointers('growers', '1');
      const hand = await byHand('bookings where grower = 1');
      expect(found.find((p) => p.type === 'bookings')).toMatchObject({ field: 'grower', count: hand });
      expect(await w.admin.pointers('listings', '1')).toEqual([]);
    });
  });

  describe('order, limit and sample', () => {
    it('takes the first by an order, and of each value', async () => {
      const first = await keys({ type: 'bookings', filter: "valley = 'north'", take: { count: 5, order: ['-total'] } });
      const hand = await w.sql.query(
        `select id::text from (select id, total from bookings where valley = 'north' order by total desc, id limit 5) b order by total desc, id`,
      );
      expect(first).toEqual(hand.rows.map((r) => r.id));
      expect(await count({ type: 'bookings', take: { count: 3, per: 'status' } })).toBe(15);
    });

    it('takes the same at random for the same seed, and others for another', async () => {
      const sample = (seed: string) => keys({ type: 'bookings', take: { count: 20, seed } });
      expect(await sample('a')).toEqual(await sample('a'));
      expect(await sample('a')).not.toEqual(await sample('b'));
      expect(
        await count({ type: 'bookings', take: { count: 20, seed: 'a' }, drop: (await sample('a')).slice(0, 2) }),
      ).toBe(18);
    });

    it('freezes exactly these in a preview', async () => {
      const p = await previewed(w.admin, {
        selection: { type: 'bookings', filter: "status = 'draft'", take: { count: 7, seed: 'x' } },
        edits: [{ kind: 'set', field: 'note', value: 'sampled' }],
      });
      expect(p.totals.matched).toBe(7);
      expect(p.sentence).toContain('7 bookings where status is Draft, 7 at random');
    });
  });

  describe('a pasted list', () => {
    it('counts every line once, and opens each number', async () => {
      const report = await w.admin.paste({ text: leftAlone, targets: [{ type: 'contacts', fields: ['email'] }] });
      expect(report.sentence).toBe(
        '300 lines = 3 blank + 2 not addresses + 48 repeats + 247 different; 247 = 221 found + 26 unknown; 221 → 243 contacts',
      );
      for (const [of, n] of [
        ['blank', 3],
        ['not_address', 2],
        ['repeat', 48],
        ['different', 247],
        ['found', 221],
        ['unknown', 26],
        ['all', 300],
      ] as const)
        expect([of, (await w.admin.listLines(report.id, { of, limit: 1000 })).lines.length]).toEqual([of, n]);
      const selection: SelectionBody = { type: 'contacts', list: { id: report.id } };
      expect(await count(selection)).toBe(243);
      expect(await count({ type: 'contacts', list: { id: report.id, several: 'none' } })).toBe(199);

      const job = { selection, edits: [{ kind: 'set' as const, field: 'mail_preference', value: 'none' }] };
      expect((await refusedWith(w.admin.makePreview(job))).problems[0]).toMatchObject({
        code: 'unknown_entries',
        suggestions: ['skip'],
      });
      const p = await previewed(w.admin, {
        ...job,
        selection: { type: 'contacts', list: { id: report.id, unknown: 'skip' } },
      });
      expect(p.list?.sentence).toBe(report.sentence);
      expect(p.totals.matched).toBe(243);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      expect(run.list?.found).toBe(221);
    });

    it('lets several records be chosen one by one', async () => {
      const { id } = await w.admin.paste({ text: leftAlone, targets: [{ type: 'contacts', fields: ['email'] }] });
      const [line] = (await w.admin.listLines(id, { of: 'several', limit: 1 })).lines;
      const report = await w.admin.chooseInList(id, {
        type: 'contacts',
        entry: line!.entry!,
        keys: [line!.matches[0]!.key],
      });
      expect(report.byType[0]!.records).toBe(242);
      expect(await count({ type: 'contacts', list: { id } })).toBe(242);
    });

    it('takes whatever comes: names, codes, addresses of pages, keys of other types, several types at once', async () => {
      const text = [
        'G-000012, "G-000013"; G-000014\tg-000012',
        'http://127.0.0.1:7410/records/growers/20',
        'https://crm.example/app/#/growers/21?tab=2',
        ' • G-000015.',
        'H-0000077',
        '\u200b22\u00a0',
        'B-0000001',
        'G-00012',
      ].join('\n');
      const report = await w.admin.paste({
        text,
        targets: [
          { type: 'growers', fields: ['id', 'code'] },
          { type: 'bookings', fields: ['reference'] },
        ],
      });
      expect(report).toMatchObject({ lines: 11, repeats: 1, different: 10, found: 8, unknown: 2 });
      expect(report.byType.map((t) => t.records)).toEqual([7, 1]);
      expect(report.elsewhere).toEqual([{ type: 'hives', field: 'code', count: 1, label: 'Hives' }]);
      const unknown = (await w.admin.listLines(report.id, { of: 'unknown' })).lines;
      expect(unknown.find((l) => l.said === 'G-00012')!.nearest).toContain('G-000120');
      const named = await w.admin.paste({
        text: 'church acre  co-operative\nNobody Estate\n',
        targets: [{ type: 'bookings', fields: ['grower.name'] }],
      });
      expect(named).toMatchObject({ lines: 2, different: 2, found: 1 });
    });

    it('forgets after a day what nothing was made of, and nothing else', async () => {
      const paste = (text: string) => w.editor.paste({ text, targets: [{ type: 'growers', fields: ['code'] }] });
      const [idle, kept] = [await paste('G-000001'), await paste('G-000002')];
      await w.editor.saveSelection({ name: 'from a list', selection: { type: 'growers', list: { id: kept.id } } });
      await w.sql.query(`update tantamos.list set made_at = made_at - interval '2 days' where id = any($1)`, [
        [idle.id, kept.id],
      ]);
      await paste('G-000003');
      expect((await refusedWith(w.editor.list(idle.id))).code).toBe('not_found');
      expect((await w.editor.list(kept.id)).found).toBe(1);
      expect((await w.sql.query('select from tantamos.list_line where list = $1', [idle.id])).rowCount).toBe(0);
    });

    it('matches 50,000 entries, and refuses what is no field to match', async () => {
      const text = Array.from({ length: 50_000 }, (_, i) => `B-${String(i).padStart(7, '0')}`).join('\n');
      const report = await w.admin.paste({ text, targets: [{ type: 'bookings', fields: ['reference'] }] });
      expect(report).toMatchObject({ lines: 50_000, found: 18_000, unknown: 32_000 });
      const problem = await refusedWith(
        w.admin.paste({ text: 'x', targets: [{ type: 'bookings', fields: ['owner'] }] }),
      );
      expect(problem.code).toBe('type_mismatch');
      expect((await refusedWith(w.editor.listLines(report.id, {}))).code).toBe('not_permitted');
    });
  });

  describe('values of their own', () => {
    const put = (field: string, values: Record<string, string>, type = 'bookings') => ({
      selection: { type, keys: Object.keys(values) },
      edits: [{ kind: 'put' as const, field, values }],
    });

    it('gives each record its own, names and choices among them', async () => {
      const p = await previewed(w.admin, put('owner', { '11': 'Ines Calloway', '12': '9', '13': 'Ines Calloway' }));
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      expect(run.totals.changed + run.totals.already_right).toBe(3);
      const { rows } = await w.sql.query(
        `select array_agg(s.name order by b.id) as names from bookings b join staff s on s.id = b.owner where b.id in (11, 13)`,
      );
      expect(rows[0].names).toEqual(['Ines Calloway', 'Ines Calloway']);
      expect(p.sentence).toContain('put 3 values, one a record, into owner');
      expect((await previewed(w.admin, put('crop', { '1': 'Field bean', '2': 'apple' }))).totals.matched).toBe(2);
      expect((await previewed(w.admin, put('start_on', { '1': '2026-05-01', '2': '2026-05-02' }))).totals.matched).toBe(
        2,
      );
      expect((await previewed(w.admin, put('price_per_hive', { '1': '40.25' }))).pairs[0]!.new.value).toBe('40.25');
    });

    it('says what is wrong with one of them, and takes as many as there are', async () => {
      expect(
        (await refusedWith(w.admin.makePreview(put('hives', { '1': '5', '2': 'many' })))).problems[0],
      ).toMatchObject({ code: 'bad_value', where: 'edits[0].values["2"]' });
      expect((await refusedWith(w.admin.makePreview(put('owner', { '1': 'Ines Caloway' })))).problems[0]).toMatchObject(
        { code: 'unknown_name' },
      );
      const many = Object.fromEntries(Array.from({ length: 501 }, (_, i) => [String(i + 1), 'x']));
      expect((await previewed(w.admin, put('note', many))).totals).toMatchObject({ matched: 501, will_change: 501 });
      expect(
        (
          await refusedWith(
            w.admin.makePreview({ selection: { type: 'bookings' }, edits: [{ kind: 'set', field: 'note' } as never] }),
          )
        ).code,
      ).toBe('bad_request');
    });
  });

  describe('values', () => {
    it('counts the values of fields under the filter, blanks among them, and by ranges', async () => {
      const [valley, owner, hives] = await w.admin.values('bookings', {
        filter: "status = 'draft'",
        fields: ['region', 'owner', 'hives'],
        ranges: true,
      });
      expect(valley!.total).toBe(1200);
      const blank = await byHand(`bookings where status = 'draft' and region is null`);
      expect(valley!.values.find((v) => v.value === null)?.count).toBe(blank);
      expect(owner!.values[0]).toMatchObject({ label: expect.stringMatching(/ /) });
      expect(hives!.ranges!.steps.reduce((sum, s) => sum + s.count, 0)).toBe(1200);
      const [searched] = await w.admin.values('growers', { fields: ['name'], search: 'co-OP', most: 5 });
      expect(searched!.values.every((v) => /co-op/i.test(v.value!))).toBe(true);
      expect((await refusedWith(w.admin.values('staff', { fields: ['starts_at'] }))).code).toBe('type_mismatch');
    });

    it('crosses two fields', async () => {
      const c = await w.admin.cross('growers', { rows: 'status', columns: 'kind' });
      const at = (row: string, column: string) =>
        c.counts[c.rows.values.findIndex((v) => v.value === row)]![
          c.columns.values.findIndex((v) => v.value === column)
        ];
      expect(at('active', 'orchard')).toBe(await byHand(`growers where status = 'active' and kind = 'orchard'`));
      expect(c.total).toBe(2500);
      const many = await w.admin.cross('inspections', { rows: 'id', columns: 'hive' });
      expect(many.total).toBe(await byHand('inspections'));
      expect(many.beyond).toBe(many.total - many.counts.flat().reduce((sum, n) => sum + n, 0));
    });

    it('keeps counts and compares them after a run', async () => {
      const kept = await w.admin.keepCounts({ name: 'before', selection: { type: 'listings' }, fields: ['published'] });
      const p = await previewed(w.admin, {
        selection: { type: 'listings', take: { count: 4 }, filter: 'NOT published' },
        edits: [{ kind: 'set', field: 'published', value: true }],
      });
      await ran(w.admin, p.id, { askAfter: null, expect: 4 });
      const compared = await w.admin.compareCounts(kept.id);
      const yes = compared.rows.find((r) => r.values[0]!.label === 'Yes')!;
      expect(yes.now - yes.before).toBe(4);
      expect(compared.totalNow).toBe(compared.total);
      expect((await refusedWith(w.editor.compareCounts(kept.id))).code).toBe('not_found');
      await w.admin.dropCounts(kept.id);
      expect(await w.admin.keptCounts()).toEqual([]);
    });
  });

  describe('a search that takes long', () => {
    beforeAll(async () => {
      await w.sql.query(
        `create function slowly(id integer) returns integer language plpgsql as $$ begin perform pg_sleep(0.05); return id; end $$`,
      );
      await w.sql.query('create view slow_growers as select slowly(id) as id, name from growers');
      w.services.catalogs.refresh();
    });
    const running = async () =>
      (
        await w.sql.query(
          `select 1 from pg_stat_activity where query like '%slow_growers%' and state = 'active' and pid <> pg_backend_pid()`,
        )
      ).rowCount;

    it('is cancelled in the database when the person moves on', async () => {
      const away = new AbortController();
      const search = w.admin
        .search('slow_growers', { filter: 'id > 0', count: 'exact', limit: 0 }, { signal: away.signal })
        .catch((e: Error) => e.name);
      for (let i = 0; i < 100 && !(await running()); i++) await new Promise((r) => setTimeout(r, 20));
      expect(await running()).toBe(1);
      away.abort();
      expect(await search).toBe('AbortError');
      for (let i = 0; i < 100 && (await running()); i++) await new Promise((r) => setTimeout(r, 20));
      expect(await running()).toBe(0);
    });

    it('is stopped at its limit, and says that it was', async () => {
      const { database, compiler } = w.services;
      const { selection } = await compiler.selection(await seenBy(w, 'sorrel'), {
        type: 'slow_growers',
        filter: 'id > 0',
      });
      const stopped = await database.askWithin(countRecords(selection), 100).catch((error: unknown) => {
        try {
          return asProblem(error);
        } catch (problem) {
          return problem as Error;
        }
      });
      expect(stopped).toMatchObject({
        code: 'too_slow',
        message: expect.stringContaining('took too long and was stopped'),
      });
    });
  });

  describe('why nothing matched', () => {
    it('says what is left after each condition, without each, and what does occur', async () => {
      const e = await w.admin.explain('bookings', {
        filter: "status = 'draft' AND grower.name = 'Marlowgate Estat' AND hives > 5",
        near: true,
      });
      expect(e.conditions.map((c) => [c.after, c.alone > 0])).toEqual([
        [1200, true],
        [0, false],
        [0, true],
      ]);
      expect(e.conditions[1]!.without).toBe(await byHand(`bookings where status = 'draft' and hives > 5`));
      expect(e.conditions[1]!.nearest[0]).toEqual({
        value: 'Marlowgate Estate',
        text: "grower.name = 'Marlowgate Estate'",
      });
      const numbers = await w.admin.explain('bookings', { filter: 'hives = 5000', near: true });
      expect(numbers.conditions[0]!.nearest).toEqual([{ value: '120', text: 'hives = 120' }]);
      for (const [written, meant] of [
        ["grower.name LIKE 'Marlow*'", "grower.name LIKE 'Marlow%'"],
        ["grower.name LIKE 'arlowgat'", "grower.name LIKE '%arlowgat%'"],
        ["reference LIKE 'B-000007?'", "reference LIKE 'B-000007_'"],
      ] as const) {
        const { conditions } = await w.admin.explain('bookings', { filter: written, near: true });
        expect(conditions[0]!.nearest.map((n) => n.text)).toEqual([meant]);
      }
      // Where that finds nothing either, it is not offered.
      const none = await w.admin.explain('bookings', { filter: "note LIKE '*no such words*'", near: true });
      expect(none.conditions[0]!.nearest.map((n) => n.text).join()).not.toContain('LIKE');
    });

    it('counts every stage of a selection that has them all', async () => {
      const { id } = await w.admin.paste({
        text: 'B-0000001\nB-0000076\nB-0000151',
        targets: [{ type: 'bookings', fields: ['reference'] }],
      });
      const e = await w.admin.explain('bookings', {
        related: { of: { type: 'growers', filter: "status <> 'closed'" }, how: 'pointing_at', field: 'grower' },
        filter: "status = 'draft'",
        list: { id },
        take: { count: 2 },
        drop: ['1'],
      });
      expect(e.all).toBe(18000);
      expect(e.base).toBeLessThan(18000);
      expect([e.afterFilter >= e.afterList!, e.afterList! >= e.afterTake!, e.afterTake! - e.matched <= 1]).toEqual([
        true,
        true,
        true,
      ]);
    });
  });

  describe('saved selections', () => {
    const save = (name: string, selection: SelectionBody, more: object = {}) =>
      w.admin.saveSelection({ name, selection, ...more });

    it('keeps versions, binds names to keys, and serves inside other filters', async () => {
      await save(
        'ines drafts',
        { type: 'bookings', filter: "owner = 'Ines Calloway' AND status = 'draft'" },
        { note: 'Spring', open: true },
      );
      const counted = await w.admin.countSelection('Ines Drafts');
      expect(counted).toMatchObject({
        version: 1,
        note: 'Spring',
        lastCount: await count({ type: 'bookings', filter: "in_selection('ines drafts')" }),
      });
      await w.sql.query(`update staff set name = 'Ines Calloway-Moss' where name = 'Ines Calloway'`);
      expect(await count({ type: 'bookings', filter: "in_selection('INES drafts')" })).toBe(counted.lastCount);
      await w.sql.query(`update staff set name = 'Ines Calloway' where name = 'Ines Calloway-Moss'`);
      expect(
        (await refusedWith(count({ type: 'bookings', filter: "in_selection('ines draft')" }))).problems[0]!.suggestions,
      ).toEqual(["'ines drafts'"]);
      const through = await count({ type: 'invoices', filter: "in_selection('ines drafts', booking)" });
      expect(through).toBe(
        await byHand(
          `invoices i join bookings b on b.id = i.booking join staff s on s.id = b.owner where s.name = 'Ines Calloway' and b.status = 'draft'`,
        ),
      );
      expect(
        await w.editor.search('bookings', { filter: "in_selection('ines drafts')", limit: 0, count: 'exact' }),
      ).toMatchObject({ numberMatched: counted.lastCount });
    });

    it('refuses circles, warns what would change, keeps private what is private', async () => {
      await save('north', { type: 'growers', filter: "valley = 'north'" }, { open: true });
      await save('north active', { type: 'growers', filter: "in_selection('north') AND status = 'active'" });
      expect((await w.admin.selection('north')).usedBy).toEqual(['north active']);
      const circle = await refusedWith(
        save('north', { type: 'growers', filter: "in_selection('north active')" }, { anyway: true }),
      );
      expect(circle.code).toBe('circle');
      const changed = { type: 'growers', filter: "valley = 'south'" };
      expect((await refusedWith(save('north', changed, { open: true }))).detail).toContain(
        '“north active” rests on “north”',
      );
      expect((await save('north', changed, { open: true, anyway: true })).version).toBe(2);
      expect((await refusedWith(save('north', changed, { open: true, version: 1 }))).code).toBe('stale_version');
      expect((await w.admin.selectionVersions('north')).map((v) => v.selection.filter)).toEqual([
        "valley = 'south'",
        "valley = 'north'",
      ]);
      expect((await refusedWith(w.admin.dropSelection('north'))).code).toBe('would_alter');
      expect(
        (
          await refusedWith(
            save('all see', { type: 'growers', filter: "in_selection('north active')" }, { open: true }),
          )
        ).code,
      ).toBe('not_permitted');
      expect((await refusedWith(w.editor.selection('north active'))).code).toBe('not_found');
      expect((await refusedWith(w.editor.search('growers', { filter: "in_selection('north active')" }))).code).toBe(
        'not_found',
      );
      expect((await refusedWith(w.editor.saveSelection({ name: 'North', selection: changed }))).code).toBe(
        'name_taken',
      );
    });

    it('goes out and comes in as a file in the JSON form of the standard', async () => {
      const text = await (await w.admin.files.selectionsFile()).text();
      const file = JSON.parse(text) as SelectionsFileBody;
      expect(file.selections.find((s) => s.name === 'north')!.selection.filter).toEqual({
        op: '=',
        args: [{ property: 'valley' }, 'south'],
      });
      expect((await refusedWith(w.admin.importSelections({ file }))).code).toBe('name_taken');
      expect(await w.admin.importSelections({ file, taken: 'skip' })).toEqual([]);
      const renamed = JSON.parse(text.replaceAll('north', 'copied')) as SelectionsFileBody;
      const taken = await w.admin.importSelections({ file: renamed, taken: 'skip' });
      expect(taken.map((s) => s.name).sort()).toEqual(['copied', 'copied active']);
      expect(await count({ type: 'growers', filter: "in_selection('copied active')" })).toBe(
        await byHand(`growers where valley = 'south' and status = 'active'`),
      );
      expect((await refusedWith(w.admin.importSelections({ file: { x: 1 } as never }))).code).toBe('bad_request');
    });
  });
});
