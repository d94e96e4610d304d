import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Client as Postgres, Pool } from 'pg';
import { servicesLock } from '../database/migrate';
import { hashPassword } from '../accounts/password';
import { done, northDrafts, previewed, ran, refusedWith, rested } from '../testing/jobs';
import {
  asRole,
  freshDatabase,
  openWorkspace,
  ownerRole,
  serverUrl,
  testPassword,
  type Workspace,
} from '../testing/workspace';

const monthsAhead = (n: number): Date => {
  const day = new Date();
  return new Date(Date.UTC(day.getUTCFullYear(), day.getUTCMonth() + n, 2));
};

describe('what is kept, and for how long', () => {
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace();
  });
  afterAll(() => w.close());

  const partitions = async (): Promise<string[]> => {
    const { rows } = await w.sql.query(`select inhrelid::regclass::text as name from pg_inherits
      where inhparent = 'tantamos.batch'::regclass and inhrelid::regclass::text ~ '\\d$' order by 1`);
    return rows.map((r: { name: string }) => r.name.replace('tantamos.batch_', ''));
  };
  const monthName = (n: number): string => monthsAhead(n).toISOString().slice(0, 7).replace('-', '_');

  it('keeps each month’s work in partitions of its own, made ahead', async () => {
    expect(await partitions()).toEqual([0, 1, 2].map(monthName));
    const run = await done(w.admin, northDrafts);
    expect(run.totals.changed).toBeGreaterThan(0);
    const { rows } = await w.sql.query(
      'select distinct tableoid::regclass::text as part from tantamos.run_batch where run = $1',
      [run.id],
    );
    expect(rows).toEqual([{ part: `tantamos.run_batch_${monthName(0)}` }]);
  });

  it('forgets values that were kept for a job that nobody made, a week later, and no others', async () => {
    const kept = (note: string) =>
      w.admin.keepValues({ type: 'growers', field: 'note', keys: ['1', '2'], values: [note, note] });
    const [used, drafted, unused, fresh] = [await kept('a'), await kept('b'), await kept('c'), await kept('d')];
    const put = (given: { id: string; count: number }) => ({ kind: 'put' as const, field: 'note', given });
    await previewed(w.admin, { selection: { type: 'growers' }, edits: [put(used)] });
    await w.admin.beginDraft({ job: { type: 'growers', edits: [put(drafted)] } });
    await w.sql.query(`update tantamos.given set made_at = now() - interval '8 days' where id <> $1`, [fresh.id]);
    await w.services.keeper.keep();
    const { rows } = await w.sql.query(
      `select g.id, count(v.key)::int as n from tantamos.given g
      left join tantamos.given_value v on v.given = g.id where g.id = any($1) group by 1`,
      [[used.id, drafted.id, unused.id, fresh.id]],
    );
    expect(rows.map((r: { id: string }) => r.id).sort()).toEqual([used.id, drafted.id, fresh.id].sort());
    expect(rows.map((r: { n: number }) => r.n)).toEqual([2, 2, 2]);
    const { rows: left } = await w.sql.query('select count(*)::int as n from tantamos.given_value where given = $1', [
      unused.id,
    ]);
    expect(left).toEqual([{ n: 0 }]);
  });

  it('drops nothing where journals are kept for good', async () => {
    expect((await w.admin.me()).workspace.keepMonths).toBeNull();
    expect(await w.services.keeper.keep(monthsAhead(200))).toEqual([]);
  });

  it('drops journals that are kept no longer, and still knows what was done', async () => {
    const run = await done(w.admin, {
      selection: { type: 'growers', filter: "valley = 'north'" },
      edits: [{ kind: 'set', field: 'note', value: 'seen' }],
      safety: { pace: 100 },
    });
    expect(run.totals.changed).toBeGreaterThan(0);
    expect((await w.admin.setWorkspace({ keepMonths: 12 })).keepMonths).toBe(12);
    expect(await w.services.keeper.keep(monthsAhead(12))).toEqual([]);
    expect((await w.admin.runRecords(run.id, { limit: 3 })).records).toHaveLength(3);
    expect(await w.services.keeper.keep(monthsAhead(13))).toEqual([`${monthName(0).replace('_', '-')}-01`]);
    const after = await w.admin.run(run.id);
    expect(after).toMatchObject({ state: 'finished', totals: run.totals, sentence: run.sentence });
    expect(after.notes).toMatchObject([
      { code: 'journal_dropped', message: expect.stringMatching(/dropped on \d{4}/) },
    ]);
    for (const call of [
      w.admin.runRecords(run.id, {}),
      w.admin.previewRecords(run.preview, {}),
      w.admin.undoRun(run.id, {}),
      w.admin.retryRun(run.id, {}),
    ])
      expect(await refusedWith(call)).toMatchObject({ code: 'journal_dropped', status: 410 });
    expect((await w.admin.runs())[0]!.totals).toEqual(run.totals);
    // The present goes on.
    await w.services.keeper.keep();
    const next = await done(w.admin, { ...northDrafts, edits: [{ kind: 'set', field: 'region', value: 'Elsewhere' }] });
    expect(next.totals.changed).toBeGreaterThan(0);
    await w.admin.setWorkspace({ keepMonths: null });
  });

  it('keeps a month of which a run is not over', async () => {
    const p = await previewed(w.admin, {
      ...northDrafts,
      edits: [{ kind: 'set', field: 'region', value: 'Half' }],
    });
    const { id, state } = await ran(w.admin, p.id, { askAfter: 5, expect: p.totals.will_change });
    expect(state).toBe('waiting_for_you');
    await w.admin.setWorkspace({ keepMonths: 1 });
    expect(await w.services.keeper.keep(monthsAhead(30))).not.toContain(`${monthName(0).replace('_', '-')}-01`);
    await w.admin.stopRun(id);
    await w.admin.setWorkspace({ keepMonths: null });
    expect((await w.admin.undoRun(id, {})).totals.matched).toBe(5);
  });

  it('forgets previews that nobody started a day after they have expired', async () => {
    const job = { ...northDrafts, edits: [{ kind: 'set' as const, field: 'region', value: 'Never' }] };
    const [old, fresh] = [await previewed(w.admin, job), await previewed(w.admin, job)];
    await w.sql.query(`update tantamos.preview set expires_at = now() - interval '25 hours' where id = $1`, [old.id]);
    await w.services.keeper.keep();
    expect(await refusedWith(w.admin.preview(old.id))).toMatchObject({ code: 'not_found' });
    const { rows } = await w.sql.query('select count(*)::int as n from tantamos.batch_value where preview = $1', [
      old.id,
    ]);
    expect(rows[0].n).toBe(0);
    expect((await w.admin.preview(fresh.id)).state).toBe('ready');
  });

  it('gives a preview up that takes too long, and says why', async () => {
    await w.sql.query(
      'alter table tantamos.workspace drop constraint workspace_preview_minutes_check; update tantamos.workspace set preview_minutes = 0',
    );
    const p = await w.admin.makePreview({
      selection: { type: 'hives' },
      edits: [{ kind: 'set', field: 'strength', value: 3 }],
    });
    let last = p;
    for await (const next of w.admin.previewEvents(p.id)) last = next;
    await w.sql.query('update tantamos.workspace set preview_minutes = 30');
    expect(last).toMatchObject({ state: 'failed', trouble: expect.stringMatching(/given up after 0 minutes.*vacuum/) });
  });
});

