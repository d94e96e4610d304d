import { routes, type Route } from '@tantamos/contract';
import { done, onBookings, refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('what is sent is used or refused, never ignored', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const nobody = '00000000-0000-7000-8000-000000000000';
  const sent = (method: string, path: string, type: string | null, body: string | undefined, token = w.adminToken) =>
    fetch(w.base + path.replace(/:\w+/g, nobody), {
      method: method.toUpperCase(),
      headers: { Authorization: `Bearer ${token}`, ...(type === null ? {} : { 'Content-Type': type }) },
      ...(body === undefined ? {} : { body: Buffer.from(body) }),
    });

  it('an undo of some records sent as a form undoes none', async () => {
    const run = await done(w.admin, onBookings([1, 2, 3], [{ kind: 'set', field: 'note', value: 'kept' }]));
    const before = (await w.admin.previews({})).length;
    const response = await sent('post', `/api/runs/${run.id}/undo`, 'application/x-www-form-urlencoded', 'keys=1');
    expect([response.status, response.headers.get('accept')]).toEqual([415, 'application/json']);
    expect(await response.json()).toMatchObject({
      code: 'unsupported_media_type',
      detail: 'The body must be application/json, not application/x-www-form-urlencoded; nothing was done.',
    });
    const inAddress = await sent('post', `/api/runs/${run.id}/undo?keys=1`, 'application/json', '{}');
    expect([inAddress.status, ((await inAddress.json()) as { detail: string }).detail]).toEqual([
      400,
      '“keys” is not known here: this call takes no parameters in its address.',
    ]);
    expect((await w.admin.previews({})).length).toBe(before);
    expect((await w.admin.run(run.id)).undoneBy).toEqual([]);
  });

  const all = Object.entries(routes as Readonly<Record<string, Route>>);
  const withBody = all.filter(([, route]) => route.body || route.takes);
  const without = all.filter(([, route]) => !route.body && !route.takes && route.method !== 'get');

  it.each(withBody)('%s takes no other media type', async (_, route) => {
    for (const type of ['application/x-www-form-urlencoded', 'multipart/form-data; boundary=x', 'text/plain', null])
      expect([type, (await sent(route.method, route.path, type, 'a=1')).status]).toEqual([type, 415]);
  });

  it.each(without)('%s takes no body', async (name, route) => {
    // What would end the test's own session is not tried with a body that is let in.
    for (const type of ['application/json', 'text/plain'])
      expect([name, type, (await sent(route.method, route.path, type, '{"keys":["1"]}')).status]).toEqual([
        name,
        type,
        400,
      ]);
  });

  it.each(all.filter(([, route]) => !route.query))('%s takes no parameters', async (_, route) => {
    const body = route.body && route.method !== 'get' ? '{}' : undefined;
    expect((await sent(route.method, `${route.path}?surprise=1`, body ? 'application/json' : null, body)).status).toBe(
      400,
    );
  });

  it('JSON in another character set or encoding is not read', async () => {
    for (const headers of [
      { 'Content-Type': 'application/json; charset=utf-7' },
      { 'Content-Encoding': 'compress' },
    ] as const) {
      const response = await fetch(`${w.base}/api/types/bookings/search`, {
        method: 'POST',
        headers: { Authorization: `Bearer ${w.adminToken}`, 'Content-Type': 'application/json', ...headers } as Record<
          string,
          string
        >,
        body: '{"limit":1}',
      });
      expect(response.status).toBe(415);
    }
    expect((await w.admin.search('bookings', { limit: 1 })).records).toHaveLength(1);
  });

  describe('names that every object has', () => {
    const names = ['constructor', '__proto__', 'toString', 'hasOwnProperty', 'valueOf'];
    const post = async (path: string, body: string, signedIn = true) => {
      const response = await fetch(w.base + path, {
        method: 'POST',
        headers: {
          'Content-Type': 'application/json',
          ...(signedIn ? { Authorization: `Bearer ${w.adminToken}` } : {}),
        },
        body,
      });
      return { status: response.status, text: await response.text() };
    };

    it.each(names)('%s is no member of a request, at no depth', async (name) => {
      const strange = `{"${name}":1}`;
      for (const body of [
        `{"${name}":1}`,
        `{"selection":${strange},"edits":[]}`,
        `{"selection":{"type":"bookings"},"edits":[${strange}]}`,
        `{"selection":{"type":"bookings"},"edits":[{"kind":"set","field":"note","value":"x","${name}":{"a":1}}]}`,
        `{"selection":{"type":"bookings","filter":${strange}},"edits":[]}`,
        `{"selection":{"type":"bookings"},"edits":[],"safety":${strange}}`,
        `{"selection":{"type":"bookings"},"edits":[],"why":${strange}}`,
      ])
        expect([body, (await post('/api/previews', body)).status]).toEqual([body, 400]);
      const signIn = await post('/api/sessions', `{"login":${strange},"password":"x"}`, false);
      expect(signIn.status).toBe(400);
      expect(signIn.text).toContain('login');
    });

    it('stand in a dictionary of a draft as they are', async () => {
      const text = `{"job":{"values":{${names.map((n, i) => `"${n}":${i}`).join(',')}},"deep":[{"constructor":{"x":null}}]}}`;
      const made = await post('/api/drafts', text);
      expect(made.status).toBeLessThan(300);
      const { id } = JSON.parse(made.text) as { id: string };
      const response = await fetch(`${w.base}/api/drafts/${id}`, {
        headers: { Authorization: `Bearer ${w.adminToken}` },
      });
      const kept = await response.text();
      for (const [i, name] of names.entries()) expect(kept).toContain(`"${name}":${i}`);
    });
  });

  it('page marks, keys and numbers that cannot be are refused by name', async () => {
    const marks = [
      'x',
      '%00',
      Buffer.from('["a","b"]').toString('base64url'),
      Buffer.from('["\\u0000","1"]').toString('base64url'),
      'W10',
    ];
    for (const after of marks)
      for (const sort of [[], ['hives'], ['start_on']])
        expect(await refusedWith(w.admin.search('bookings', { after, sort }))).toMatchObject({
          code: 'bad_request',
          problems: [{ where: 'after' }],
        });
    const run = await done(w.admin, onBookings([5], [{ kind: 'set', field: 'note', value: 'marked' }]));
    for (const after of ['x', '1', '1.x', '99999999999.1', '-1.0'])
      expect(await refusedWith(w.admin.runRecords(run.id, { after }))).toMatchObject({
        code: 'bad_request',
        problems: [{ where: 'after' }],
      });
    for (const format of ['csv', 'jsonl'] as const)
      expect(await refusedWith(w.admin.files.runRecords(run.id, { after: 'x', format }) as never)).toMatchObject({
        code: 'bad_request',
      });
    const job = onBookings([1], [{ kind: 'set', field: 'note', value: 'x' }]);
    expect(await refusedWith(w.admin.sample({ job, keys: ['1', 'x'] }))).toMatchObject({
      status: 400,
      problems: [{ where: 'keys' }],
    });
    for (const number of ['-1e999999999999999999999999', '1e999999999999999999999999', '-1e-999999999999', '+1e99999'])
      expect([number, await refusedWith(w.admin.search('bookings', { filter: `hives = ${number}` }))]).toMatchObject([
        number,
        { status: 400, code: 'bad_value' },
      ]);
    for (const by of ['1e999999999999999999', 'x', '', '-'])
      expect(
        (await refusedWith(w.admin.makePreview(onBookings([1], [{ kind: 'shift', field: 'hives', by }] as never))))
          .status,
      ).toBe(400);
  });
});
