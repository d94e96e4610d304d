import { execFile } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { detach } from './detach';
import { done, previewed, ran, refusedWith } from './testing/jobs';
import { freshDatabase, openWorkspace, serverUrl, testPassword, type Workspace } from './testing/workspace';
import { Client as Postgres } from 'pg';

// The lines that docs/attach.md shows are the lines that are tried here.
const page = readFileSync(join(__dirname, '..', '..', '..', 'docs', 'attach.md'), 'utf8');
const grants = /```sql\n([\s\S]*?)```/.exec(page)![1]!;

/** Everything of a database, in an order that changed rows do not disturb. */
async function dump(url: string): Promise<string[]> {
  const { stdout } = await promisify(execFile)('pg_dump', ['--no-sync', url], { maxBuffer: 1 << 28 });
  return stdout
    .split('\n')
    .filter((line) => !/^\\(un)?restrict |^-- Dumped/.test(line))
    .sort();
}

describe('attached to somebody’s database with the least rights', () => {
  const role = `tantamos_${process.pid}`;
  const owner = `crm_owner_${process.pid}`;
  let url: string;
  let drop: () => Promise<void>;
  let sql: Postgres;
  let w: Workspace;
  let before: string[];
  beforeAll(async () => {
    ({ url, drop } = await freshDatabase('template1'));
    const name = new URL(url).pathname.slice(1);
    sql = new Postgres({ connectionString: url });
    await sql.connect();
    await sql.query(`create role ${owner} login password '${testPassword()}'; grant all on schema public to ${owner}; set role ${owner};
      create table orders (id integer primary key, code text not null, status text not null, note text, amount numeric(10,2));
      insert into orders select n, 'O-' || n, 'open', null, n from generate_series(1, 3000) n;
      create table people (id integer primary key, name text, salary integer, phone text, boss integer references people,
        constraint paid check (salary > 0 or phone <> '9'));
      insert into people select n, 'P ' || n, n - 1, '0' from generate_series(1, 50) n;
      create table payroll (id integer primary key, name text); insert into payroll values (1, 'x');
      alter table orders enable row level security; create policy seen on orders for select using (true);
      create policy large on orders for update using (amount > 5);
      create view open_orders as select id, code from orders where status = 'open'; reset role;
      create schema archive; create table archive.old (id serial primary key, name text)`);
    await sql.query(
      grants
        .replaceAll('tantamos login', `${role} login password '${testPassword()}'`)
        .replaceAll('authorization tantamos', `authorization ${role}`)
        .replaceAll('to tantamos;', `to ${role};`)
        .replaceAll('crm', name),
    );
    before = await dump(url);
    w = await openWorkspace({ url, role });
  });
  afterAll(async () => {
    await w?.close();
    await sql.query(`drop owned by ${role} cascade; drop owned by ${owner} cascade`);
    await sql.end();
    await drop();
    const server = new Postgres({ connectionString: serverUrl('postgres') });
    await server.connect();
    await server.query(`drop role ${role}; drop role ${owner}`);
    await server.end();
  });

  it('refuses a limit over what it cannot see, and says what is missing', async () => {
    const job = {
      selection: { type: 'orders', filter: 'id = 9' },
      edits: [{ kind: 'set', field: 'note', value: 'x' }],
    };
    for (const stopIf of [{ lag: 1 }, { waiting: 0 }])
      expect(await refusedWith(w.admin.makePreview({ ...job, safety: { stopIf } } as never))).toMatchObject({
        code: 'not_permitted',
        detail: expect.stringMatching(/Grant it the role pg_read_all_stats/),
      });
    await sql.query(`grant pg_read_all_stats to ${role}`);
    expect((await w.admin.makePreview({ ...job, safety: { stopIf: { lag: 1 } } } as never)).id).toBeDefined();
  });

  it('shows what may be read, offers what may be written, and says why of the rest', async () => {
    const types = new Map((await w.admin.types()).map((t) => [t.id, t]));
    expect(types.get('orders')).toMatchObject({ notReadable: null, notChangeable: null });
    expect(types.get('people')).toMatchObject({ notReadable: null, notChangeable: null });
    for (const id of ['payroll', 'archive.old'])
      expect(types.get(id)).toMatchObject({ notReadable: expect.stringMatching(/may not read it/) });
    const people = await w.admin.type('people');
    expect(people.fields.map((f) => f.name)).toEqual(['id', 'name', 'phone']);
    expect(people.unreadable).toMatchObject([
      { name: 'salary', reason: expect.stringMatching(/may not read/) },
      { name: 'boss' },
    ]);
    expect(people.fields.find((f) => f.name === 'name')!.notEditable).toMatch(/may not change/);
    expect(people.fields.find((f) => f.name === 'phone')!.notEditable).toBeNull();
    expect(await refusedWith(w.admin.search('payroll', {}))).toMatchObject({ code: 'not_permitted', status: 403 });
    expect(await refusedWith(w.admin.search('people', { filter: 'salary > 1' }))).toMatchObject({
      code: 'not_permitted',
    });
    expect(await refusedWith(w.admin.search('people', { columns: ['salary'] }))).toMatchObject({
      code: 'not_permitted',
    });
  });

  it('does a job, takes it back, and leaves no trace', async () => {
    const run = await done(w.admin, {
      selection: { type: 'orders', filter: 'amount < 2000' },
      edits: [{ kind: 'set', field: 'status', value: 'sent' }],
      safety: { pace: 100, atOnce: 2 },
    });
    // A row rule keeps five of them, and the preview says so beforehand.
    expect(run.totals).toMatchObject({ changed: 1994, not_allowed: 5, refused: 0 });
    const phones = await done(w.admin, {
      selection: { type: 'people', filter: 'id <= 10' },
      edits: [{ kind: 'set', field: 'phone', value: '1' }],
      safety: { pace: 100 },
    });
    expect(phones.totals.changed).toBe(10);
    // A rule that rests on what cannot be read is not foretold, and holds: the one without a salary is refused.
    const nines = await done(w.admin, {
      selection: { type: 'people', filter: 'id <= 3' },
      edits: [{ kind: 'set', field: 'phone', value: '9' }],
      safety: { pace: 100 },
    });
    expect(nines.totals).toMatchObject({ changed: 2, refused: 1 });
    expect(await w.admin.pointers('people', '1')).toBeDefined();
    expect((await dump(url)).join('\n')).not.toBe(before.join('\n'));
    for (const { id, totals } of [nines, phones, run]) {
      const back = await w.admin.undoRun(id, {});
      for await (const p of w.admin.previewEvents(back.id)) void p;
      expect((await ran(w.admin, back.id, { expect: totals.changed })).totals.changed).toBe(totals.changed);
    }
    await w.editor
      .detach({ database: 'x' })
      .then(() => expect('it').toBe('refused'))
      .catch((e: { code: string }) => expect(e.code).toBe('not_permitted'));
    expect(await refusedWith(w.admin.detach({ database: 'x' }))).toMatchObject({ code: 'expect_mismatch' });
    await sql.query('create view public.watcher as select * from tantamos.run');
    const { database } = (await w.admin.me()).workspace;
    expect(await refusedWith(w.admin.detach({ database }))).toMatchObject({
      code: 'wrong_state',
      detail: expect.stringMatching(/view.*watcher/),
    });
    await sql.query('drop view public.watcher');
    await w.admin.detach({ database });
    const after = await dump(url);
    expect(after.filter((line) => !before.includes(line))).toEqual([]);
    // The schema was made beforehand, by the line of the page, and goes with all that is in it.
    expect(before.filter((line) => !after.includes(line))).toContain('CREATE SCHEMA tantamos;');
    expect(before.filter((line) => !after.includes(line) && !/tantamos/.test(line))).toEqual([]);
    expect(await refusedWith(w.admin.me())).toMatchObject({ status: 503, detail: expect.stringMatching(/taken away/) });
  });
});

describe('while a run is at work', () => {
  it('is not taken away', async () => {
    const w = await openWorkspace();
    try {
      const p = await previewed(w.admin, {
        selection: { type: 'bookings' },
        edits: [{ kind: 'set', field: 'region', value: 'Everywhere' }],
        safety: { pace: 5, batchSize: 100 },
      });
      const run = await w.admin.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change });
      const { database } = (await w.admin.me()).workspace;
      await expect(detach(w.services, database)).rejects.toThrow(/A run is at work; stop them first|at work/);
      await w.admin.stopRun(run.id);
    } finally {
      await w.close();
    }
  });
});
