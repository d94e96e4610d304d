import { routes, type Route } from '@tantamos/contract';
import { Client } from '../../../client/src';
import { demoAccounts } from '../accounts/demo-accounts';
import { northDrafts, onBookings, previewed, ran, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('who may do what', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const [sorrel] = demoAccounts;
  const signIn = (headers: Record<string, string>) =>
    fetch(`${w.base}/api/sessions`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', ...headers },
      body: JSON.stringify({ login: sorrel.login, password: sorrel.password }),
    });

  it('nothing is reachable without a session but the health check and signing in', async () => {
    for (const route of Object.values(routes) as Route[]) {
      const path = route.path.replace(/:\w+/g, '00000000-0000-4000-8000-000000000000');
      const response = await fetch(w.base + path, { method: route.method.toUpperCase() });
      if (route.path === '/api/health') expect(response.status).toBe(200);
      else if (!route.open) expect([route.path, response.status]).toEqual([route.path, 401]);
    }
    for (const path of ['/api/openapi.json', '/api/reference']) expect((await fetch(w.base + path)).status).toBe(401);
  });

  it('a wrong password, an unknown login and somebody else’s token are refused alike', async () => {
    const wrong = await refusedWith(
      new Client({ base: w.base }).signIn({ login: 'sorrel', password: 'nope', kind: 'token' }),
    );
    const unknown = await refusedWith(
      new Client({ base: w.base }).signIn({ login: 'nobody', password: 'nope', kind: 'token' }),
    );
    expect(wrong).toEqual(unknown);
    expect(wrong).toMatchObject({ status: 401, code: 'wrong_credentials' });
    const made = new Client({ base: w.base, token: 'x'.repeat(43) });
    expect(await refusedWith(made.me())).toMatchObject({ status: 401 });
  });

  it('a token that was given back, and one that is too old, open nothing', async () => {
    const token = (
      await new Client({ base: w.base }).signIn({ login: 'piers', password: demoAccounts[1].password, kind: 'token' })
    ).token!;
    const client = new Client({ base: w.base, token });
    expect((await client.me()).login).toBe('piers');
    await client.signOut();
    expect(await refusedWith(client.me())).toMatchObject({ status: 401 });
    const stored = await w.sql.query(`select encode(secret_hash, 'escape') as s from tantamos.session`);
    expect(stored.rows.map((r) => r.s)).not.toContain(w.adminToken);
  });

  it('a cookie is out of reach of scripts and other sites, and changes need our own page', async () => {
    expect((await signIn({ Origin: 'https://elsewhere.example' })).status).toBe(403);
    expect((await signIn({})).status).toBe(403);
    const entered = await signIn({ Origin: w.base });
    expect(entered.status).toBe(200);
    const cookie = entered.headers.get('set-cookie')!;
    expect(cookie).toMatch(/HttpOnly/);
    expect(cookie).toMatch(/SameSite=Strict/);
    const headers = { Cookie: cookie.split(';')[0]!, 'Content-Type': 'application/json' };
    expect((await fetch(`${w.base}/api/me`, { headers })).status).toBe(200);
    const put = (more: Record<string, string>) =>
      fetch(`${w.base}/api/drafts`, { method: 'POST', headers: { ...headers, ...more }, body: '{"job":{}}' });
    expect((await put({ Origin: 'https://elsewhere.example' })).status).toBe(403);
    expect((await put({ 'Sec-Fetch-Site': 'cross-site', Origin: w.base })).status).toBe(403);
    expect((await put({})).status).toBe(403);
    expect((await put({ Origin: w.base })).status).toBe(201);
  });

  it('sends security headers', async () => {
    const { headers } = await fetch(`${w.base}/api/health`);
    expect(headers.get('content-security-policy')).toContain("default-src 'self'");
    expect(headers.get('x-content-type-options')).toBe('nosniff');
    expect(headers.get('x-powered-by')).toBeNull();
    expect(headers.get('cache-control')).toBe('no-store');
  });

  it('an editor does not do an administrator’s work', async () => {
    for (const call of [
      () => w.editor.setType('bookings', { label: 'Mine' }),
      () => w.editor.setField('bookings', 'note', { hidden: true }),
      () => w.editor.setWorkspace({ whyRequired: true }),
      () => w.editor.accounts(),
      () => w.editor.addAccount({ login: 'x', name: 'X', role: 'administrator', password: 'long enough' }),
    ])
      expect(await refusedWith(call())).toMatchObject({ status: 403, code: 'not_permitted' });
  });

  it('an editor starts and steers only what is theirs; an administrator all of it', async () => {
    const theirs = await previewed(w.admin, onBookings([1], [{ kind: 'set', field: 'note', value: 'a' }]));
    expect(await refusedWith(w.editor.startRun({ preview: theirs.id }))).toMatchObject({ status: 403 });
    expect(await refusedWith(w.editor.dropPreview(theirs.id))).toMatchObject({ status: 403 });
    const asked = await ran(w.admin, (await previewed(w.admin, northDrafts)).id);
    for (const verb of ['continue', 'stop'] as const)
      expect(await refusedWith(w.editor[`${verb}Run`](asked.id))).toMatchObject({ status: 403 });
    expect(await refusedWith(w.editor.undoRun(asked.id, {}))).toMatchObject({ status: 403 });
    const mine = await previewed(w.editor, onBookings([2], [{ kind: 'set', field: 'note', value: 'b' }]));
    const run = await ran(w.admin, mine.id);
    expect(run.totals.changed).toBe(1);
    expect((await w.editor.undoRun(run.id, {})).totals.will_change).toBe(1);
  });

  it('an Idempotency-Key does the work once', async () => {
    const job = onBookings([70], [{ kind: 'set', field: 'note', value: 'once' }]);
    const [a, b] = [
      await w.admin.makePreview(job, { once: 'key-1' }),
      await w.admin.makePreview(job, { once: 'key-1' }),
    ];
    expect(b.id).toBe(a.id);
    expect(await refusedWith(w.admin.makePreview(northDrafts, { once: 'key-1' }))).toMatchObject({
      status: 409,
      code: 'key_reused',
    });
    const runs = await Promise.all(
      [1, 2].map(() => w.admin.startRun({ preview: a.id }, { once: 'key-2' }).catch(() => null)),
    );
    expect(new Set(runs.flatMap((r) => r?.id ?? [])).size).toBe(1);
    expect((await w.editor.makePreview(job, { once: 'key-1' })).id).not.toBe(a.id);
  });
});