describe('with two accounts', () => {
  it('the everyday one does jobs and undoes them, and cannot alter what is frozen', async () => {
    const role = `everyday_${process.pid}`;
    const w = await openWorkspace({
      role,
      twoRoles: true,
      before: (sql) =>
        sql.query(
          `create role ${role} login password '${testPassword()}'; grant usage on schema public to ${role}; grant select, update on all tables in schema public to ${role}`,
        ),
    });
    const everyday = new Postgres({ connectionString: asRole(w.url, role) });
    await everyday.connect();
    try {
      const run = await done(w.admin, northDrafts);
      expect(run.totals.changed).toBeGreaterThan(0);
      for (const statement of [
        `update tantamos.batch_value set old = '{}'`,
        'delete from tantamos.batch',
        `update tantamos.batch_value_${new Date().toISOString().slice(0, 7).replace('-', '_')} set new = '{}'`,
        'drop table tantamos.batch',
        'truncate tantamos.batch_value',
        'select tantamos.drop_month(current_date)',
      ])
        await expect(everyday.query(statement)).rejects.toThrow(/permission denied|must be owner/);
      const undo = await w.admin.undoRun(run.id, {});
      for await (const _ of w.admin.previewEvents(undo.id));
      expect((await ran(w.admin, undo.id, { expect: run.totals.changed })).totals.changed).toBe(run.totals.changed);
      expect(await w.services.keeper.keep()).toEqual([]);
      await w.admin.detach({ database: (await w.admin.me()).workspace.database });
      expect((await w.sql.query(`select to_regnamespace('tantamos') as there`)).rows[0].there).toBeNull();
    } finally {
      await everyday.end();
      await w.sql.query(`drop owned by ${role}`);
      await w.close();
      const server = new Postgres({ connectionString: serverUrl('postgres') });
      await server.connect();
      await server.query(`drop role ${role}`);
      await server.end();
    }
  });
});

