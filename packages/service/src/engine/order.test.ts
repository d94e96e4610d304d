import {
  checkCondition,
  checkExpression,
  everyRecord,
  fallsOf,
  noContext,
  parse,
  type Catalog,
  type Change,
  type Checked,
  type CheckedPart,
  type CheckedSelection,
} from '@tantamos/core';
import { done, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace, seenBy } from '../testing/workspace';

/** Work orders of the engine itself: parts, acts, and where values come from. Their faces come later. */
describe('a work order', () => {
  let w: Workspace;
  let catalog: Catalog;
  beforeAll(async () => {
    w = await openWorkspace();
    await w.sql.query(`
      create table regions (id integer primary key, name text);
      insert into regions select n, 'region ' || n from generate_series(1, 12) n;
      create table people (id integer primary key, name text, lead integer references people, region text, load integer);
      insert into people select n, 'person ' || n, nullif(n / 2, 0), 'r' || n, 0 from generate_series(1, 100) n;
      create table calls (id bigint generated always as identity primary key, person integer references people, said text not null,
        made_at timestamptz not null default now());
      create table plots (valley text, number integer, owner integer references people, note text, primary key (valley, number));
      insert into plots select v, n, n, 'x' from unnest(array['north', 'it''s "odd"', '']) v, generate_series(1, 20) n;
      create table codes (code text not null unique, note text);
      insert into codes select 'c' || n, 'x' from generate_series(1, 9) n;`);
    w.services.catalogs.refresh();
    catalog = await w.services.catalogs.get();
  });
  afterAll(() => w.close());

  const select = (type: string, filter?: string): CheckedSelection => ({
    ...everyRecord(catalog.type(type)),
    condition: filter ? checkCondition(parse(filter), catalog, catalog.type(type), noContext) : null,
  });
  const expression = (type: string, text: string): Checked =>
    checkExpression(parse(text), catalog, catalog.type(type), noContext);
  const change = (type: string, field: string, tree: Checked): Change => ({
    field: catalog.type(type).fields.find((f) => f.name === field)!,
    value: { from: 'expression', tree },
    when: null,
  });
  const text = (value: string): Checked => ({ kind: 'value', dbType: 'text', text: value });
  const update = (type: string, changes: readonly Change[], filter?: string): CheckedPart => ({
    id: type,
    act: 'update',
    type: catalog.type(type),
    selection: select(type, filter),
    changes,
    along: [],
  });
  const made = async (parts: readonly CheckedPart[], batchSize = 1000, atOnce = 1) => {
    const job = { selection: { type: parts[0]!.type.id }, edits: [], safety: { batchSize, atOnce, pace: 100 } };
    const id = await w.services.previews.beginParts(parts, job, 'a test', await seenBy(w, 'sorrel'));
    await w.services.previews.settled(id, 60_000);
    return w.admin.preview(id);
  };
  const carriedOut = async (parts: readonly CheckedPart[], batchSize = 1000, atOnce = 1) => {
    const p = await made(parts, batchSize, atOnce);
    if (p.state !== 'ready') throw new Error(`${p.state}: ${p.trouble}`);
    return ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
  };
  const undone = async (run: string) => {
    const back = await w.admin.undoRun(run, {});
    return ran(w.admin, back.id, { askAfter: null, expect: back.totals.will_change });
  };
  const rows = async <R>(statement: string): Promise<R[]> => (await w.sql.query(statement)).rows as R[];
  /** Everything in these tables, as text. */
  const image = async (...tables: string[]) =>
    Promise.all(tables.map((t) => rows<{ r: string }>(`select r::text as r from ${t} r order by 1`)));

  describe('in which records read others that it writes', () => {
    const leadsRegion = () =>
      update('people', [change('people', 'region', expression('people', 'lead.region'))], 'lead IS NOT NULL');
    it.each([
      ['in one batch', 1000, 1],
      ['cut into fifty, in several lanes', 2, 4],
    ])('each gets what its lead had before, %s', async (_, batchSize, lanes) => {
      const before = await image('people');
      const run = await carriedOut([leadsRegion()], batchSize, lanes);
      expect(run.totals).toMatchObject({ matched: 99, changed: 99, edited_since: 0 });
      const wrong = await rows(`select from people where lead is not null and region <> 'r' || lead`);
      expect(wrong).toEqual([]);
      expect((await undone(run.id)).totals.changed).toBe(99);
      expect(await image('people')).toEqual(before);
    });

    it('also when some of them are locked for a while', async () => {
      const before = await image('people');
      const p = await made([leadsRegion()], 7, 3);
      const other = await w.sql.connect();
      await other.query('begin');
      await other.query('select from people where id in (90, 51, 7) for update');
      setTimeout(() => void other.query('rollback').then(() => other.release()), 250);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 99 });
      expect(run.totals).toMatchObject({ changed: 99, edited_since: 0, in_use: 0 });
      await undone(run.id);
      expect(await image('people')).toEqual(before);
    });

    it('counts of records that it moves are as the preview saw them', async () => {
      const before = await image('people');
      const type = catalog.type('people');
      const count: Checked = expression('people', 'count(people.lead)');
      const run = await carriedOut(
        [
          update(
            'people',
            [
              change('people', 'load', count),
              change('people', 'lead', { kind: 'value', dbType: 'integer', text: '1' }),
            ],
            'id > 1',
          ),
        ],
        4,
        2,
      );
      expect(type.id).toBe('people');
      expect(run.totals).toMatchObject({ matched: 99, edited_since: 0 });
      expect((await rows<{ load: number }>('select load from people where id = 40'))[0]!.load).toBe(2);
      await undone(run.id);
      expect(await image('people')).toEqual(before);
    });

    it('those that read each other in a circle are not allowed', async () => {
      await w.sql.query(`update people set lead = 3 where id = 1`);
      const p = await made([leadsRegion()]);
      expect(p.totals).toMatchObject({ matched: 100, will_change: 98, not_allowed: 2 });
      expect(p.causes[0]!.cause).toContain('circle');
      await w.sql.query(`update people set lead = null where id = 1`);
    });
  });

  describe('of several parts', () => {
    const parts = (tree: Checked) => [
      update('people', [change('people', 'region', text('moved'))], 'id <= 20'),
      update('plots', [change('plots', 'note', tree)], "owner.region <> 'none'"),
    ];
    it('does one after the other, and a later one reads what an earlier one will write', async () => {
      const before = await image('people', 'plots');
      const planned: Checked = { kind: 'planned', operand: expression('plots', 'owner.region') };
      for (const [batchSize, lanes] of [
        [1000, 1],
        [3, 3],
      ] as const) {
        const run = await carriedOut(parts(planned), batchSize, lanes);
        expect(run.totals).toMatchObject({ matched: 80, changed: 80, edited_since: 0 });
        expect(await rows(`select distinct note from plots`)).toEqual([{ note: 'moved' }]);
        expect((await undone(run.id)).totals.changed).toBe(80);
        expect(await image('people', 'plots')).toEqual(before);
      }
    });

    it('leaves alone what rests on a record of an earlier part that did not become what was planned', async () => {
      const p = await made(parts(text('seen')), 5);
      await w.sql.query(`update people set region = 'theirs' where id = 7`);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 80 });
      expect(run.totals).toMatchObject({ changed: 76, edited_since: 4 });
      const left = (await w.admin.runRecords(run.id, { outcome: 'edited_since' })).records;
      expect(left.map((r) => [r.type, r.key])).toEqual([
        ['people', '7'],
        ...['', 'it\'s "odd"', 'north'].map((v) => ['plots', JSON.stringify([v, '7'])]),
      ]);
      await undone(run.id);
      await w.sql.query(`update people set region = 'r7' where id = 7`);
    });
  });

  describe('that makes records', () => {
    const calls = (filter: string): CheckedPart => ({
      id: 'calls',
      act: 'create',
      type: catalog.type('calls'),
      selection: select('people', filter),
      changes: [
        change('calls', 'person', expression('people', 'id')),
        change('calls', 'said', expression('people', "CONCATENATE('Call ', name)")),
      ],
      along: [],
    });
    it('one for each selected, with a key of the database’s own; an undo removes those that are as they were made', async () => {
      const run = await carriedOut([calls('id <= 10')], 3, 2);
      expect(run.totals).toMatchObject({ matched: 10, changed: 10 });
      expect(await rows('select person, said from calls order by person limit 2')).toEqual([
        { person: 1, said: 'Call person 1' },
        { person: 2, said: 'Call person 2' },
      ]);
      const [first] = (await w.admin.runRecords(run.id, {})).records;
      expect(first).toMatchObject({ type: 'calls', name: expect.stringMatching(/^\d+$/), outcome: 'changed' });
      await w.sql.query(`update calls set made_at = made_at - interval '1 hour' where person = 4`);
      expect((await undone(run.id)).totals).toMatchObject({ matched: 10, changed: 9, edited_since: 1 });
      expect(await rows('select person from calls')).toEqual([{ person: 4 }]);
      await w.sql.query('delete from calls');
    });

    it('leaves out those whose record was edited since, or is gone, or is refused', async () => {
      await w.sql
        .query(`insert into people values (201, 'short', null, 'x', 0), (202, 'gone', null, 'x', 0), (203, 'no', null, 'x', 0);
        create function no_call() returns trigger language plpgsql as $$ begin
          if new.said = 'Call no' then raise exception 'on holiday'; end if; return new; end $$;
        create trigger no_call before insert on calls for each row execute function no_call()`);
      w.services.catalogs.refresh();
      const p = await made([calls('id > 200')]);
      await w.sql.query(`update people set name = 'edited' where id = 201; delete from people where id = 202`);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 3 });
      expect(run.totals).toMatchObject({ matched: 3, edited_since: 1, gone: 1, refused: 1 });
      await w.sql.query('drop trigger no_call on calls; delete from people where id > 200');
      w.services.catalogs.refresh();
    });

    it('along with the records that it changes, in the same transaction; an undo takes both back', async () => {
      const before = await image('people', 'calls');
      const part: CheckedPart = {
        ...update('people', [change('people', 'region', text('called'))], 'id <= 9'),
        along: [
          {
            id: 'calls',
            type: catalog.type('calls'),
            by: catalog.type('calls').fields.find((f) => f.name === 'person')!,
            changes: [change('calls', 'said', expression('people', "CONCATENATE('Ask ', name)"))],
          },
        ],
      };
      const p = await made([part], 4);
      expect(p.along).toEqual([{ type: 'calls', label: 'Calls', act: 'create', count: 9 }]);
      await w.sql.query(`update people set region = 'theirs' where id = 5`);
      const run = await ran(w.admin, p.id, { askAfter: 2, expect: 9 });
      expect(run.along[0]!.count).toBe(2);
      await w.admin.continueRun(run.id);
      for await (const now of w.admin.runEvents(run.id))
        if (now.state === 'finished') expect(now.along[0]!.count).toBe(8);
      expect(await rows(`select person, said from calls where person in (5, 6)`)).toEqual([
        { person: 6, said: 'Ask person 6' },
      ]);
      await w.sql.query(`update calls set said = 'changed' where person = 8`);
      const back = await undone(run.id);
      expect(back.totals).toMatchObject({ matched: 8, changed: 7, edited_since: 1 });
      expect(await rows('select person, region from calls join people on people.id = person')).toEqual([
        { person: 8, region: 'called' },
      ]);
      await w.sql.query(`delete from calls; update people set region = 'r' || id`);
      expect(await image('people', 'calls')).toEqual(before);
    });

    it('refuses what nothing fills, and what an earlier part makes', async () => {
      const incomplete = { ...calls('id = 1'), changes: calls('id = 1').changes.slice(0, 1) };
      await expect(made([incomplete])).rejects.toThrow('Said of new calls is required');
      const reader = update('people', [change('people', 'load', expression('people', 'count(calls)'))]);
      await expect(made([calls('id = 1'), reader])).rejects.toThrow('put it after');
    });
  });

  describe('that deletes records', () => {
    const removal = (type: string, filter: string): CheckedPart => ({
      ...update(type, [], filter),
      act: 'delete',
      falls: fallsOf(catalog.type(type), catalog),
    });
    it('whole, and an undo makes them again under the same keys', async () => {
      const before = await image('plots', 'calls', 'codes');
      await w.sql.query(`insert into calls (person, said) select n, 'c' from generate_series(1, 5) n`);
      const calls = await image('calls');
      for (const [type, count] of [
        ['plots', 60],
        ['calls', 5],
        ['codes', 9],
      ] as const) {
        const run = await carriedOut([removal(type, type === 'calls' ? "said = 'c'" : "note = 'x'")], 7, 2);
        expect(run.totals).toMatchObject({ matched: count, changed: count });
        expect(await rows(`select from ${type}`)).toEqual([]);
        expect((await undone(run.id)).totals.changed).toBe(count);
      }
      expect(await image('calls')).toEqual(calls);
      await w.sql.query('delete from calls');
      expect(await image('plots', 'calls', 'codes')).toEqual(before);
    });

    it('never what something still points at, in the preview or later', async () => {
      await w.sql.query(
        `insert into people values (301, 'a', null, 'x', 0), (302, 'b', 301, 'x', 0), (303, 'c', null, 'x', 0), (304, 'd', null, 'x', 0)`,
      );
      const p = await made([removal('people', 'id > 300')]);
      expect(p.totals).toMatchObject({ matched: 4, will_change: 3, not_allowed: 1 });
      expect(p.causes[0]!.cause).toBe('People still point at it (lead).');
      await w.sql.query(
        `insert into calls (person, said) values (303, 'late'); update people set name = 'D' where id = 304`,
      );
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 3 });
      expect(run.totals).toMatchObject({ changed: 1, refused: 1, edited_since: 1, not_allowed: 1 });
      expect((await undone(run.id)).totals.changed).toBe(1);
      await w.sql.query('delete from calls; delete from people where id > 300');
    });

    it('with what points at it, as the database says of it, and an undo brings all of it back', async () => {
      await w.sql.query(`create table firms (id integer primary key, name text);
        create table desks (id integer primary key, firm integer references firms on delete cascade, note text);
        create table lamps (id integer generated always as identity primary key, desk integer not null references desks on delete cascade, watts numeric(6,2));
        create table cars (plate text primary key, firm integer references firms on delete set null, spare integer references firms on delete set null);
        create table rents (id integer primary key, firm integer references firms);
        insert into firms select n, 'firm ' || n from generate_series(1, 30) n;
        insert into desks select n, 1 + n % 30, 'd' from generate_series(1, 90) n;
        insert into lamps (desk, watts) select 1 + n % 90, n from generate_series(1, 200) n;
        insert into cars select 'P ' || n, 1 + n % 30, 1 + (n + 1) % 30 from generate_series(1, 40) n;
        insert into rents values (1, 5);`);
      w.services.catalogs.refresh();
      catalog = await w.services.catalogs.get();
      const tables = ['firms', 'desks', 'lamps', 'cars', 'rents'];
      const before = await image(...tables);
      const p = await made([removal('firms', 'id <= 20')], 4);
      expect(p.totals).toMatchObject({ matched: 20, will_change: 19, not_allowed: 1 });
      expect(p.causes[0]!.cause).toBe('Rents still point at it (firm).');
      const counts = Object.fromEntries(p.along.map((a) => [`${a.act} ${a.type}`, a.count]));
      expect(counts['delete desks']).toBe(57);
      expect(counts['delete lamps']).toBeGreaterThan(100);
      // One desk is edited, one more comes to another firm: these firms stay as they are, with all that is theirs.
      await w.sql.query(`update desks set note = 'mine' where id = 2; insert into desks values (500, 9, 'new')`);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 19 });
      expect(run.totals).toMatchObject({ changed: 17, edited_since: 1, refused: 1 });
      expect((await rows<{ id: number }>('select id from firms where id <= 20 order by id')).map((r) => r.id)).toEqual([
        3, 5, 9,
      ]);
      expect(await rows('select from desks where firm is null')).toEqual([]);
      const back = await undone(run.id);
      expect(back.totals).toMatchObject({ matched: 17, changed: 17 });
      await w.sql.query(`update desks set note = 'd' where id = 2; delete from desks where id = 500`);
      expect(await image(...tables)).toEqual(before);
      // And the undo of the undo.
      expect((await undone(back.id)).totals.changed).toBe(17);
      expect((await rows('select from firms where id <= 20')).length).toBe(3);
    });

    it('not a record that a trigger keeps', async () => {
      await w.sql.query(`create function keep() returns trigger language plpgsql as $$ begin return null; end $$;
        create trigger keep before delete on codes for each row when (old.code = 'c3') execute function keep()`);
      w.services.catalogs.refresh();
      const run = await carriedOut([removal('codes', "code IN ('c2', 'c3')")]);
      expect(run.totals).toMatchObject({ changed: 1, refused: 1 });
      await undone(run.id);
      await w.sql.query('drop trigger keep on codes');
    });
  });

  describe('of values by place', () => {
    const numbered = (): CheckedPart => ({
      ...update('people', [
        {
          field: catalog.type('people').fields.find((f) => f.name === 'load')!,
          when: null,
          value: {
            from: 'place',
            place: {
              per: [expression('people', 'MOD(id, 3)')],
              together: [],
              highest: null,
              level: null,
              worked: { blank: 'refused', target: null, refusals: [] },
              order: [{ tree: expression('people', 'name'), descending: true }],
              value: {
                kind: 'arithmetic',
                op: '*',
                type: 'number',
                left: { kind: 'place', what: 'number' },
                right: { kind: 'value', dbType: 'integer', text: '10' },
              },
            },
          },
        },
      ]),
    });
    it('gives the same however it is cut', async () => {
      const results: unknown[] = [];
      for (const batchSize of [1000, 2]) {
        const run = await carriedOut([numbered()], batchSize, 2);
        expect(run.totals.changed).toBe(100);
        expect(run.batches).toBe(batchSize === 2 ? 50 : 1);
        results.push(await rows('select id, load from people order by id'));
        await undone(run.id);
      }
      expect(results[0]).toEqual(results[1]);
      const byHand = await rows(
        `select id, (row_number() over (partition by id % 3 order by name collate "C" desc, id) * 10)::int as load from people order by id`,
      );
      expect(results[0]).toEqual(byHand);
    });
  });

  describe('of values given one by one', () => {
    it('thousands of them, kept as rows; keys that are not selected are told', async () => {
      const values = Object.fromEntries(Array.from({ length: 3000 }, (_, i) => [String(i + 1), `note ${i + 1}`]));
      const job = {
        selection: { type: 'bookings', filter: 'id <= 2500 OR id > 17990' },
        edits: [{ kind: 'put' as const, field: 'note', values: { ...values, '-5': 'nobody' } }],
        safety: { pace: 100 },
      };
      const p = await previewed(w.admin, job);
      // A few old records break a rule of the database, and stay as they are.
      expect(p.totals).toMatchObject({ matched: 2510, already_right: 10 });
      const willChange = p.totals.will_change;
      expect(willChange + p.totals.not_allowed).toBe(2500);
      expect(p.notes).toMatchObject([{ code: 'given_unused', count: 501 }]);
      expect(p.notes[0]!.examples).toEqual(expect.arrayContaining(['-5: no such record', '2501: not selected']));
      expect(JSON.stringify(p.job).length).toBeLessThan(1000);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: willChange });
      expect(await rows(`select count(*)::int as n from bookings where note = 'note ' || id`)).toEqual([
        { n: willChange },
      ]);
      await undone(run.id);
      // Kept values can be used again as they are, on the type and field they were given for.
      const [kept] = p.job!.edits as [{ kind: 'put'; field: string; given: { id: string; count: number } }];
      const again = await previewed(w.admin, { ...job, selection: { type: 'bookings', keys: ['7'] }, edits: [kept] });
      expect(again.totals).toMatchObject({ matched: 1, will_change: 1 });
      expect(await refusedWith(w.admin.makePreview({ ...job, edits: [{ ...kept, field: 'region' }] }))).toMatchObject({
        code: 'not_found',
      });
    });

    it('names of more records than a page has, each its own', async () => {
      const growers = await rows<{ id: number; name: string }>(
        `select min(id) as id, name from growers group by name having count(*) = 1 order by 1 limit 1500`,
      );
      const values = Object.fromEntries(growers.map((g, i) => [String(i + 1), g.name]));
      const edits = [{ kind: 'put' as const, field: 'grower', values }];
      const p = await previewed(w.admin, {
        selection: { type: 'bookings', filter: 'id <= 1500' },
        edits,
        safety: { pace: 100 },
      });
      expect(p.totals.matched).toBe(1500);
      expect(p.notes).toEqual([]);
      const { records } = await w.admin.previewRecords(p.id, { outcome: 'not_yet', limit: 1 });
      const told = growers[Number(records[0]!.key) - 1]!;
      expect(records[0]!.changes[0]!.new).toMatchObject({ value: String(told.id), label: told.name });
    });

    it('every value that does not fit is told with its key', async () => {
      const edits = [{ kind: 'put' as const, field: 'hives', values: { '1': '5', '2': 'many', x: '3', '4': '3.5' } }];
      const details = await refusedWith(w.admin.makePreview({ selection: { type: 'bookings' }, edits }));
      expect(details.problems.map((p) => p.where)).toEqual([
        'edits[0].values["2"]',
        'edits[0].values["4"]',
        'edits[0].values["x"]',
      ]);
    });
  });

  describe('on keys of another shape', () => {
    it('several columns: found, picked, paged, listed, changed, told and put back', async () => {
      const type = await w.admin.type('plots');
      expect(type.key).toEqual(['valley', 'number']);
      const first = await w.admin.search('plots', { limit: 7, sort: ['note'] });
      const rest = await w.admin.search('plots', { limit: 100, sort: ['note'], after: first.next! });
      const keys = [...first.records, ...rest.records].map((r) => r.key!);
      expect(new Set(keys).size).toBe(60);
      const picked = [keys[0]!, JSON.stringify(['it\'s "odd"', 12]), '["", "3"]'];
      const run = await done(w.admin, {
        selection: { type: 'plots', keys: picked },
        edits: [{ kind: 'set', field: 'note', value: 'picked' }],
        safety: { pace: 100 },
      });
      expect(run.totals).toMatchObject({ matched: 3, changed: 3 });
      const odd = JSON.stringify(['it\'s "odd"', '12']);
      expect((await w.admin.runRecords(run.id, {})).records.map((r) => r.key)).toContain(odd);
      expect((await w.admin.record('plots', odd)).fields.find((f) => f.name === 'note')!.value.value).toBe('picked');
      const [newest] = await w.admin.history('plots', odd);
      expect(newest!.changes).toMatchObject([{ field: 'note', old: { value: 'x' }, new: { value: 'picked' } }]);
      expect((await w.admin.search('plots', { drop: picked, limit: 0, count: 'exact' })).numberMatched).toBe(57);
      const list = await w.admin.paste({
        text: 'person 4\nperson 5',
        targets: [{ type: 'plots', fields: ['owner.name'] }],
      });
      expect((await w.admin.search('plots', { list: { id: list.id }, limit: 0, count: 'exact' })).numberMatched).toBe(
        6,
      );
      expect(
        (await w.admin.search('plots', { take: { count: 1, per: 'valley', seed: 's' }, limit: 9 })).records,
      ).toHaveLength(3);
      const put = await done(w.admin, {
        selection: { type: 'plots' },
        edits: [{ kind: 'put', field: 'note', values: { [odd]: 'own', '["north","1"]': 'mine' } }],
        safety: { pace: 100, batchSize: 11 },
      });
      expect(put.totals).toMatchObject({ matched: 60, changed: 2, already_right: 58 });
      expect((await undone(put.id)).totals.changed).toBe(2);
      expect((await undone(run.id)).totals.changed).toBe(3);
      expect(await rows(`select from plots where note <> 'x'`)).toEqual([]);
    });

    it.each([
      'no json',
      '["north"]',
      '["north", "1", "2"]',
      '["north", "x"]',
      '{"valley":"north"}',
      '["north", null]',
      '["north", "99999999999"]',
    ])('what is no key of several columns is told: %s', async (key) => {
      expect(await refusedWith(w.admin.record('plots', key))).toMatchObject({ status: 404 });
      expect((await refusedWith(w.admin.search('plots', { keys: [key] }))).code).toBe('bad_value');
    });

    it('a unique key without nulls, where there is no primary key', async () => {
      expect(await w.admin.type('codes')).toMatchObject({ key: ['code'], notChangeable: null });
      const run = await done(w.admin, {
        selection: { type: 'codes', keys: ['c4'] },
        edits: [{ kind: 'set', field: 'note', value: 'y' }],
      });
      expect(run.totals.changed).toBe(1);
      await undone(run.id);
    });
  });
});
