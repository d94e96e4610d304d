import type { JobBody } from '@tantamos/contract';
import { done, previewed, ran, undone } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** Depots have a code that others refer to: what the database does to these when a code changes is previewed, verified, undone. */
describe('values that other records refer to', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace({ template: 'blank_template' })));
  afterAll(() => w.close());
  const rows = async <R>(statement: string): Promise<R[]> => (await w.sql.query(statement)).rows as R[];

  const tables = async (more: string): Promise<void> => {
    await w.sql.query(`
      drop table if exists crates, labels, boxes, lids, depots cascade;
      create table depots (id integer primary key, code text not null unique, note text);
      insert into depots select n, 'd' || n, null from generate_series(0, 4) n;
      ${more}`);
    w.services.catalogs.refresh();
  };
  const boxes = (action: string, column = 'code text'): Promise<void> =>
    tables(`
      create table boxes (id integer primary key, ${column} references depots (code) ${action}, body text);
      insert into boxes select n, 'd' || (1 + n % 4), 'box ' || n from generate_series(1, 12) n;`);
  const image = async (...of: string[]) => Promise.all(of.map((t) => rows(`select * from ${t} order by 1`)));
  const recode: JobBody = {
    selection: { type: 'depots', filter: 'id > 0' },
    edits: [{ kind: 'compute', field: 'code', formula: "CONCATENATE(code, '-new')" }],
    safety: { pace: 100, batchSize: 2, atOnce: 2 },
  };

  it.each([
    ['cleared', 'on update set null', 'code text', 'blank', null],
    ['set to their default', 'on update set default', `code text default 'd0'`, 'default', 'd0'],
  ])('references are %s first, counted, and restored by an undo', async (_, action, column, act, value) => {
    await boxes(action, column);
    const before = await image('depots', 'boxes');
    const p = await previewed(w.admin, recode);
    expect(p.totals.will_change).toBe(4);
    expect(p.along).toEqual([{ type: 'boxes', label: 'Boxes', act, count: 12 }]);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 4 });
    expect(run.totals).toMatchObject({ changed: 4 });
    expect(run.along).toMatchObject([{ act, count: 12 }]);
    expect(await rows('select distinct code from boxes')).toEqual([{ code: value }]);
    const back = await undone(w.admin, run.id);
    expect(back.along.map((a) => [a.act, a.count])).toContainEqual(['restore', 12]);
    const undo = await ran(w.admin, back.id, { askAfter: null, expect: 4 });
    expect(undo.totals).toMatchObject({ changed: 4 });
    expect(await image('depots', 'boxes')).toEqual(before);
    // Only the code: its references come back with it; and an undo of one depot speaks of that one only.
    const third = await ran(w.admin, (await previewed(w.admin, recode)).id, { askAfter: null, expect: 4 });
    await w.sql.query(`delete from boxes where id = 2`);
    const one = await undone(w.admin, third.id, { keys: ['1'] });
    expect(one.totals.will_change).toBe(1);
    expect(JSON.stringify(one.notes)).not.toContain('gone already');
    // What refers to it may be of a type that nobody sees by now.
    await w.admin.setType('boxes', { hidden: true });
    expect((await undone(w.admin, third.id)).totals.will_change).toBe(4);
    await w.admin.setType('boxes', { hidden: false });
    const code = await undone(w.admin, third.id, { fields: ['code'] });
    const codeBack = await ran(w.admin, code.id, { askAfter: null, expect: 4 });
    expect(codeBack.totals).toMatchObject({ changed: 4 });
    await w.sql.query(`insert into boxes select 2, code, 'box 2' from depots where id = 3`);
    expect(await image('depots', 'boxes')).toEqual(before);
    // And again: the undo of the undo clears what refers by then.
    const again = await ran(w.admin, (await undone(w.admin, undo.id)).id, { askAfter: null, expect: 4 });
    expect(again.totals).toMatchObject({ changed: 4 });
    expect(await rows('select distinct code from boxes')).toEqual([{ code: value }]);
  });

  it('references follow through several levels, and follow back', async () => {
    await tables(`
      create table boxes (code text primary key references depots (code) on update cascade, body text);
      insert into boxes select code, 'box' from depots where id in (1, 2);
      create table lids (id integer primary key, box text references boxes on update cascade);
      insert into lids select n, 'd' || (1 + n % 2) from generate_series(1, 6) n;
      create table labels (id integer primary key, depot text references depots (code) on update cascade);
      insert into labels values (1, 'd3');`);
    const before = await image('depots', 'boxes', 'lids', 'labels');
    const run = await done(w.admin, recode);
    expect(run.totals).toMatchObject({ changed: 4 });
    expect(run.along.map((a) => [a.type, a.act, a.count]).sort()).toEqual([
      ['boxes', 'follow', 2],
      ['labels', 'follow', 1],
      ['lids', 'follow', 6],
    ]);
    expect(await rows(`select distinct box from lids order by 1`)).toEqual([{ box: 'd1-new' }, { box: 'd2-new' }]);
    // What came to refer to a new value since follows back too: it is the same depot.
    await w.sql.query(`insert into lids values (7, 'd1-new')`);
    const back = await undone(w.admin, run.id);
    expect(back.along.map((a) => [a.type, a.act, a.count])).toContainEqual(['lids', 'follow', 7]);
    expect((await ran(w.admin, back.id, { askAfter: null, expect: 4 })).totals).toMatchObject({ changed: 4 });
    await w.sql.query('delete from lids where id = 7');
    expect(await image('depots', 'boxes', 'lids', 'labels')).toEqual(before);
  });

  it('a record that came to refer to a value since the preview holds it back', async () => {
    await boxes('on update cascade');
    const p = await previewed(w.admin, recode);
    await w.sql.query(`insert into boxes values (99, 'd2', 'late')`);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 4 });
    expect(run.totals).toMatchObject({ changed: 3, edited_since: 1 });
    const { records } = await w.admin.runRecords(run.id, { outcome: 'edited_since' });
    expect(records.map((r) => [r.key, r.cause])).toEqual([
      ['2', 'Boxes: a record refers to it that did not when this was previewed.'],
    ]);
    expect(await rows(`select code from depots where id = 2`)).toEqual([{ code: 'd2' }]);
  });

  it.each([
    ['no action', '', 'Code cannot change: Boxes refer to it.'],
    ['restrict', 'on update restrict', 'Code cannot change: Boxes refer to it.'],
  ])('%s: only what is referred to is not allowed', async (_, action, cause) => {
    await boxes(action);
    await w.sql.query(`delete from boxes where code in ('d1', 'd2')`);
    const p = await previewed(w.admin, recode);
    expect(p.totals).toMatchObject({ will_change: 2, not_allowed: 2 });
    expect(p.causes).toEqual([{ cause, count: 2 }]);
    expect((await ran(w.admin, p.id, { askAfter: null, expect: 2 })).totals).toMatchObject({ changed: 2 });
    // Another field of the same records is nobody's reference.
    const note: JobBody = { ...recode, edits: [{ kind: 'set', field: 'note', value: 'x' }] };
    expect((await previewed(w.admin, note)).totals).toMatchObject({ will_change: 4 });
  });

  it('a reference that may not be blank, or is of several fields, keeps the value', async () => {
    await boxes('on update set null', 'code text not null');
    expect((await previewed(w.admin, recode)).causes[0]!.cause).toBe(
      'Code cannot change: Boxes refer to it, and cannot be without a value.',
    );
    await tables(`
      alter table depots add unique (code, id);
      create table boxes (id integer primary key, code text, depot integer, foreign key (code, depot) references depots (code, id) on update cascade);
      insert into boxes values (1, 'd1', 1);`);
    const p = await previewed(w.admin, recode);
    expect(p.totals).toMatchObject({ will_change: 3, not_allowed: 1 });
    expect(p.causes[0]!.cause).toBe('Code cannot change: Boxes refer to it by several fields.');
  });

  it('a foreign key that is made, or starts to act, after the preview is noticed before anything is written', async () => {
    await boxes('');
    await w.sql.query(`delete from boxes`);
    const p = await previewed(w.admin, recode);
    await w.sql.query(`
      alter table boxes drop constraint boxes_code_fkey, add foreign key (code) references depots (code) on update cascade;
      insert into boxes values (1, 'd1', 'new')`);
    const run = await ran(w.admin, p.id, { askAfter: null, expect: 4 });
    expect(run.state).toBe('paused');
    expect(run.reason).toContain('Boxes refer to depots by code');
    expect(run.totals.changed).toBe(0);
    expect(await rows('select code from boxes')).toEqual([{ code: 'd1' }]);
    await w.admin.stopRun(run.id);
  });

  it('a trigger that keeps a reference from following is reported, and the record refused', async () => {
    await boxes('on update cascade');
    await w.sql.query(`
      create or replace function keep_box() returns trigger language plpgsql as $$ begin
        if old.id = 5 then return null; end if; return new; end $$;
      create trigger keep_box before update on boxes for each row execute function keep_box()`);
    w.services.catalogs.refresh();
    const run = await done(w.admin, recode);
    // PostgreSQL itself would leave the reference at a depot that is no longer there.
    expect(run.totals).toMatchObject({ changed: 3, refused: 1 });
    expect(await rows(`select b.id from boxes b left join depots d on d.code = b.code where d.id is null`)).toEqual([]);
  });
});