describe('a copy of a database that wakes up elsewhere', () => {
  it('holds everything until an administrator says that it is at home there', async () => {
    const first = await openWorkspace();
    const name = `copy_${process.pid}_${Date.now()}`;
    const server = new Postgres({ connectionString: serverUrl('postgres') });
    await server.connect();
    let copy: Workspace | undefined;
    try {
      const p = await previewed(first.admin, {
        ...northDrafts,
        safety: { batchSize: 1, pace: 1 },
      });
      const { id } = await first.admin.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change });
      while ((await first.admin.run(id)).totals.changed === 0) await new Promise((r) => setTimeout(r, 20));
      await first.services.close();
      await first.sql.query(`update tantamos.run set state = 'running' where id = $1 and state <> 'running'`, [id]);
      await first.sql.end();
      await server.query(`create database ${name} template ${new URL(first.url).pathname.slice(1)}`);
      copy = await openWorkspace({ url: serverUrl(name) });
      const before = (await copy.admin.run(id)).totals;
      expect(before.not_yet).toBeGreaterThan(0);
      expect((await copy.admin.me()).workspace.readOnly).toMatch(/is a copy.*at-home/);
      expect((await copy.admin.search('bookings', { limit: 1 })).records).toHaveLength(1);
      expect(await refusedWith(copy.admin.makePreview(northDrafts))).toMatchObject({ code: 'not_changeable' });
      expect(await refusedWith(copy.admin.startRun({ preview: p.id }))).toMatchObject({ status: 409 });
      await new Promise((r) => setTimeout(r, 1500));
      expect((await copy.admin.run(id)).totals).toEqual(before);
      expect(await refusedWith(copy.editor.settle())).toMatchObject({ code: 'not_permitted' });
      expect((await copy.admin.settle()).readOnly).toBeNull();
      const run = await rested(copy.admin, id);
      expect(run).toMatchObject({ state: 'paused', reason: expect.stringMatching(/copied while it ran/) });
      await copy.admin.stopRun(id);
      expect((await previewed(copy.admin, northDrafts)).state).toBe('ready');
    } finally {
      await copy?.close();
      await first.close().catch(() => {});
      await server.query(`drop database if exists ${name} with (force)`);
      await server.query(`drop database if exists ${new URL(first.url).pathname.slice(1)} with (force)`);
      await server.end();
    }
  });
});

const folder = join(__dirname, '..', 'database', 'migrations');

/** The schema as the version before the last one made it. */
async function asVersion3(pool: Pool): Promise<void> {
  const sql = await pool.connect();
  await sql.query(`set role ${ownerRole}`);
  await sql.query(`create schema tantamos; create table tantamos.migration (version integer primary key, name text not null,
    checksum text not null, applied_at timestamptz not null default now())`);
  for (const file of readdirSync(folder)
    .filter((f) => f < '004')
    .sort()) {
    const text = readFileSync(join(folder, file), 'utf8');
    await sql.query(text);
    await sql.query('insert into tantamos.migration values ($1, $2, $3)', [
      Number(file.slice(0, 3)),
      file,
      createHash('sha256').update(text).digest('hex'),
    ]);
  }
  await sql.query('reset role');
  sql.release();
}

