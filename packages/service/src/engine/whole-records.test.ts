import type { JobBody } from '@tantamos/contract';
import fc from 'fast-check';
import { usualPatience } from './engine';
import { done, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** Jobs of several parts, that make records, and that delete some. */
describe('whole records', () => {
  let w: Workspace;
  // As patient as the service is: the database's own cleaning may hold a table for a moment.
  beforeAll(async () => (w = await openWorkspace({ patience: usualPatience })));
  afterAll(() => w.close());

  const rows = async <R>(statement: string): Promise<R[]> => (await w.sql.query(statement)).rows as R[];
  const image = async (...tables: string[]): Promise<unknown> =>
    Promise.all(
      tables.map((t) =>
        rows(
          `select md5(string_agg((to_jsonb(t) - 'updated_at')::text, ',' order by (to_jsonb(t) - 'updated_at')::text)) as it, count(*) from ${t} t`,
        ),
      ),
    );
  const undone = async (run: string) => {
    const back = await w.admin.undoRun(run, {});
    return ran(w.admin, back.id, { askAfter: null, expect: back.totals.will_change });
  };

  describe('several types in one job', () => {
    const follow: JobBody = {
      selection: { type: 'growers', filter: "owner = 'Tobias Fenwick' AND valley = 'north'" },
      edits: [{ kind: 'set', field: 'owner', value: 'Ines Calloway' }],
      then: [
        {
          selection: { type: 'bookings' },
          follows: { field: 'grower' },
          edits: [{ kind: 'compute', field: 'owner', formula: 'planned(grower.owner)' }],
        },
      ],
      safety: { pace: 100 },
    };

    it('bookings follow their growers: one preview, one run, one undo', async () => {
      const before = await image('growers', 'bookings');
      const p = await previewed(w.admin, follow);
      expect(p.sentence).toMatch(
        /^On the \d+ growers where owner is Tobias Fenwick and valley is north: set owner to Ines Calloway; then on the \d+ bookings whose grower is among the growers where owner/i,
      );
      expect(p.parts.map((part) => [part.act, part.type])).toEqual([
        ['update', 'growers'],
        ['update', 'bookings'],
      ]);
      expect(p.parts[0]!.totals.matched + p.parts[1]!.totals.matched).toBe(p.totals.matched);
      expect(p.parts[1]!.totals.will_change).toBeGreaterThan(0);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      expect(run.totals).toMatchObject({ changed: p.totals.will_change, edited_since: 0, refused: 0 });
      const owners = await rows(`select distinct b.owner from bookings b join growers g on g.id = b.grower
        where g.owner = 1 and g.id in (select g.id from growers g where valley = 'north' and owner = 1) and b.id in
        (select unnest(b.keys)::int from tantamos.batch b where preview = '${p.id}' and part = 1)`);
      expect(owners).toEqual([{ owner: 1 }]);
      await undone(run.id);
      expect(await image('growers', 'bookings')).toEqual(before);
    });

    it.each([
      [{ ...follow, then: [{ ...follow.then![0]!, follows: { field: 'grower', part: 2 } }] }, 'circle'],
      [{ ...follow, then: [{ ...follow.then![0]!, follows: { field: 'grower', part: 9 } }] }, 'circle'],
      [{ ...follow, then: [{ ...follow.then![0]!, follows: { field: 'site' } }] }, 'type_mismatch'],
      [{ ...follow, selection: { type: 'growers', filter: 'planned(owner) = 1' } }, 'syntax'],
      [{ ...follow, edits: [{ kind: 'compute', field: 'note', formula: 'planned(1)' } as const] }, 'syntax'],
      [{ ...follow, then: [{ ...follow.then![0]!, edits: [] }] }, 'no_edits'],
    ])('says what is wrong with parts: %#', async (job, code) => {
      expect((await refusedWith(w.admin.makePreview(job))).code).toBe(code);
    });

    it('what is to be known of a later part is said too, by its type', async () => {
      const p = await previewed(w.admin, {
        selection: { type: 'growers', filter: "valley = 'north' AND status = 'active'" },
        edits: [{ kind: 'set', field: 'note', value: '= credit_limit * 2' }],
        then: [
          {
            selection: { type: 'bookings', filter: "status = 'draft'" },
            follows: { field: 'grower' },
            edits: [
              { kind: 'set', field: 'status', value: 'confirmed' },
              { kind: 'set', field: 'note', value: '= hives * 2' },
            ],
          },
        ],
      });
      const said = (code: string) => p.notes.filter((n) => n.code === code).map((n) => [n.message, Boolean(n.mend)]);
      expect(said('reads_like')).toEqual([
        [expect.stringMatching(/^Note is given/), true],
        [expect.stringMatching(/^Bookings: Note is given/), false],
      ]);
      expect(said('filter_edited')).toEqual([[expect.stringMatching(/^Bookings: The filter asks for status/), false]]);
    });

    it('what is left of it is tried again part by part, each with its own records', async () => {
      const before = await image('growers', 'bookings');
      const p = await previewed(w.admin, follow);
      await w.sql.query(`update growers set note = note || '' where id = 1; update bookings set owner = 9 where id = (
        select unnest(keys)::int from tantamos.batch where preview = '${p.id}' and part = 1 limit 1)`);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      expect(run.totals.edited_since).toBe(1);
      const again = await w.admin.retryRun(run.id, { outcomes: ['edited_since'] });
      expect(again.job).toMatchObject({ selection: { type: 'bookings' }, edits: [{ field: 'owner' }] });
      expect(again.totals.matched).toBe(1);
      await undone(run.id);
      await w.sql.query(`update bookings b set owner = v.old::int from (
        select unnest(b.keys) as key, unnest(v.old) as old from tantamos.batch b join tantamos.batch_value v using (preview, position)
        where b.preview = '${p.id}' and b.part = 1) v where b.id = v.key::int`);
      expect(await image('growers', 'bookings')).toEqual(before);
    });

    it('what one run may change of a type is asked of its own parts', async () => {
      const p = await previewed(w.admin, follow);
      const [growers, bookings] = p.parts.map((part) => part.totals.will_change);
      expect(p.hindrance).toBeNull();
      // More than all growers, fewer than the bookings.
      await w.admin.setType('growers', { mostRecords: growers! });
      await w.admin.setType('bookings', { mostRecords: bookings! - 1 });
      expect((await w.admin.preview(p.id)).hindrance).toContain(`One run may change ${bookings! - 1} bookings`);
      expect((await refusedWith(w.admin.startRun({ preview: p.id, expect: p.totals.will_change }))).code).toBe(
        'over_limit',
      );
      await w.admin.setType('bookings', { mostRecords: bookings!, typedFrom: bookings! });
      expect(await w.admin.preview(p.id)).toMatchObject({ hindrance: null, expectRequired: true });
      await w.admin.setType('bookings', { mostRecords: null, typedFrom: null });
      await w.admin.setType('growers', { mostRecords: null });
      // A right to change so many at once is of its type, too.
      const line = await w.admin.addRight({
        login: 'piers',
        effect: 'deny',
        acts: ['change_many'],
        types: ['bookings'],
        most: 5,
      });
      const theirs = await previewed(w.editor, follow);
      expect(theirs.hindrance).toContain('would change; without the right');
      await w.admin.dropRight(line.id);
    });

    it('names in a later part are asked about in its own place', async () => {
      const job = structuredClone(follow);
      job.then![0]!.edits = [{ kind: 'set', field: 'owner', value: 'Marta Quill' }];
      const answer = await refusedWith(w.admin.makePreview(job));
      expect(answer.problems[0]).toMatchObject({ code: 'ambiguous_name', where: 'then[0].edits[0].value' });
    });
  });

  describe('that are made along', () => {
    const north: JobBody['selection'] = {
      type: 'bookings',
      filter: "valley = 'north' AND status = 'draft' AND id < 2000",
    };
    const remark = {
      type: 'remarks',
      values: [{ kind: 'set', field: 'body', value: 'Called about {reference}.' }],
    } as const;

    it('a remark for each that is changed, in its transaction; an undo takes away those that nobody has touched', async () => {
      const before = await image('bookings', 'remarks');
      const job: JobBody = {
        selection: north,
        edits: [{ kind: 'set', field: 'hives', value: 77 }],
        also: [remark],
        safety: { pace: 100, batchSize: 7, atOnce: 2 },
      };
      const p = await previewed(w.admin, job);
      expect(p.along).toEqual([{ type: 'remarks', label: 'Remarks', act: 'create', count: p.totals.will_change }]);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      const made = await rows<{ body: string; reference: string }>(
        `select r.body, b.reference from remarks r join bookings b on b.id = r.booking where r.body like 'Called about%'`,
      );
      expect(made).toHaveLength(run.totals.changed);
      expect(made.every((m) => m.body === `Called about ${m.reference}.`)).toBe(true);
      await w.sql.query(`update remarks set body = 'theirs' where id = (select max(id) from remarks)`);
      const back = await undone(run.id);
      expect(back.totals).toMatchObject({ changed: run.totals.changed - 1, edited_since: 1 });
      expect(await rows(`select body from remarks where body = 'theirs' or body like 'Called about%'`)).toEqual([
        { body: 'theirs' },
      ]);
      await w.sql.query(`delete from remarks where body = 'theirs'; update bookings b set hives = v.old::int
        from (select unnest(b.keys) as key, unnest(v.old) as old from tantamos.batch b join tantamos.batch_value v using (preview, position)
          where b.preview = '${p.id}' and v.field = 'hives') v where b.id = v.key::int and b.hives = 77`);
      expect(await image('bookings', 'remarks')).toEqual(before);
    });

    it('a remark for each, with nothing else changed', async () => {
      const before = await image('remarks');
      const run = await done(w.admin, { selection: north, edits: [], also: [remark], safety: { pace: 100 } });
      const [n] = await rows<{ n: number }>(`select count(*)::int as n from remarks where body like 'Called about%'`);
      expect(n!.n).toBe(run.totals.changed);
      await undone(run.id);
      expect(await image('remarks')).toEqual(before);
    });

    const call: NonNullable<JobBody['also']>[number] = {
      type: 'tasks',
      per: 'owner',
      by: 'owner',
      first: 'booking',
      values: [
        { kind: 'set', field: 'subject', value: 'Call about drafts, {name}' },
        { kind: 'compute', field: 'due_on', formula: "next_weekday(TODAY(), 'monday')" },
      ],
    };

    it('not counted, and the record refused, where the database swallows what is made for it', async () => {
      await w.sql.query(`create function swallow() returns trigger language plpgsql as $$ begin
        if new.grower % 2 = 0 then return null; end if; return new; end $$;
        create trigger swallow before insert on remarks for each row execute function swallow()`);
      const p = await previewed(w.admin, {
        selection: { type: 'growers', filter: 'id BETWEEN 601 AND 606' },
        edits: [{ kind: 'set', field: 'note', value: 'swallowed' }],
        also: [{ type: 'remarks', by: 'grower', values: [{ kind: 'set', field: 'body', value: 'swallowed' }] }],
        safety: { pace: 100 },
      });
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 6 });
      const made = await rows<{ grower: number }>(`select grower from remarks where body = 'swallowed' order by 1`);
      const changed = await rows<{ id: number }>(`select id from growers where note = 'swallowed' order by 1`);
      expect(made.map((m) => m.grower)).toEqual([601, 603, 605]);
      expect(changed.map((c) => c.id)).toEqual([601, 603, 605]);
      expect(run.totals).toMatchObject({ changed: 3, refused: 3 });
      expect(run.along.map((a) => a.count)).toEqual([3]);
      await undone(run.id);
      expect(await rows(`select from remarks where body = 'swallowed'`)).toEqual([]);
      await w.sql.query('drop trigger swallow on remarks; drop function swallow');
    });

    it('a task for each owner of whom one at least is dealt with', async () => {
      const before = await image('bookings', 'tasks');
      const p = await previewed(w.admin, {
        selection: north,
        edits: [{ kind: 'set', field: 'region', value: 'Upland' }],
        also: [call],
        safety: { pace: 100 },
      });
      const owners = await rows<{ owner: number; first: number }>(
        `select owner, min(id) as first from bookings where valley = 'north' and status = 'draft' and id < 2000 and region is distinct from 'Upland' and owner is not null group by 1 order by 1`,
      );
      expect(p.parts[1]!.totals).toMatchObject({ matched: owners.length, will_change: owners.length });
      expect(p.sentence).toContain('make tasks, one for each owner (');
      // Somebody else deals with all of one owner's meanwhile.
      await w.sql.query(
        `update bookings set region = 'elsewhere' where owner = ${owners[0]!.owner} and valley = 'north' and status = 'draft'`,
      );
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      const made = await rows(
        `select owner, booking as first from tasks where subject like 'Call about drafts%' order by 1`,
      );
      expect(made).toEqual(owners.slice(1));
      const left = await w.admin.runRecords(run.id, { outcome: 'edited_since', limit: 500 });
      expect(left.records.map((r) => r.cause)).toContain('None of the bookings that it is made for was changed.');
      await undone(run.id);
      expect(await rows(`select from tasks where subject like 'Call about drafts%'`)).toEqual([]);
      expect(before).toHaveLength(2);
    });

    it('what the database would refuse of it is known beforehand', async () => {
      const both = {
        ...call,
        by: 'owner',
        values: [...call.values, { kind: 'compute', field: 'grower', formula: 'MIN(growers.owner.id)' }],
      };
      const p = await previewed(w.admin, { selection: north, edits: [], also: [both as never], safety: { pace: 100 } });
      expect(p.totals).toMatchObject({ will_change: 0 });
      expect(p.causes[0]!.cause).toBe('A task belongs to exactly one record.');
      const long = {
        ...remark,
        type: 'tasks',
        by: 'booking',
        values: [{ kind: 'compute', field: 'subject', formula: "PAD('x', 300, 'x')" }],
      };
      const q = await previewed(w.admin, {
        selection: north,
        edits: [{ kind: 'set', field: 'region', value: 'Y' }],
        also: [long as never],
      });
      expect(q.totals.will_change).toBe(0);
      expect(q.causes[0]!.cause).toContain('Subject');
    });

    it.each([
      [{ ...remark, type: 'listings' }, 'type_mismatch', 'no field that points at bookings'],
      [{ ...remark, values: [] }, 'bad_value', 'Body of new remarks is required'],
      [{ ...call, first: 'grower' }, 'type_mismatch', 'does not point at bookings'],
      [{ ...call, first: undefined, by: 'booking' }, 'type_mismatch', 'does not point at staff'],
      [{ ...call, per: 'valley' }, 'type_mismatch', 'needs a field that points at records'],
      [{ ...remark, values: [{ kind: 'clear', field: 'body' }] }, 'bad_value', 'set or computed'],
      [{ ...remark, type: 'hives' }, 'type_mismatch', 'no field'],
    ])('says what is wrong with what is made: %#', async (also, code, words) => {
      const answer = await refusedWith(w.admin.makePreview({ selection: north, edits: [], also: [also] as never }));
      expect(answer.code).toBe(code);
      expect(answer.detail).toContain(words);
    });
  });

  describe('that are copied', () => {
    it('each once more, but for what the edits say', async () => {
      const before = await image('tasks');
      const [last] = await rows<{ id: number }>('select max(id) as id from tasks');
      const run = await done(w.admin, {
        selection: { type: 'tasks', filter: 'id <= 20' },
        act: 'copy',
        edits: [{ kind: 'set', field: 'state', value: 'open' }],
        safety: { pace: 100 },
      });
      expect(run.totals).toMatchObject({ matched: 20, changed: 20 });
      expect(await rows(`select count(*)::int as n from tasks where id > ${last!.id} and state = 'open'`)).toEqual([
        { n: 20 },
      ]);
      await undone(run.id);
      expect(await image('tasks')).toEqual(before);
      const unique = { selection: { type: 'bookings', filter: 'id = 1' }, act: 'copy', edits: [] } as const;
      expect((await refusedWith(w.admin.makePreview(unique))).detail).toContain('say what that of the copies');
    });
  });

  describe('that are deleted', () => {
    const some: JobBody = {
      selection: { type: 'bookings', filter: 'id <= 60' },
      act: 'delete',
      edits: [],
      safety: { pace: 100, batchSize: 9 },
    };

    it('with what goes with them; what is in the way is said; an undo brings all of it back', async () => {
      const tables = ['bookings', 'remarks', 'tasks', 'placements', 'invoices', 'inspections'];
      const before = await image(...tables);
      const p = await previewed(w.admin, some);
      expect(p.sentence).toBe('On the 60 bookings where id is at most 60: delete them.');
      const [blocked] = await rows<{ n: number }>(
        'select count(distinct booking)::int as n from inspections where booking <= 60',
      );
      expect(p.totals).toMatchObject({ matched: 60, not_allowed: blocked!.n, will_change: 60 - blocked!.n });
      expect(p.causes[0]!.cause).toContain('Inspections still point at it (booking).');
      expect(p.expectRequired).toBe(true);
      expect((await refusedWith(w.admin.startRun({ preview: p.id, askAfter: null }))).code).toBe('expect_required');
      const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
      expect(run.totals).toMatchObject({ changed: p.totals.will_change, refused: 0 });
      expect(await rows('select count(*)::int as n from bookings where id <= 60')).toEqual([{ n: blocked!.n }]);
      await undone(run.id);
      expect(await image(...tables)).toEqual(before);
    });

    it('not where the database would not take it back', async () => {
      const filter = "status = 'confirmed' AND site IS NULL";
      const p = await previewed(w.admin, { ...some, selection: { type: 'bookings', filter } });
      expect(p.totals.will_change).toBe(0);
      expect(p.causes.map((c) => c.cause)).toContain('It could not be put back: A confirmed booking needs a site.');
    });

    it('through as many types as can be kept whole; what lies deeper keeps the record', async () => {
      await w.sql.query(
        `create table c0 (id integer primary key, note text); insert into c0 select n, 'x' from generate_series(1, 4) n`,
      );
      for (let n = 1; n <= 5; n++)
        await w.sql
          .query(`create table c${n} (id integer primary key, above integer not null references c${n - 1} on delete cascade);
          insert into c${n} select n, n from generate_series(1, ${n === 5 ? 1 : 3}) n`);
      w.services.catalogs.refresh();
      const job: JobBody = { selection: { type: 'c0' }, act: 'delete', edits: [], safety: { pace: 100 } };
      const p = await previewed(w.admin, job);
      // Of the first there are children down to the fifth level, of two down to the fourth, of the last none.
      expect(p.causes.map((c) => c.cause)).toEqual(['C5 still point at it (above).']);
      expect(p.totals).toMatchObject({ matched: 4, not_allowed: 1, will_change: 3 });
      expect(p.along.map((a) => [a.type, a.count])).toEqual([1, 2, 3, 4].map((n) => [`c${n}`, 2]));
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 3 });
      expect(await rows('select (select count(*) from c0)::int as a, (select count(*) from c5)::int as b')).toEqual([
        { a: 1, b: 1 },
      ]);
      await undone(run.id);
      expect(await rows('select (select count(*) from c0)::int as a, (select count(*) from c4)::int as b')).toEqual([
        { a: 4, b: 3 },
      ]);
      await w.sql.query('drop table c5, c4, c3, c2, c1, c0');
      w.services.catalogs.refresh();
    });

    it('is for those who may, and shows no type that is hidden', async () => {
      const answer = await refusedWith(w.editor.makePreview(some));
      expect(answer.code).toBe('not_permitted');
      await w.admin.addRight({ login: 'piers', effect: 'allow', acts: ['delete'] });
      await w.admin.addRight({ login: 'piers', effect: 'deny', acts: ['see'], types: ['inspections'] });
      const p = await previewed(w.editor, some);
      expect(p.causes.map((c) => c.cause)).toEqual(['Records that you may not see still point at it.']);
      expect(JSON.stringify(p)).not.toMatch(/inspection/i);
    });

    it('neither changes nor makes anything of them', async () => {
      for (const more of [{ edits: [{ kind: 'clear', field: 'note' }] }, { also: [{ type: 'remarks', values: [] }] }])
        expect((await refusedWith(w.admin.makePreview({ ...some, ...more } as never))).code).toBe('bad_value');
    });
  });

  it('undoing a run leaves nothing of it, whatever was made, copied, deleted or handed over', async () => {
    const tables = ['bookings', 'growers', 'remarks', 'tasks', 'placements', 'invoices', 'inspections'];
    const before = await image(...tables);
    const which = fc.tuple(fc.integer({ min: 1, max: 17_000 }), fc.integer({ min: 1, max: 300 }));
    const remark = { type: 'remarks', values: [{ kind: 'set', field: 'body', value: 'About {reference}' }] } as const;
    const call = {
      type: 'tasks',
      per: 'owner',
      by: 'owner',
      first: 'booking',
      values: [{ kind: 'set', field: 'subject', value: 'Call {name}' }],
    } as const;
    const set = { kind: 'set', field: 'hives', value: 33 } as const;
    const acts: Record<string, Omit<JobBody, 'selection'>> = {
      changed: { edits: [set], also: [remark, call] },
      made: { edits: [], also: [remark, call] },
      again: { edits: [set], writeAgain: true, also: [remark] },
      deleted: { act: 'delete', edits: [] },
      followed: {
        edits: [{ kind: 'set', field: 'owner', value: '5' }],
        then: [
          {
            selection: { type: 'growers' },
            follows: { field: 'grower', how: 'pointed_at' },
            edits: [{ kind: 'set', field: 'note', value: 'seen' }],
          },
          {
            selection: { type: 'tasks' },
            follows: { field: 'booking', part: 1 },
            edits: [{ kind: 'compute', field: 'owner', formula: 'planned(booking.owner)' }],
          },
        ],
      },
      cleared: {
        edits: [set],
        then: [{ selection: { type: 'remarks' }, follows: { field: 'booking' }, act: 'delete', edits: [] }],
      },
    };
    await fc.assert(
      fc.asyncProperty(
        which,
        fc.constantFrom(...Object.keys(acts)),
        fc.integer({ min: 3, max: 400 }),
        fc.integer({ min: 1, max: 4 }),
        async ([from, size], act, batchSize, atOnce) => {
          const p = await previewed(w.admin, {
            selection: { type: 'bookings', filter: `id BETWEEN ${from} AND ${from + size}` },
            ...acts[act]!,
            safety: { pace: 100, batchSize, atOnce },
          });
          if (p.totals.will_change === 0) return;
          const run = await ran(w.admin, p.id, { askAfter: null, expect: p.totals.will_change });
          // With all that it came to, so that a failure says why.
          const { changed, ...others } = run.totals;
          if (changed !== p.totals.will_change)
            throw new Error(`${act}: ${JSON.stringify({ changed, ...others, why: run.reason })}`);
          const back = await undone(run.id);
          expect([act, back.state, back.reason, back.totals.changed]).toEqual([act, 'finished', null, changed]);
          expect([act, await image(...tables)]).toEqual([act, before]);
        },
      ),
      { numRuns: 8, seed: jest.getSeed() },
    );
  }, 180_000);
});
