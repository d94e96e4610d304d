import { connect } from 'node:net';
import { demoAccounts } from '../accounts/demo-accounts';
import { onBookings, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('a service that somebody asks too much of', () => {
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace({ reader: { bytes: 1_000_000, ms: 1500 } });
    // Longer than what waits between here and there.
    await w.sql.query(`update bookings set note = repeat('x', 4000) where status = 'draft'`);
  });
  afterAll(() => w.close());

  const headers = () => ({ Authorization: `Bearer ${w.adminToken}`, 'Content-Type': 'application/json' });
  /** An export that is asked for and not read: what comes is left where it is. */
  const unread = () =>
    new Promise<{ head: string; close(): void }>((resolve) => {
      const body = '{"format":"jsonl"}';
      const socket = connect(Number(new URL(w.base).port), '127.0.0.1', () =>
        socket.write(
          `POST /api/types/bookings/export HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer ${w.adminToken}\r\nContent-Type: application/json\r\nContent-Length: ${body.length}\r\n\r\n${body}`,
        ),
      );
      socket.once('data', (d: Buffer) => {
        socket.pause();
        resolve({ head: d.toString('latin1'), close: () => socket.destroy() });
      });
      socket.on('error', () => {});
    });
  const streaming = async () =>
    (
      await w.sql.query(
        `select count(*)::int as n from pg_stat_activity
         where application_name = 'tantamos' and state <> 'idle' and query like '%"bookings"%' and pid <> pg_backend_pid() and datname = current_database()`,
      )
    ).rows[0].n as number;
  const until = async (what: () => Promise<boolean>, ms = 20_000) => {
    for (const end = Date.now() + ms; Date.now() < end;) if (await what()) return;
    throw new Error('It did not come to be.');
  };

  it('lets a person have two downloads, refuses more with a time to come back, and leaves one who does not read', async () => {
    const all = Array.from({ length: 22 }, unread);
    const { login, password } = demoAccounts[2];
    const signedIn = await fetch(`${w.base}/api/sessions`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ login, password, kind: 'token' }),
    });
    expect(signedIn.status).toBe(200);
    expect((await w.editor.search('bookings', { limit: 1 })).records).toHaveLength(1);
    const answers = await Promise.all(all);
    const refused = answers.filter((a) => a.head.startsWith('HTTP/1.1 503'));
    expect(refused.length).toBeGreaterThan(10);
    for (const { head } of refused) expect(head).toMatch(/Retry-After: \d/i);
    // Those who got in are left when they do not read: their statements end, though the sockets stay open.
    await until(async () => (await streaming()) === 0);
    answers.forEach((a) => a.close());
  });

  it('lets a person watch thirty previews and runs at once', async () => {
    const { id } = await previewed(w.admin, onBookings([1, 2, 3], [{ kind: 'set', field: 'note', value: 'y' }]));
    const run = await ran(w.admin, id, { askAfter: 1 });
    const away = new AbortController();
    const watch = () => fetch(`${w.base}/api/runs/${run.id}/events`, { headers: headers(), signal: away.signal });
    const watchers = await Promise.all(Array.from({ length: 30 }, watch));
    expect(watchers.map((r) => r.status)).toEqual(watchers.map(() => 200));
    const more = await watch();
    expect([more.status, more.headers.get('retry-after')]).toEqual([503, '5']);
    // Others have theirs.
    const editors = await w.editor.run(run.id);
    expect(editors.id).toBe(run.id);
    away.abort();
    await until(async () => {
      const again = new AbortController();
      const { status } = await fetch(`${w.base}/api/runs/${run.id}/events`, {
        headers: headers(),
        signal: again.signal,
      });
      again.abort();
      return status === 200;
    });
  });

  it('searches for a person a few at a time, and for others meanwhile', async () => {
    const holder = await w.sql.connect();
    await holder.query('begin; lock table bookings in access exclusive mode');
    const mine = Array.from({ length: 70 }, () => w.admin.search('bookings', { limit: 1 }));
    const refused = await Promise.allSettled(mine.slice(53).map((m) => refusedWith(m)));
    expect(refused.some((r) => r.status === 'fulfilled' && r.value.code === 'busy')).toBe(true);
    // Of another type, by another person, while all of those wait for a lock.
    expect((await w.editor.search('growers', { limit: 1 })).records).toHaveLength(1);
    expect((await w.admin.me()).login).toBe('sorrel');
    await holder.query('rollback');
    holder.release();
    const found = await Promise.allSettled(mine);
    expect(found.filter((f) => f.status === 'fulfilled').length).toBeGreaterThanOrEqual(53);
  });

  it('reads no more than a few lines of a stranger, and weighs a body before it reads it', async () => {
    const post = (path: string, body: string, more = {}) =>
      fetch(w.base + path, { method: 'POST', headers: { 'Content-Type': 'application/json', ...more }, body });
    const said = async (answer: Response) => [answer.status, ((await answer.json()) as { code: string }).code];
    expect(await said(await post('/api/sessions', `{"login":"${'x'.repeat(50_000)}"}`))).toEqual([400, 'too_long']);
    expect(await said(await post('/api/types/bookings/search', '['.repeat(7_000_000)))).toEqual([401, 'not_signed_in']);
    for (const [body, code] of [
      [`{"filter":${'{"a":'.repeat(100_000)}1${'}'.repeat(100_000)}}`, 'too_deep'],
      [`{"columns":[${'"a",'.repeat(1_000_000)}"a"]}`, 'too_long'],
      [`{${Array.from({ length: 200_000 }, (_, i) => `"m${i}":1`).join(',')}}`, 'too_long'],
      [`{"filter":{"op":"and","args":[${'{"a":{}},'.repeat(100_000)}{}]}}`, 'too_long'],
      ['{"filter":"note = \'a\\u0000b\'"}', 'bad_request'],
      ['{"filter":"note = \'a\\ud800b\'"}', 'bad_request'],
      ['{"no\\ud800te":1}', 'bad_request'],
      ['{"limit":1e400}', 'bad_request'],
    ] as const)
      expect([body.slice(0, 30), ...(await said(await post('/api/types/bookings/search', body, headers())))]).toEqual([
        body.slice(0, 30),
        400,
        code,
      ]);
  });
});
