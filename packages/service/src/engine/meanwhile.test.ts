import type { JobBody, RunView } from '@tantamos/contract';
import { done, previewed, ran, rechecked, rested, undone } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

const rows = 60;

/** What is stored is told, also where the database does something of its own that it did not when the catalog was read. */
describe('what somebody makes in the database between preview and run', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace({ template: 'blank_template' })));
  afterAll(() => w.close());

  let tables = 0;
  /** Words and prices of `rows` records, in a table that is made so. */
  const table = async (columns = '', after = ''): Promise<string> => {
    const name = `kept_${++tables}`;
    await w.sql
      .query(`create table ${name} (id integer primary key, word text, price numeric(8,2), other text)${columns};
      ${after.replaceAll('{t}', name)};
      insert into ${name} select n, 'old', n, 'o' from generate_series(1, ${rows}) n`);
    w.services.catalogs.refresh();
    await w.admin.types();
    return name;
  };
  const job = (type: string, edits: JobBody['edits'] = toNew): JobBody => ({
    selection: { type, filter: 'id > 0' },
    edits,
    safety: { batchSize: 10, pace: 100 },
  });
  const toNew: JobBody['edits'] = [
    { kind: 'set', field: 'word', value: 'new' },
    { kind: 'set', field: 'price', value: '7.25' },
  ];
  /** Values that are worked out beforehand, and so are written by other statements. */
  const byFormula: JobBody['edits'] = [
    { kind: 'compute', field: 'word', formula: 'upper(word)' },
    { kind: 'compute', field: 'price', formula: 'price + 0.25' },
  ];
  const trigger = (on: string, does: string, when = 'before update', name = 'does'): string =>
    `create or replace function ${on}_${name}() returns trigger language plpgsql as $$ begin ${does} return new; end $$;
     create trigger ${name} ${when} on ${on} for each row execute function ${on}_${name}()`;
  const shouts = "if new.id % 10 = 3 then new.word := upper(new.word) || '!'; end if;";

  /** Of each record that is said to be changed, what is said to be stored is stored. */
  const isTrue = async (run: RunView, type: string): Promise<void> => {
    expect(run.state).toBe('finished');
    const { records } = await w.admin.runRecords(run.id, { limit: 500 });
    const { rows: stored } = await w.sql.query<Record<string, string | null>>(
      `select id::text, word::text, price::text from ${type} order by id`,
    );
    expect(records).toHaveLength(rows);
    for (const record of records.filter((r) => r.outcome === 'changed')) {
      const now = stored.find((r) => r.id === record.key)!;
      expect(record.changes.map((c) => [record.key, c.field, c.new.value])).toEqual(
        record.changes.map((c) => [record.key, c.field, now[c.field]]),
      );
    }
    const now = await rechecked(w.admin, run.id);
    expect(now).toMatchObject({ asWritten: run.totals.changed, changedSince: 0 });
  };
  /** A run on what is made so, meddled with between preview and run. */
  const meddled = async (type: string, by: string, edits = toNew, written = type): Promise<RunView> => {
    const p = await previewed(w.admin, job(written, edits));
    expect(p.totals.will_change).toBe(rows);
    await w.sql.query(by);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: rows });
    await isTrue(run, type);
    return run;
  };

  it.each([
    ['before', shouts],
    ['after', ''],
  ])('a trigger %s it, for values of either kind', async (when, does) => {
    for (const edits of [toNew, byFormula]) {
      const type = await table();
      const again = `if new.id % 10 = 3 and pg_trigger_depth() = 1 then update ${type} set word = 'after' where id = new.id; end if;`;
      const run = await meddled(type, trigger(type, does || again, `${when} update`), edits);
      expect(run.totals.changed).toBe(rows);
      // Read anew at once, not when it is due.
      expect((await w.services.catalogs.get()).type(type).triggers).toHaveLength(1);
      const { rows: told } = await w.sql.query(`select from ${type} where word like '%!' or word = 'after'`);
      expect(told).toHaveLength(6);
    }
  });

  it('a trigger on one partition alone, also one that has been there all along', async () => {
    const parts = `create table {t}_low partition of {t} for values from (0) to (31);
      create table {t}_high partition of {t} for values from (31) to (1000)`;
    const type = await table(' partition by range (id)', parts);
    expect((await meddled(type, trigger(`${type}_high`, shouts))).totals.changed).toBe(rows);
    const known = await table(' partition by range (id)', `${parts}; ${trigger('{t}_low', shouts)}`);
    await isTrue(await done(w.admin, job(known)), known);
  });

  it('a trigger on the table that a view shows', async () => {
    const type = await table('', 'create view {t}_seen as select id, word, price from {t}');
    expect((await meddled(type, trigger(type, shouts), toNew, `${type}_seen`)).totals.changed).toBe(rows);
  });

  it('a trigger that is there when the lanes have waited for whoever makes it', async () => {
    for (const edits of [toNew, byFormula]) {
      const type = await table();
      const p = await previewed(w.admin, job(type, edits));
      const maker = await w.sql.connect();
      await maker.query(`begin; ${trigger(type, shouts)}`);
      const { id } = await w.admin.startRun({ preview: p.id, askAfter: null, expect: rows });
      const waits = `select from pg_stat_activity where wait_event_type = 'Lock' and datname = current_database()`;
      while ((await w.sql.query(waits)).rowCount === 0) await new Promise((r) => setTimeout(r, 10));
      await maker.query('commit');
      maker.release();
      const run = await rested(w.admin, id);
      expect(run.totals.changed).toBe(rows);
      await isTrue(run, type);
    }
  });

  it('a trigger while the run is at work', async () => {
    const type = await table();
    const p = await previewed(w.admin, { ...job(type), safety: { batchSize: 1, pace: 20 } });
    const { id } = await w.admin.startRun({ preview: p.id, askAfter: null, expect: rows });
    while ((await w.admin.run(id)).totals.changed < 10) await new Promise((r) => setTimeout(r, 5));
    await w.sql.query(trigger(type, shouts));
    const run = await rested(w.admin, id);
    expect(run.totals.changed).toBe(rows);
    await isTrue(run, type);
  });

  it.each([
    ['of another field', 'before update of other', ''],
    ['of other acts', 'before insert or delete', ''],
    ['that is switched off', 'before update', 'alter table {t} disable trigger does'],
    ['that fires for copies alone', 'before update', 'alter table {t} enable replica trigger does'],
  ])('a trigger %s does nothing here, and changes nothing', async (_, when, then) => {
    const type = await table();
    const run = await meddled(type, `${trigger(type, shouts, when)}; ${then.replaceAll('{t}', type)}`);
    expect(run.totals.changed).toBe(rows);
    expect((await w.sql.query(`select from ${type} where word = 'new'`)).rowCount).toBe(rows);
  });

  it.each([
    ['a number with fewer places', 'alter column price type numeric(8,1)'],
    ['a whole number', 'alter column price type integer'],
    ['a text of fixed length', 'alter column word type char(12)'],
    ['a shorter text', 'alter column word type varchar(3)'],
  ])('a column that is %s by now', async (_, altered) => {
    for (const edits of [toNew, byFormula]) {
      const type = await table();
      await meddled(type, `alter table ${type} ${altered}`, edits);
    }
  });

  it('a column that has no room for the new value by now: refused, and never cut', async () => {
    const type = await table();
    const run = await meddled(type, `alter table ${type} alter column other type varchar(2)`, [
      { kind: 'set', field: 'other', value: 'long' },
    ]);
    expect(run.totals).toMatchObject({ changed: 0, refused: rows });
    const { records } = await w.admin.runRecords(run.id, { limit: 1 });
    expect(records[0]!.cause).toMatch(/too long/);
  });

  it('of records that are made, and made again, what a trigger makes of them', async () => {
    const type = await table(
      '',
      `create sequence {t}_ids start 1000; alter table {t} alter column id set default nextval('{t}_ids')`,
    );
    await w.sql.query(trigger(type, shouts, 'before insert'));
    const copied = await done(w.admin, { ...job(type), act: 'copy' });
    expect(copied.totals.changed).toBe(rows);
    const { records } = await w.admin.runRecords(copied.id, { limit: 500 });
    const words = records.map((r) => r.changes.find((c) => c.field === 'word')!.new.value);
    expect(words.filter((word) => word === 'NEW!')).toHaveLength(6);
    expect(words.filter((word) => word === 'new')).toHaveLength(rows - 6);
    const back = await undone(w.admin, copied.id);
    expect((await ran(w.admin, back.id, { askAfter: null, expect: rows })).totals.changed).toBe(rows);
    expect((await w.sql.query(`select from ${type}`)).rowCount).toBe(rows);
    // What was deleted is made again.
    const gone = await done(w.admin, { ...job(type, []), act: 'delete' });
    const again = await undone(w.admin, gone.id);
    const made = await ran(w.admin, again.id, { askAfter: null, expect: rows });
    const third = (await w.admin.runRecords(made.id, { limit: 500 })).records.find((r) => r.key === '3')!;
    expect(third.changes.find((c) => c.field === 'word')!.new.value).toBe('OLD!');
  });

  it('what an undo brings back is told as it is stored, too', async () => {
    const type = await table();
    const run = await done(w.admin, job(type, [{ kind: 'set', field: 'price', value: '999' }]));
    await w.sql.query(`update ${type} set price = price`);
    const p = await undone(w.admin, run.id);
    await w.sql.query(trigger(type, 'if new.id = 3 then new.price := 3.5; end if;'));
    const back = await ran(w.admin, p.id, { askAfter: null, expect: rows });
    expect(back.totals.changed).toBe(rows);
    await isTrue(back, type);
    expect((await w.sql.query(`select from ${type} where price = 3.5`)).rowCount).toBe(1);
  });
});
