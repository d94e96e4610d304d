import { mkdtempSync, writeFileSync } from 'node:fs';
import { request } from 'node:http';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { demoAccounts } from '../accounts/demo-accounts';
import { onBookings, previewed, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

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

  it('is refused for a login after ten, for nobody else, and not in a browser that has been right before', async () => {
    const cookie = browserCookie(await enter(piers));
    // Many at once are not tried for one.
    const tried = await statuses(30, () => ({ login: 'piers', password: 'guess', from: '203.0.113.1' }));
    expect([401, 429].map((s) => tried.filter((t) => t === s).length)).toEqual([10, 20]);
    const refused = await enter({ ...piers, from: '203.0.113.2' });
    expect(refused.status).toBe(429);
    expect(Number(refused.headers.get('retry-after'))).toBeGreaterThan(0);
    expect(await refused.json()).toMatchObject({
      code: 'too_many_requests',
      detail: expect.stringContaining('a browser where you have'),
    });
    expect((await enter({ ...wren, from: '203.0.113.1' })).status).toBe(200);
    expect((await enter({ ...piers, from: '203.0.113.1', cookie })).status).toBe(200);
    // A made-up cookie, and one of another's, say nothing.
    expect((await enter({ ...piers, cookie: `tantamos_browser=${'x'.repeat(43)}` })).status).toBe(429);
    const other = browserCookie(await enter(sorrel));
    expect((await enter({ ...piers, cookie: other })).status).toBe(429);
  });

  it('is refused for an address after fifty, whatever the login', async () => {
    const from = '198.51.100.7';
    const tried = await statuses(60, (i) => ({ login: `nobody${i}`, password: 'guess', from }));
    expect([401, 429].map((s) => tried.filter((t) => t === s).length)).toEqual([50, 10]);
    expect((await enter({ ...wren, from })).status).toBe(429);
    expect((await enter({ ...wren, from: '198.51.100.8' })).status).toBe(200);
  });

  it('counts no right one', async () => {
    const tried = await statuses(15, () => ({ ...wren, from: '198.51.100.9' }));
    expect(new Set(tried)).toEqual(new Set([200]));
    expect((await w.admin.wrongPasswords()).map((l) => l.subject)).not.toContain('198.51.100.9');
  });

  it('can be seen and lifted by an administrator, and by nobody else', async () => {
    expect(await refusedWith(w.editor.wrongPasswords())).toMatchObject({ status: 403 });
    expect(await refusedWith(w.editor.liftWrongPasswords('login', 'piers'))).toMatchObject({ status: 403 });
    const all = await w.admin.wrongPasswords();
    expect(all.find((l) => l.subject === 'piers')).toMatchObject({ kind: 'login', count: 10 });
    expect(all.find((l) => l.subject === '198.51.100.7')!.refusedUntil).not.toBeNull();
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
    const guess = () => refusedWith(w.editor.changePassword({ current: 'guess', next: 'long enough' }));
    for (let i = 0; i < 10; i++) expect((await guess()).status).toBe(401);
    expect((await guess()).status).toBe(429);
    await w.admin.liftWrongPasswords('login', 'piers');
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
    await w.admin.addAccount({ login: 'new', name: 'New', role: 'reader', password: 'a new secret' });
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
