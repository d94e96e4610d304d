import { execFile } from 'node:child_process';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { demoAccounts } from '../accounts/demo-accounts';
import { onBookings, previewed, refusedWith } from '../testing/jobs';
import { asRole, openWorkspace, type Workspace } from '../testing/workspace';

const [sorrel, piers, wren] = demoAccounts;

interface Said {
  readonly login: string;
  readonly password: string;
  readonly cookie?: string;
  readonly from?: string;
}

describe('signing in with wrong passwords', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace({ proxies: ['loopback'] })));
  afterAll(() => w.close());

  const enter = ({ login, password, cookie, from }: Said) =>
    fetch(`${w.base}/api/sessions`, {
      method: 'POST',
      headers: {
        'Content-Type': 'application/json',
        Origin: w.base,
        ...(cookie ? { Cookie: cookie } : {}),
        ...(from ? { 'X-Forwarded-For': from } : {}),
      },
      body: JSON.stringify({ login, password }),
    });
  const statuses = async (times: number, said: (i: number) => Said) =>
    Promise.all(Array.from({ length: times }, async (_, i) => (await enter(said(i))).status));
  const browserCookie = (entered: Response) =>
    /tantamos_browser=[^;]+/.exec(entered.headers.getSetCookie().join('; '))![0];

  it('slows an address down after five, for nobody else, and not in a browser that has been right before', async () => {
    const cookie = browserCookie(await enter(piers));
    // Many at once are not tried for one.
    const tried = await statuses(30, () => ({ login: 'piers', password: 'guess', from: '203.0.113.1' }));
    expect([401, 429].map((s) => tried.filter((t) => t === s).length)).toEqual([5, 25]);
    const refused = await enter({ ...piers, from: '203.0.113.1' });
    expect(refused.status).toBe(429);
    expect(refused.headers.get('retry-after')).toBe('1');
    expect(await refused.json()).toMatchObject({
      code: 'too_many_requests',
      detail: 'There were too many wrong passwords from your address. Try again in 1 second.',
    });
    expect((await enter({ ...piers, from: '203.0.113.1', cookie })).status).toBe(200);
    // A made-up cookie, and one of another's, say nothing.
    const made = `tantamos_browser=${'x'.repeat(43)}`;
    const other = browserCookie(await enter(sorrel));
    for (const known of [made, other]) {
      await w.sql.query(`update tantamos.wrong_password set last_at = now() where kind = 'address'`);
      expect((await enter({ ...piers, from: '203.0.113.1', cookie: known })).status).toBe(429);
    }
    // Each further one takes twice as long, up to ten minutes.
    const wait = async (count: number) => {
      await w.sql.query(
        `update tantamos.wrong_password set count = $1, last_at = now() where subject = '203.0.113.1'`,
        [count],
      );
      return Number((await enter({ ...piers, from: '203.0.113.1' })).headers.get('retry-after'));
    };
    expect([await wait(7), await wait(9), await wait(40)]).toEqual([4, 16, 600]);
  });

  it('of a stranger keep nobody out: from another address, the holder signs in after half a minute at most', async () => {
    for (let i = 0; i < 10; i++) await enter({ login: 'sorrel', password: 'guess', from: `198.51.100.${i % 3}` });
    // Ten of one address, or of a few: the login is not slowed down.
    expect((await enter({ ...sorrel, from: '192.0.2.1' })).status).toBe(200);
    for (let i = 0; i < 10; i++) await enter({ login: 'sorrel', password: 'guess', from: `203.0.113.${100 + i}` });
    await w.sql.query(`update tantamos.wrong_password set count = 100000, last_at = now() where subject = 'sorrel'`);
    const refused = await enter({ ...sorrel, from: '192.0.2.2' });
    expect(refused.status).toBe(429);
    expect(Number(refused.headers.get('retry-after'))).toBeLessThanOrEqual(30);
    expect(await refused.json()).toMatchObject({
      detail: expect.stringMatching(/for this login.*a browser where you have signed in/),
    });
    await w.sql.query(
      `update tantamos.wrong_password set last_at = now() - interval '30 seconds' where subject = 'sorrel'`,
    );
    expect((await enter({ ...sorrel, from: '192.0.2.2' })).status).toBe(200);
    expect((await w.admin.wrongPasswords()).map((l) => l.subject)).not.toContain('sorrel');
  });

  it('are forgotten by the owner of the machine, without signing in', async () => {
    const unblock = (...args: string[]) =>
      promisify(execFile)(process.execPath, [join(__dirname, '../../dist/unblock.js'), ...args], {
        env: { ...process.env, TANTAMOS_DATABASE_URL: asRole(w.url, 'tantamos_service') },
      });
    for (const from of ['192.0.2.7', '192.0.2.8'])
      for (let i = 0; i < 6; i++) await enter({ login: 'wren', password: 'guess', from });
    await w.sql.query(`update tantamos.wrong_password set count = 12, last_at = now() where subject like '192.0.2.%'`);
    expect((await enter({ ...wren, from: '192.0.2.7' })).status).toBe(429);
    expect((await unblock('192.0.2.7')).stdout).toBe('Wrong passwords forgotten: 192.0.2.7\n');
    expect((await enter({ ...wren, from: '192.0.2.7' })).status).toBe(200);
    expect((await unblock('nobody')).stdout).toBe('No wrong passwords are counted for “nobody”.\n');
    expect((await unblock()).stdout).toContain('192.0.2.8');
    expect(await w.admin.wrongPasswords()).toEqual([]);
  });

  it('counts no right one', async () => {
    const tried = await statuses(15, () => ({ ...wren, from: '198.51.100.9' }));
    expect(new Set(tried)).toEqual(new Set([200]));
    expect((await w.admin.wrongPasswords()).map((l) => l.subject)).not.toContain('198.51.100.9');
  });

  it('can be seen and lifted by an administrator, and by nobody else', async () => {
    expect(await refusedWith(w.editor.wrongPasswords())).toMatchObject({ status: 403 });
    expect(await refusedWith(w.editor.liftWrongPasswords('login', 'piers'))).toMatchObject({ status: 403 });
    await statuses(6, () => ({ login: 'piers', password: 'guess', from: '198.51.100.7' }));
    const all = await w.admin.wrongPasswords();
    expect(all.find((l) => l.subject === 'piers')).toMatchObject({ kind: 'login', refusedUntil: null });
    expect(all.find((l) => l.subject === '198.51.100.7')).toMatchObject({ count: 5, refusedUntil: expect.any(String) });
    await w.admin.liftWrongPasswords('login', 'piers');
    expect((await enter({ ...piers, from: '203.0.113.3' })).status).toBe(200);
    expect(await refusedWith(w.admin.liftWrongPasswords('login', 'piers'))).toMatchObject({ status: 404 });
    expect(await refusedWith(w.admin.liftWrongPasswords('else', 'piers'))).toMatchObject({ status: 404 });
  });

  it('makes a browser a stranger again after twenty in a row', async () => {
    const cookie = browserCookie(await enter(wren));
    const wrong = { login: 'wren', password: 'guess', cookie, from: '203.0.113.9' };
    for (let i = 0; i < 20; i++) expect((await enter(wrong)).status).toBe(401);
    const more = await statuses(11, () => wrong);
    expect(more).toContain(429);
    await w.admin.liftWrongPasswords('login', 'wren');
  });

  it('counts those said when a password is changed, too', async () => {
    await w.admin.liftWrongPasswords('address', '127.0.0.1').catch(() => {});
    const guess = () => refusedWith(w.editor.changePassword({ current: 'guess', next: 'long enough' }));
    for (let i = 0; i < 5; i++) expect((await guess()).status).toBe(401);
    expect((await guess()).status).toBe(429);
    await w.admin.liftWrongPasswords('login', 'piers');
    await w.admin.liftWrongPasswords('address', '127.0.0.1');
  });
});