describe('a schema of an earlier version', () => {
  it('is brought up with its journals', async () => {
    const run = '6f2b1c9e-4a57-4d0e-9b53-0f6b7a6f0001';
    const preview = '6f2b1c9e-4a57-4d0e-9b53-0f6b7a6f0002';
    const w = await openWorkspace({
      before: async (sql) => {
        await asVersion3(sql);
        await sql.query(`with a as (insert into tantamos.account (login, name, role, password) values ('sorrel', 'Sorrel', 'administrator', '${await hashPassword('meadow-admin')}'), ('piers', 'Piers', 'editor', '${await hashPassword('meadow-editor')}') returning id, login),
          p as (insert into tantamos.preview (id, kind, type, job, work_order, sentence, made_by, expires_at, state, batch_size, matched, will_change)
            select '${preview}', 'edit', 'bookings', '{"selection": {"type": "bookings"}, "edits": []}',
              '{"form": 1, "env": {"now": "0", "timeZone": "UTC", "me": "x"}, "parts": [{"id": "1", "type": "bookings", "of": "bookings", "act": "update", "reads": [], "writes": ["region"], "along": [], "inOrder": false}]}',
              'Set region', id, now(), 'ready', 10, 2, 2 from a where login = 'sorrel' returning id),
          r as (insert into tantamos.run (id, preview, started_by, state, ended_at, at_once, pace, matched, changed) select '${run}', p.id, a.id, 'finished', now(), 1, 100, 2, 2 from p, a where login = 'sorrel' returning id),
          b as (insert into tantamos.batch (preview, position, keys, signatures, verdicts) select id, 0, '{1,2}', '{1,2}', 'nn' from p returning preview),
          v as (insert into tantamos.batch_value (preview, position, field, old, new) select preview, 0, 'region', '{a,b}', '{c,c}' from b)
          insert into tantamos.run_batch (run, position, part, in_order, batch, low, high, state, outcomes, type, key_low, key_high)
            select id, 0, 0, false, 0, 0, 2, 'done', 'cc', 'bookings', '1', '2' from r`);
      },
    });
    try {
      const page = await w.admin.runRecords(run, { limit: 5 });
      expect(page.records.map((r) => [r.key, r.outcome, r.changes[0]!.old.value, r.changes[0]!.new.value])).toEqual([
        ['1', 'changed', 'a', 'c'],
        ['2', 'changed', 'b', 'c'],
      ]);
      expect((await w.admin.run(run)).totals.changed).toBe(2);
      // Its id has no moment; it is as old as it is all the same.
      await w.admin.setWorkspace({ keepMonths: 1 });
      await w.services.keeper.keep(monthsAhead(3));
      expect(await refusedWith(w.admin.runRecords(run, {}))).toMatchObject({ code: 'journal_dropped' });
      expect((await w.sql.query('select count(*)::int as n from tantamos.batch_value')).rows[0].n).toBe(0);
      expect((await w.admin.run(run)).totals.changed).toBe(2);
    } finally {
      await w.close();
    }
  });

  it('is not brought up under a service of that version, which is at work', async () => {
    const { url, drop } = await freshDatabase('blank_template');
    const sql = new Pool({ connectionString: url });
    sql.on('error', () => {});
    await asVersion3(sql);
    const earlier = new Postgres({ connectionString: url });
    // What failed is told, not that the database was taken away under it afterwards.
    earlier.on('error', () => {});
    await earlier.connect();
    await earlier.query('select pg_advisory_lock_shared($1)', [servicesLock]);
    try {
      await expect(openWorkspace({ url })).rejects.toThrow(/earlier version is at work.*stop it/);
      const { rows } = await sql.query('select max(version) as version from tantamos.migration');
      expect(rows[0].version).toBe(3);
      await earlier.end();
      const w = await openWorkspace({ url });
      expect((await w.admin.me()).login).toBe('sorrel');
      await w.close();
    } finally {
      await sql.end();
      await drop();
    }
  });
});
