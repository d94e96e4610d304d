import { defaultSafety } from '@tantamos/core';
import { randomBytes, randomUUID } from 'node:crypto';
import { done, previewed, ran, refusedWith, rested } from '../testing/jobs';
import { asRole, openWorkspace, seenBy, testPassword, type Workspace } from '../testing/workspace';

/** What a database of somebody else's does while a run is at work, and what the run then says of it. */
describe('what became of a record is true', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  /** A table of `rows` records (id, note, other), with whatever else `more` makes. */
  let tables = 0;
  const table = async (rows: number, more = '', columns = 'note text, other text'): Promise<string> => {
    const name = `things_${++tables}`;
    await w.sql.query(`create table ${name} (id integer primary key, ${columns})`);
    if (rows > 0)
      await w.sql.query(`insert into ${name} (id, note) select n, 'old' from generate_series(1, $1::int) n`, [rows]);
    if (more) await w.sql.query(more.replaceAll('%', name));
    w.services.catalogs.refresh();
    return name;
  };
  const trigger = (body: string, when = 'before') => `
    create function %_does() returns trigger language plpgsql as $$ begin ${body} end $$;
    create trigger does ${when} update on % for each row execute function %_does()`;
  const setNote = (type: string, safety = {}, value = 'new') => ({
    selection: { type },
    edits: [{ kind: 'set' as const, field: 'note', value }],
    safety: { pace: 100, ...safety },
  });
  const outcomes = async (run: string) =>
    Object.fromEntries((await w.admin.runRecords(run, { limit: 500 })).records.map((r) => [r.key, r.outcome]));
  const causeOf = async (run: string, key: number) =>
    (await w.admin.runRecords(run, { limit: 500 })).records.find((r) => r.key === String(key))?.cause;
  const notes = async (type: string) =>
    (await w.sql.query<{ note: string }>(`select note from ${type} order by id`)).rows.map((r) => r.note);
  const undone = async (run: string) => {
    const back = await w.admin.undoRun(run, {});
    return ran(w.admin, back.id, { expect: back.totals.will_change });
  };

  it('stopped means that nothing is written any more: an undo right after it puts back all there is', async () => {
    const type = await table(60, trigger('perform pg_sleep(0.02); return new;'));
    const p = await previewed(w.admin, setNote(type, { batchSize: 30 }));
    const run = await w.admin.startRun({ preview: p.id, askAfter: null, expect: 60 });
    await new Promise((resolve) => setTimeout(resolve, 150));
    const [back] = await Promise.all([w.admin.undoRun(run.id, {}), w.admin.stopRun(run.id).catch(() => null)]);
    const stopped = await w.admin.run(run.id);
    expect(stopped).toMatchObject({ state: 'stopped', totals: { changed: 30, not_yet: 30 } });
    expect(back.totals).toMatchObject({ matched: 30, will_change: 30 });
    await ran(w.admin, back.id, { expect: 30 });
    expect(new Set(await notes(type))).toEqual(new Set(['old']));
  });

  it('a paused run holds nothing, and says so only then', async () => {
    const type = await table(40, trigger('perform pg_sleep(0.02); return new;'));
    const p = await previewed(w.admin, setNote(type, { batchSize: 20 }));
    const run = await w.admin.startRun({ preview: p.id, askAfter: null, expect: 40 });
    await new Promise((resolve) => setTimeout(resolve, 100));
    const paused = await w.admin.pauseRun(run.id);
    expect(paused.state).toBe('paused');
    const before = await notes(type);
    await new Promise((resolve) => setTimeout(resolve, 300));
    expect(await notes(type)).toEqual(before);
    await w.admin.continueRun(run.id);
    expect((await rested(w.admin, run.id)).totals.changed).toBe(40);
  });

  describe('locks of somebody else', () => {
    it('on the row that a reference points at: the rest goes on, that one is in use, and nothing is waited for long', async () => {
      const owners = await table(3);
      const type = await table(40, '', `note text, owner integer references ${owners}`);
      const other = await w.sql.connect();
      try {
        await other.query('begin');
        await other.query(`select from ${owners} where id = 2 for update`);
        await w.sql.query(`update ${type} set owner = null`);
        const p = await previewed(w.admin, {
          selection: { type },
          edits: [
            {
              kind: 'put',
              field: 'owner',
              values: Object.fromEntries(Array.from({ length: 40 }, (_, i) => [String(i + 1), i === 6 ? 2 : 1])),
            },
          ],
          safety: { batchSize: 20, pace: 100 },
        });
        const run = await ran(w.admin, p.id, { askAfter: null, expect: 40 });
        expect(run.totals).toMatchObject({ changed: 39, in_use: 1 });
        expect(await outcomes(run.id)).toMatchObject({ '7': 'in_use', '8': 'changed' });
      } finally {
        await other.query('rollback');
        other.release();
      }
    });

    it('on a unique value in an open insert; a pause is heeded meanwhile', async () => {
      const type = await table(10, 'update % set note = note || id; create unique index on % (note)');
      const other = await w.sql.connect();
      try {
        await other.query('begin');
        await other.query(`insert into ${type} (id, note) values (99, 'taken')`);
        const p = await previewed(w.admin, {
          selection: { type },
          edits: [{ kind: 'put', field: 'note', values: { '3': 'taken', '4': 'free' } }],
          safety: { pace: 100 },
        });
        const begun = Date.now();
        const run = await w.admin.startRun({ preview: p.id, askAfter: null, expect: 2 });
        await new Promise((resolve) => setTimeout(resolve, 200));
        const paused = await w.admin.pauseRun(run.id);
        expect(paused).toMatchObject({ state: 'paused', totals: { changed: 1, not_yet: 1 } });
        expect(Date.now() - begun).toBeLessThan(5000);
        await w.admin.continueRun(run.id);
        expect((await rested(w.admin, run.id)).totals).toMatchObject({ changed: 1, in_use: 1 });
      } finally {
        await other.query('rollback');
        other.release();
      }
    });
  });

  describe('what a trigger says of one record is about that record', () => {
    it.each([
      'UE001',
      '45000',
      '0A000',
      '55000',
      '54000',
      '21000',
      '55P03',
      '57014',
      'XX000',
      '42703',
      '40001',
      '57P01',
      '25006',
      '53100',
    ])('raised as %s', async (code) => {
      const type = await table(
        30,
        trigger(`if new.id = 11 then raise exception 'not this one' using errcode = '${code}'; end if; return new;`),
      );
      const run = await done(w.admin, setNote(type, { batchSize: 15 }));
      expect(run).toMatchObject({ state: 'finished', totals: { changed: 29, refused: 1 } });
      expect(await causeOf(run.id, 11)).toBe('not this one');
    });

    it('an error inside its function', async () => {
      const type = await table(20, trigger(`if new.id = 5 then perform 1 / 0; end if; return new;`));
      const run = await done(w.admin, setNote(type));
      expect(run.totals).toMatchObject({ changed: 19, refused: 1 });
      expect(await causeOf(run.id, 5)).toBe('division by zero');
    });

    it('and a text too long for an index', async () => {
      const type = await table(5, 'create index on % (note)');
      const long = randomBytes(9000).toString('base64');
      const run = await done(w.admin, {
        ...setNote(type),
        edits: [{ kind: 'put', field: 'note', values: { '2': long, '3': 'short' } }],
      });
      expect(run.totals).toMatchObject({ changed: 1, refused: 1 });
    });

    it('what it did before it refused is taken back too', async () => {
      const type = await table(
        10,
        `create table %_log (id integer);
         ${trigger('insert into %_log values (new.id); if new.id = 4 then return null; end if; return new;')}`,
      );
      const run = await done(w.admin, setNote(type));
      expect(run.totals).toMatchObject({ changed: 9, refused: 1 });
      const log = (await w.sql.query<{ id: number }>(`select id from ${type}_log order by id`)).rows.map((r) => r.id);
      expect(log).toEqual([1, 2, 3, 5, 6, 7, 8, 9, 10]);
    });

    it('a refusal of every record that no value explains pauses the run', async () => {
      const type = await table(30);
      const p = await previewed(w.admin, setNote(type));
      await w.sql.query(`revoke update on ${type} from public, tantamos_service`);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 30 });
      expect(run).toMatchObject({ state: 'paused', totals: { changed: 0, not_yet: 30 } });
      expect(run.reason).toMatch(/^It cannot go on: (every record fails alike: permission denied|.*may not)/);
    });

    it('a rule that came since the preview pauses the run, and is named', async () => {
      const type = await table(30);
      const p = await previewed(w.admin, setNote(type));
      await w.sql.query(`create rule no_more as on update to ${type} where false do instead nothing`);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 30 });
      expect(run).toMatchObject({ state: 'paused', totals: { changed: 0, not_yet: 30 } });
      expect(run.reason).toMatch(/^It cannot go on: The database has a rule, no_more, /);
    });
  });

  describe('what the database makes of a value', () => {
    it('after the statement is journaled as stored, and an undo puts the old one back', async () => {
      const type = await table(
        6,
        trigger(
          `if pg_trigger_depth() = 1 then update % set note = note || '!' where id = new.id; end if; return null;`,
          'after',
        ),
      );
      const run = await done(w.admin, setNote(type));
      expect(run.totals.changed).toBe(6);
      const [first] = (await w.admin.runRecords(run.id, { limit: 1 })).records;
      expect(first!.changes[0]!.new.value).toBe('new!');
      await w.sql.query(`drop trigger does on ${type}`);
      expect((await undone(run.id)).totals.changed).toBe(6);
      expect(new Set(await notes(type))).toEqual(new Set(['old']));
    });

    it('putting the old value back is a refusal', async () => {
      const type = await table(6, trigger('if new.id <= 2 then new.note := old.note; end if; return new;'));
      const run = await done(w.admin, setNote(type));
      expect(run.totals).toMatchObject({ changed: 4, refused: 2 });
      expect(await causeOf(run.id, 1)).toBe('A trigger of the database put the old value back.');
    });

    it('on other records of the run is said at its end, and their undo is not claimed', async () => {
      const type = await table(
        10,
        trigger(`if new.id = 9 then update % set note = 'sibling' where id = 1; end if; return new;`),
      );
      const run = await done(w.admin, setNote(type, { batchSize: 5 }));
      expect(run.totals.changed).toBe(10);
      expect(run.notes).toMatchObject([{ code: 'stored_otherwise', count: 1, examples: ['1'] }]);
      await w.sql.query(`drop trigger does on ${type}`);
      expect((await undone(run.id)).totals).toMatchObject({ changed: 9 });
      expect((await notes(type))[0]).toBe('sibling');
    });
  });

  it('a table that others inherit from is read only, and says why', async () => {
    const type = await table(3, 'create table %_more () inherits (%)');
    expect((await w.admin.type(type)).notChangeable).toMatch(/^Other tables inherit from/);
    expect(await refusedWith(w.admin.makePreview(setNote(type)))).toMatchObject({ code: 'not_changeable' });
  });

  describe('what a person would see as different is different', () => {
    it('the scale of a number', async () => {
      const type = await table(3, `update % set note = 'old', amount = 1.0`, 'note text, amount numeric');
      const p = await previewed(w.admin, {
        selection: { type, filter: 'amount = 1' },
        edits: setNote(type).edits,
        safety: { pace: 100 },
      });
      await w.sql.query(`update ${type} set amount = 1.000 where id = 2`);
      const run = await ran(w.admin, p.id, { askAfter: null });
      expect(await outcomes(run.id)).toEqual({ '1': 'changed', '2': 'edited_since', '3': 'changed' });
    });

    it('letters under a collation that takes them for the same', async () => {
      await w.sql.query(`create collation loose (provider = icu, locale = 'und-u-ks-level2', deterministic = false)`);
      const type = await table(3, '', 'note text collate loose, other text');
      const p = await previewed(w.admin, setNote(type, {}, 'OLD'));
      expect(p.totals).toMatchObject({ will_change: 3, already_right: 0 });
      await w.sql.query(`update ${type} set note = 'Old' where id = 2`);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 3 });
      expect(await outcomes(run.id)).toEqual({ '1': 'changed', '2': 'edited_since', '3': 'changed' });
    });

    it('and in a type of text that compares them as the same', async () => {
      await w.sql.query('create extension if not exists citext');
      const type = await table(2, '', 'note citext, other text');
      const p = await previewed(w.admin, setNote(type, {}, 'OLD'));
      expect(p.totals.will_change).toBe(2);
      await w.sql.query(`update ${type} set note = 'oLd' where id = 2`);
      const run = await ran(w.admin, p.id, { askAfter: null, expect: 2 });
      expect(await outcomes(run.id)).toEqual({ '1': 'changed', '2': 'edited_since' });
    });
  });

  it('hiding or protecting what a run wrote leaves its undo to those who may, and tells the others', async () => {
    const run = await done(w.admin, {
      selection: { type: 'growers', keys: ['5'] },
      edits: [{ kind: 'set', field: 'note', value: 'seen' }],
      safety: { pace: 100 },
    });
    await w.admin.setField('growers', 'note', { hidden: true });
    expect(await refusedWith(w.editor.undoRun(run.id, {}))).toMatchObject({ code: 'not_permitted' });
    await w.admin.setType('growers', { hidden: true });
    expect((await undone(run.id)).totals.changed).toBe(1);
    await w.admin.setType('growers', { hidden: false });
    await w.admin.setField('growers', 'note', { hidden: false, protected: true });
    const again = await w.admin.history('growers', '5');
    expect(again).toHaveLength(2);
    await w.admin.setField('growers', 'note', { protected: false });
  });

  it('lanes of one run that meet at a counter of the database do not get in each other’s way', async () => {
    const type = await table(
      400,
      `create table %_count (n integer not null); insert into %_count values (0);
       ${trigger('update %_count set n = n + 1; return new;')}`,
    );
    const p = await previewed(w.admin, setNote(type, { batchSize: 20, atOnce: 4 }));
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 400 });
    expect(run).toMatchObject({ state: 'finished', totals: { changed: 400 } });
    expect((await w.sql.query(`select n from ${type}_count`)).rows[0].n).toBe(400);
  });

  it('says beforehand what must be said to start, just as the start asks for it', async () => {
    const { id } = await w.admin.paste({ text: '1\n2\n3', targets: [{ type: 'hives', fields: ['id'] }] });
    const parts = [
      {},
      { filter: 'id < 4' },
      { keys: ['1', '2'] },
      { list: { id } },
      { take: { count: 3 } },
      {
        related: {
          how: 'pointing_at' as const,
          field: 'site',
          of: { type: 'sites', keys: ['1', '2', '3', '4', '5', '6'] },
        },
      },
      { drop: ['1'] },
    ];
    const said: boolean[] = [];
    for (const [i, part] of parts.entries()) {
      const edits = [{ kind: 'set' as const, field: 'built_on', value: `2001-01-0${i + 1}` }];
      const p = await previewed(w.admin, {
        selection: { type: 'hives', ...part },
        edits,
        safety: { pace: 100, askAfter: 1 },
      });
      said.push(p.expectRequired);
      expect(p.hindrance).toBeNull();
      const start = await w.admin.startRun({ preview: p.id }).then(
        (run) => run.id,
        (error: unknown) => (error as { details: { code: string } }).details.code,
      );
      expect(start === 'expect_required').toBe(p.expectRequired);
      if (!p.expectRequired) await w.admin.stopRun(start);
    }
    expect(said).toEqual([true, false, false, false, false, false, true]);
  });

  it('rows that a row rule keeps from being changed are told in the preview, or refused at once', async () => {
    // From here on only the clerk's service is at work; ours would see everything.
    await w.services.engine.close();
    const type = await table(8, '', 'note text, other text');
    await w.sql.query(`alter table ${type} enable row level security; alter table ${type} force row level security;
      create policy seen on ${type} for select using (true); create policy changed on ${type} for update using (id > 2)`);
    // Roles belong to the whole cluster.
    const role = `clerk_${randomUUID().slice(0, 8)}`;
    await w.sql.query(`create role ${role} login password '${testPassword()}'; grant all on ${type} to ${role};
      grant usage on schema public, tantamos to ${role}; grant all on all tables in schema tantamos to ${role}`);
    const { openServices } = await import('../services');
    const { pino } = await import('pino');
    const url = asRole(w.url, role);
    const clerk = await openServices({ url, log: pino({ level: 'silent' }), patience: { tries: 4, firstWait: 100 } });
    try {
      const seen = await seenBy({ services: clerk }, 'sorrel');
      const begin = async (keys?: string[]) => {
        const id = await clerk.previews.begin(
          { ...setNote(type), selection: { type, ...(keys ? { keys } : {}) } },
          seen,
        );
        await clerk.previews.settled(id, 60_000);
        return clerk.previews.get(id);
      };
      const first = await begin();
      expect(first).toMatchObject({ state: 'ready', will_change: 6, not_allowed: 2 });
      expect(first.causes[0]!.cause).toContain('row rule');
      // A rule that comes after the preview.
      await w.sql.query(`alter policy changed on ${type} using (id > 4)`);
      const began = Date.now();
      const runId = await clerk.runs.start(first.id, seen, {
        first: null,
        expect: 6,
        safety: { ...defaultSafety, pace: 100 },
      });
      let run = await clerk.runs.get(runId);
      while (run.state !== 'finished' && Date.now() - began < 8000) run = await clerk.runs.get(runId);
      expect(run).toMatchObject({ state: 'finished', changed: 4, refused: 2, in_use: 0 });
    } finally {
      await clerk.close();
      await w.sql.query(`drop owned by ${role}; drop role ${role}`);
    }
  });
});