describe('a service that trusts no proxy', () => {
  let w: Workspace;
  const lines: string[] = [];
  beforeAll(async () => {
    const folder = mkdtempSync(join(tmpdir(), 'tantamos-console-'));
    writeFileSync(join(folder, 'index.html'), '<!doctype html><title>Console</title>');
    w = await openWorkspace({
      hosts: ['records.meadowline.example'],
      consoleFolder: folder,
      logged: (line) => lines.push(line),
    });
  });
  afterAll(() => w.close());

  it('takes the address from the connection, whatever a header says', async () => {
    const guess = (i: number) =>
      fetch(`${w.base}/api/sessions`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json', 'X-Forwarded-For': `203.0.113.${i}` },
        body: JSON.stringify({ login: `nobody${i}`, password: 'guess', kind: 'token' }),
      });
    await Promise.all([1, 2, 3].map(guess));
    expect((await w.admin.wrongPasswords()).filter((l) => l.kind === 'address')).toEqual([
      expect.objectContaining({ subject: '127.0.0.1', count: 3 }),
    ]);
    await w.admin.liftWrongPasswords('address', '127.0.0.1');
  });

  it('repeats nothing of an address in a Location', async () => {
    const { port } = new URL(w.base);
    for (const path of [
      '/\\evil.example/%2e%2e',
      '//evil.example/%2e%2e',
      '/assets/..%5c..%5c',
      '/\\evil.example',
      '/assets',
      '/.',
    ]) {
      const answer = await new Promise<string>((resolve, reject) => {
        const socket = connect(Number(port), '127.0.0.1', () =>
          socket.write(`GET ${path} HTTP/1.1\r\nHost: 127.0.0.1:${port}\r\nConnection: close\r\n\r\n`),
        );
        let text = '';
        socket.on('data', (d: Buffer) => (text += d.toString()));
        socket.once('end', () => resolve(text));
        socket.once('error', reject);
      });
      expect([path, /^HTTP\/1.1 (\d)/.exec(answer)![1], /^location:.*$/im.exec(answer)?.[0]]).not.toEqual([
        path,
        '3',
        expect.anything(),
      ]);
      expect([path, /^location:.*$/im.exec(answer)?.[0]]).toEqual([path, undefined]);
    }
  });

  it('ends the session of a browser that signs in again, and no token', async () => {
    const enter = (cookie?: string) =>
      fetch(`${w.base}/api/sessions`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json', Origin: w.base, ...(cookie ? { Cookie: cookie } : {}) },
        body: JSON.stringify({ login: 'wren', password: 'meadow-reader' }),
      });
    const session = (entered: Response) => /tantamos_session=[^;]+/.exec(entered.headers.getSetCookie().join('; '))![0];
    const me = async (cookie: string) => (await fetch(`${w.base}/api/me`, { headers: { Cookie: cookie } })).status;
    const first = session(await enter());
    expect(await me(first)).toBe(200);
    const wrong = await fetch(`${w.base}/api/sessions`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', Origin: w.base, Cookie: first },
      body: JSON.stringify({ login: 'wren', password: 'wrong' }),
    });
    expect([wrong.status, await me(first)]).toEqual([401, 200]);
    const second = session(await enter(first));
    expect([await me(first), await me(second)]).toEqual([401, 200]);
    expect((await w.reader.me()).login).toBe('wren');
  });

  const under = (host: string, path = '/api/health') =>
    new Promise<{ status: number; body: string }>((resolve, reject) => {
      const req = request(w.base + path, { headers: { Host: host } }, (res) => {
        let body = '';
        res.on('data', (d: Buffer) => (body += d.toString()));
        res.on('end', () => resolve({ status: res.statusCode!, body }));
      });
      req.on('error', reject);
      req.end();
    });

  it('answers under its own names only', async () => {
    for (const host of [
      'localhost',
      'LOCALHOST:7410',
      '127.0.0.1:1',
      '[::1]:7410',
      'a.localhost',
      'records.meadowline.example',
    ])
      expect([host, (await under(host)).status]).toEqual([host, 200]);
    for (const host of ['elsewhere.example', '127.0.0.1.elsewhere.example', 'localhost.elsewhere.example', '10.0.0.1'])
      for (const path of ['/api/health', '/', '/api/sessions'])
        expect([host, (await under(host, path)).status]).toEqual([host, 421]);
    const nameless = connect(Number(new URL(w.base).port), '127.0.0.1', () =>
      nameless.write('GET /api/health HTTP/1.0\r\n\r\n'),
    );
    const said = await new Promise<string>((resolve) => nameless.once('data', (d) => resolve(d.toString())));
    nameless.destroy();
    expect(said).toMatch(/^HTTP\/1.1 421 /);
    expect(JSON.parse((await under('elsewhere.example')).body)).toMatchObject({ code: 'unknown_host' });
  });

  it('says of a file that is not there only that it is not there', async () => {
    for (const path of ['/assets/none.js', '/assets/%2e%2e%2f%2e%2e%2fpackage.json']) {
      const { status, body } = await under('localhost', path);
      expect([path, status]).toEqual([path, 404]);
      expect(JSON.parse(body)).toMatchObject({ code: 'not_found', detail: 'There is nothing here.' });
    }
  });

  it('writes no password, cookie or token into its log, at any level', async () => {
    const login = { login: 'sorrel', password: 'a wrong secret' };
    const headers = { 'Content-Type': 'application/json', Origin: w.base };
    const post = (path: string, body: object, more: Record<string, string> = {}) =>
      fetch(w.base + path, { method: 'POST', headers: { ...headers, ...more }, body: JSON.stringify(body) });
    await post('/api/sessions', login);
    const entered = await post('/api/sessions', sorrel);
    const cookie = entered.headers
      .getSetCookie()
      .map((c) => c.split(';')[0]!)
      .join('; ');
    await fetch(`${w.base}/api/me`, { headers: { Cookie: cookie } });
    await w.admin.addAccount({ login: 'fresh', name: 'Fresh', role: 'reader', password: 'a new secret' });
    await refusedWith(w.admin.changePassword({ current: 'a present secret', next: 'a next secret' }));
    await post('/api/sessions', { login: 'sorrel', password: ['a listed secret'] });
    await fetch(`${w.base}/api/sessions`, { method: 'POST', headers, body: '{"password": "a broken secret"' });
    // An error that is logged with all it holds.
    await w.sql.query('alter table tantamos.wrong_password rename to wrong_password_away');
    await post('/api/sessions', login);
    await w.sql.query('alter table tantamos.wrong_password_away rename to wrong_password');
    const all = lines.join('\n');
    expect(all).toContain('/api/sessions');
    expect(all).toContain('/api/me');
    const secrets = [sorrel.password, w.adminToken, ...cookie.split('; ').map((c) => c.split('=')[1]!)];
    for (const secret of [...secrets, 'secret"', 'a wrong secret', 'a new secret', 'a next secret', 'a broken secret'])
      expect([secret, all.includes(secret)]).toEqual([secret, false]);
  });
});

