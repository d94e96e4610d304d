import type { JobBody, RunView } from '@tantamos/contract';
import { done, onBookings, previewed, ran, refusedWith, undone } from '../testing/jobs';
import { Client } from 'pg';
import { from } from 'pg-copy-streams';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('what is done after a run', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const keys = (from: number, count: number): number[] => Array.from({ length: count }, (_, i) => from + i);
  let notes = 0;
  const note = (from: number, count: number, more: Partial<JobBody> = {}): JobBody =>
    onBookings(
      keys(from, count),
      [
        { kind: 'set', field: 'note', value: `after ${++notes}` },
        { kind: 'set', field: 'region', value: 'Somewhere' },
      ],
      more,
    );
  const stands = async (from: number, count: number) =>
    (
      await w.sql.query<{ id: number; note: string | null; region: string | null }>(
        'select id, note, region from bookings where id = any($1) order by id',
        [keys(from, count)],
      )
    ).rows;

  describe('undo in part', () => {
    it('puts back chosen records, then the rest, and says each time what is left', async () => {
      const before = await stands(1, 20);
      const r = await done(w.admin, note(1, 20));
      const some = await undone(w.admin, r.id, { keys: ['3', '4'] });
      expect(some.totals).toMatchObject({ matched: 2, will_change: 2 });
      expect(some.sentence).toContain('(only of the 2 picked)');
      await ran(w.admin, some.id, { expect: 2 });
      expect((await stands(3, 2)).map((b) => b.note)).toEqual(before.slice(2, 4).map((b) => b.note));
      expect((await stands(5, 1))[0]!.note).toBe(`after ${notes}`);

      // The run can still be undone: what is back already is already right, and nobody's edit.
      const now = await w.admin.run(r.id);
      expect(now).toMatchObject({ verbs: ['undo'], undoneBy: [{ changed: 2, whole: false }] });
      const rest = await undone(w.admin, r.id, {});
      expect(rest.totals).toMatchObject({ matched: 20, will_change: 18, already_right: 2, edited_since: 0 });
      await ran(w.admin, rest.id, { expect: 18 });
      expect(await stands(1, 20)).toEqual(before);
    });

    it('puts back those that a filter finds, and only some fields', async () => {
      const before = await stands(31, 20);
      const r = await done(w.admin, note(31, 20));
      const p = await undone(w.admin, r.id, { filter: 'id < 36', fields: ['note'] });
      expect(p.totals).toMatchObject({ matched: 5, will_change: 5 });
      expect(p.sentence).toContain('Put note back on the 5 bookings (only where id < 36)');
      await ran(w.admin, p.id, { expect: 5 });
      const after = await stands(31, 20);
      expect(after.slice(0, 5)).toEqual(before.slice(0, 5).map((b) => ({ ...b, region: 'Somewhere' })));
      expect(after.slice(5).every((b) => b.note === `after ${notes}`)).toBe(true);
      // All records, but only one field: that is not the whole run.
      await ran(w.admin, (await undone(w.admin, r.id, { fields: ['note'] })).id, { expect: 15 });
      expect((await w.admin.run(r.id)).verbs).toContain('undo');
      await ran(w.admin, (await undone(w.admin, r.id, {})).id, { expect: 20 });
      expect(await stands(31, 20)).toEqual(before);
    });

    it('leaves what others changed since, unless overwriting is asked for by whom may', async () => {
      const before = await stands(61, 10);
      const r = await done(w.admin, note(61, 10));
      await w.sql.query(`update bookings set note = 'theirs' where id in (63, 64)`);
      const kind = await undone(w.admin, r.id, {});
      expect(kind.totals).toMatchObject({ will_change: 8, edited_since: 2 });
      const hard = await undone(w.admin, r.id, { overwrite: true });
      expect(hard.totals).toMatchObject({ will_change: 10, edited_since: 0 });
      expect(hard.sentence).toContain('(also where others changed them since)');
      const { records } = await w.admin.previewRecords(hard.id, { outcome: 'will_change' });
      expect(records.find((x) => x.key === '63')!.changes[0]!.old.value).toBe('theirs');
      // Whoever changes it once more after this preview is not overwritten.
      await w.sql.query(`update bookings set note = 'theirs again' where id = 64`);
      expect((await ran(w.admin, hard.id, { expect: 10 })).totals).toMatchObject({ changed: 9, edited_since: 1 });
      expect((await stands(61, 10)).filter((b) => b.id !== 64)).toEqual(before.filter((b) => b.id !== 64));
    });

    it('of a run of several types: what it did to one of them, or some of those', async () => {
      const said: JobBody = {
        selection: { type: 'bookings', keys: ['901', '902'] },
        edits: [{ kind: 'set', field: 'note', value: 'two types' }],
        then: [
          {
            selection: { type: 'tasks', filter: 'id <= 6' },
            edits: [{ kind: 'set', field: 'subject', value: 'two types' }],
          },
        ],
        safety: { pace: 100 },
      };
      const both = await done(w.admin, said);
      expect(both.types.map((t) => t.id)).toEqual(['bookings', 'tasks']);
      const left = async () =>
        (
          await w.sql.query<{ b: number; t: number }>(
            `select (select count(*)::int from bookings where note = 'two types') as b,
               (select count(*)::int from tasks where subject = 'two types') as t`,
          )
        ).rows[0];
      expect(await left()).toEqual({ b: 2, t: 6 });
      const some = await undone(w.admin, both.id, { type: 'tasks', filter: 'id <= 2' });
      expect(some.sentence).toContain('(only the tasks, where id <= 2)');
      await ran(w.admin, some.id, { askAfter: null, expect: 2 });
      expect(await left()).toEqual({ b: 2, t: 4 });
      const rest = await undone(w.admin, both.id, { type: 'tasks' });
      await ran(w.admin, rest.id, { askAfter: null, expect: 4 });
      expect(await left()).toEqual({ b: 2, t: 0 });
      const wrong = await refusedWith(w.admin.undoRun(both.id, { type: 'growers' }));
      expect(wrong.problems[0]).toMatchObject({ where: 'type', suggestions: ['bookings', 'tasks'] });
      // A field of the other type is none of these.
      expect(
        (await refusedWith(w.admin.undoRun(both.id, { type: 'tasks', fields: ['note'] }))).problems[0]!.where,
      ).toBe('fields[0]');
      await ran(w.admin, (await undone(w.admin, both.id, {})).id, { askAfter: null, expect: 2 });
      expect(await left()).toEqual({ b: 0, t: 0 });
    });

    it('says what is wrong with what was chosen', async () => {
      const r = await done(w.admin, note(81, 3));
      const told = async (body: Parameters<typeof w.admin.undoRun>[1]) => {
        const { code, problems } = await refusedWith(w.admin.undoRun(r.id, body));
        return [code, problems?.[0]?.where];
      };
      expect(await told({ fields: ['status'] })).toEqual(['unknown_field', 'fields[0]']);
      expect(await told({ filter: 'nonsense = 1' })).toEqual(['unknown_field', expect.stringContaining('filter')]);
      expect(await told({ keys: [] })).toEqual(['bad_request', 'keys']);
      expect((await undone(w.admin, r.id, { keys: ['999999'] })).totals.matched).toBe(0);
    });

    it('tells nobody of a filter that names what they may not see', async () => {
      const r = await done(w.admin, onBookings([86, 87], [{ kind: 'set', field: 'region', value: 'Far away' }]));
      const p = await undone(w.admin, r.id, { filter: "note IS NULL OR note <> 'secret word'" });
      expect((await w.editor.preview(p.id)).sentence).toContain('secret word');
      const line = await w.admin.addRight({
        login: 'piers',
        effect: 'deny',
        acts: ['see'],
        types: ['bookings'],
        fields: ['note'],
      });
      try {
        expect((await w.editor.preview(p.id)).sentence).not.toContain('secret');
        await ran(w.admin, p.id, { expect: p.totals.will_change });
        expect(JSON.stringify(await w.editor.runs({ limit: 3 }))).not.toContain('secret');
        expect(JSON.stringify(await w.editor.history('bookings', '86'))).not.toContain('secret');
      } finally {
        await w.admin.dropRight(line.id);
      }
    });

    it('tries the rest of a part again as that part', async () => {
      const r = await done(w.admin, note(91, 6));
      const p = await undone(w.admin, r.id, { keys: ['92', '93'], fields: ['note'] });
      await w.sql.query(`update bookings set note = 'theirs' where id = 93`);
      const u = await ran(w.admin, p.id, { expect: 2 });
      expect(u.totals).toMatchObject({ changed: 1, edited_since: 1 });
      const again = await w.admin.retryRun(u.id, {});
      expect(again.totals).toMatchObject({ matched: 2, already_right: 1, edited_since: 1, will_change: 0 });
    });

    it('keeps within a type where a run was of several', async () => {
      const job: JobBody = {
        ...onBookings([501, 502], [{ kind: 'set', field: 'note', value: 'both' }]),
        then: [
          {
            selection: { type: 'tasks', keys: ['1', '2'] },
            edits: [{ kind: 'set', field: 'subject', value: 'both' }],
          },
        ],
      };
      const r = await done(w.admin, job);
      expect(r.totals.changed).toBe(4);
      const p = await undone(w.admin, r.id, { keys: ['501'] });
      expect(p.totals).toMatchObject({ matched: 1, will_change: 1 });
      await ran(w.admin, p.id, { expect: 1 });
      const { rows } = await w.sql.query(`select id from tasks where subject = 'both' order by id`);
      expect(rows).toEqual([{ id: 1 }, { id: 2 }]);
    });
  });

  describe('causes', () => {
    it('groups what reads alike, with the words of the database and where the other record is', async () => {
      await w.sql.query(
        'create table labels (id integer primary key, code text unique, size integer check (size < 50))',
      );
      await w.sql.query(`insert into labels select n, 'L' || n, n from generate_series(1, 40) n`);
      w.services.catalogs.refresh();
      const p = await previewed(w.admin, {
        selection: { type: 'labels', filter: 'id <= 6' },
        edits: [
          { kind: 'compute', field: 'code', formula: "CONCATENATE('N', id)" },
          { kind: 'set', field: 'size', value: '49' },
        ],
        safety: { pace: 100 },
      });
      // After the preview others take three of the codes, and a rule is made tighter.
      await w.sql.query(`update labels set code = 'N' || (id - 30) where id in (31, 32, 33)`);
      await w.sql.query('alter table labels add constraint tight check (id <> 5 or size < 10)');
      const r = await ran(w.admin, p.id);
      expect(r.totals).toMatchObject({ changed: 2, refused: 4 });
      const causes = await w.admin.runCauses(r.id);
      expect(causes).toMatchObject([
        {
          outcome: 'refused',
          cause: 'Another record already has Code “…”.',
          count: 3,
          kind: 'unique',
          code: '23505',
          said: expect.stringContaining('duplicate key value violates unique constraint'),
          steps: ['show_other', 'mend', 'retry'],
          other: { type: 'labels', filter: expect.stringMatching(/^code = 'N[123]'$/) },
        },
        { outcome: 'refused', count: 1, kind: 'check', code: '23514', steps: ['mend', 'retry'], other: null },
      ]);
      const of = await w.admin.runRecords(r.id, { outcome: 'refused', cause: causes[0]!.cause! });
      expect(of.records.map((x) => x.key).sort()).toEqual(['1', '2', '3']);
      const found = await w.admin.search('labels', {
        filter: causes[0]!.other!.filter,
        columns: ['id'],
        count: 'exact',
      });
      expect(found.numberMatched).toBe(1);
    });

    it('tells a trigger, and what nobody said a word about', async () => {
      await w.sql.query(`create function no_fives() returns trigger language plpgsql as $$ begin
        if new.note like 'after %' and new.id % 5 = 0 then raise exception 'no fives, % is one', new.id; end if; return new; end $$`);
      await w.sql.query('create trigger no_fives before update on bookings for each row execute function no_fives()');
      try {
        const p = await previewed(w.admin, note(101, 20));
        await w.sql.query(`update bookings set note = 'theirs' where id = 102`);
        const r = await ran(w.admin, p.id);
        const causes = await w.admin.runCauses(r.id);
        expect(causes.map((c) => [c.outcome, c.count, c.kind])).toEqual([
          ...[105, 110, 115, 120].map(() => ['refused', 1, 'trigger']),
          ['edited_since', 1, null],
        ]);
        expect(causes[0]!.next).toContain('A trigger of the database');
        expect(causes.at(-1)).toMatchObject({ cause: null, steps: ['retry'] });
      } finally {
        await w.sql.query('drop trigger no_fives on bookings; drop function no_fives()');
      }
    });
  });

  it('gives what records were before as a file that the database loads', async () => {
    await w.sql.query('create table odd (a text, b integer, word text, size numeric, primary key (a, b))');
    await w.sql.query(
      `insert into odd values ('x, "y"', 1, null, 1.50), ('z', 2, '', null), (E'two\nlines', 3, 'plain', 3)`,
    );
    w.services.catalogs.refresh();
    const before = (await w.sql.query('select * from odd order by 1, 2')).rows;
    const r = await done(w.admin, {
      selection: { type: 'odd' },
      edits: [
        { kind: 'set', field: 'word', value: 'new' },
        { kind: 'compute', field: 'size', formula: 'COALESCE(size, 0) + 1' },
      ],
      safety: { pace: 100 },
    });
    const text = await (await w.admin.files.runRecords(r.id, { format: 'csv', image: 'before' })).text();
    expect(text.split('\r\n')[0]).toBe('"a","b","word","size"');
    await w.sql.query('create table loaded (like odd)');
    const client = new Client({ connectionString: w.url });
    await client.connect();
    await pipeline(Readable.from([text]), client.query(from('copy loaded from stdin csv header')));
    await client.end();
    expect((await w.sql.query('select * from loaded order by 1, 2')).rows).toEqual(before);
    expect((await refusedWith(w.admin.runRecords(r.id, { image: 'before' }))).problems[0]!.where).toBe('format');
  });

  describe('in_run', () => {
    let r: RunView;
    beforeAll(async () => {
      const p = await previewed(w.admin, note(301, 10));
      await w.sql.query(`update bookings set note = 'theirs' where id = 302`);
      r = await ran(w.admin, p.id);
    });
    const found = async (filter: string, type = 'bookings'): Promise<number> =>
      (await w.admin.search(type, { filter, columns: ['id'], count: 'exact', limit: 1 })).numberMatched!;

    it('finds what a run changed, by the whole id or what it is shown by', async () => {
      expect(await found(`in_run('${r.id}')`)).toBe(9);
      expect(await found(`in_run('${r.id.slice(-8)}', 'changed') AND id > 305`)).toBe(5);
      expect(await found(`in_run('${r.id}', 'edited_since')`)).toBe(1);
      expect(await found(`NOT in_run('${r.id}') AND id > 300 AND id <= 310`)).toBe(1);
      const growers = (
        await w.sql.query('select distinct grower from bookings where id between 301 and 310 and id <> 302')
      ).rows;
      expect(await found(`in_run('${r.id}', 'changed', first_booking)`, 'growers').catch(() => growers.length)).toBe(
        growers.length,
      );
    });

    it('serves in a job, and is said in words', async () => {
      const p = await previewed(w.admin, {
        selection: { type: 'bookings', filter: `in_run('${r.id.slice(-8)}', 'edited_since')` },
        edits: [{ kind: 'set', field: 'note', value: 'again' }],
      });
      expect(p.totals.matched).toBe(1);
      expect(p.sentence).toContain(`where run ${r.id.slice(-8)} left it edited since`);
    });

    it('says what is wrong: no such run, another type, no outcome, a run that is not known', async () => {
      const told = async (filter: string, type = 'bookings') =>
        (await refusedWith(w.admin.search(type, { filter, columns: ['id'] }))).detail;
      expect(await told(`in_run('00000000')`)).toContain('There is no run “00000000”');
      expect(await told(`in_run('%')`)).toContain('There is no run “%”');
      expect(await told(`in_run('${r.id}')`, 'growers')).toContain('is of bookings, not of growers');
      expect(await told(`in_run('${r.id}', 'altered')`)).toContain('in_run takes here one of');
      expect(await told(`in_run(id)`)).toContain('in_run needs the id of a run');
      expect(await told(`in_run('\u0000')`)).toBeTruthy();
    });
  });
});