describe('an Idempotency-Key whose request died', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const job = onBookings([70], [{ kind: 'set', field: 'note', value: 'once' }]);
  /** As a process leaves it that was killed between two lines. */
  const died = (key: string) =>
    w.sql.query(
      `update tantamos.idempotency set status = null, lease_until = now() - interval '1 second' where key = $1`,
      [key],
    );

  it('is held while somebody works on it', async () => {
    await w.admin.makePreview(job, { once: 'held' });
    await w.sql.query(
      `update tantamos.idempotency set status = null, lease_until = now() + interval '1 minute' where key = 'held'`,
    );
    expect(await refusedWith(w.admin.makePreview(job, { once: 'held' }))).toMatchObject({ code: 'key_reused' });
  });

  it('finds what was made, where it was', async () => {
    const made = await w.admin.makePreview(job, { once: 'after' });
    await died('after');
    expect((await w.admin.makePreview(job, { once: 'after' })).id).toBe(made.id);
    const p = await previewed(w.admin, job);
    const run = await w.admin.startRun({ preview: p.id }, { once: 'run' });
    await died('run');
    expect((await w.admin.startRun({ preview: p.id }, { once: 'run' })).id).toBe(run.id);
  });

  it('makes it, where it was not', async () => {
    const made = await w.admin.makePreview(job, { once: 'before' });
    for (const table of ['preview_work', 'batch_value', 'batch'])
      await w.sql.query(`delete from tantamos.${table} where preview = $1`, [made.id]);
    await w.sql.query('delete from tantamos.preview where id = $1', [made.id]);
    await died('before');
    const both = await Promise.all(
      [1, 2].map(() => w.admin.makePreview(job, { once: 'before' }).catch((e: { code: string }) => e)),
    );
    const ids = both.flatMap((b) => ('id' in b ? [b.id] : []));
    expect(new Set(ids)).toEqual(new Set([made.id]));
  });

  it('is free again after a request that failed', async () => {
    const wrong = onBookings([70], [{ kind: 'set', field: 'nothing', value: 'once' }]);
    await refusedWith(w.admin.makePreview(wrong, { once: 'failed' }));
    expect((await w.admin.makePreview(job, { once: 'failed' })).id).toBeDefined();
  });
});
