import { connect } from 'node:net';
import { mustHaveRoom, mostVersions } from '../storage/room';
import { onBookings, previewed, refusedWith, undone, done } from '../testing/jobs';
import { openWorkspace, seenBy, type Workspace } from '../testing/workspace';

describe('heavy requests', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace({ heavy: true })));
  afterAll(() => w.close());

  const large = Array.from({ length: 2300 }, (_, i) => `grower.owner.lead.name = 'nobody ${i}'`).join(' OR ');
  const threads = async (): Promise<number> =>
    Number(
      (
        await w.sql.query(
          `select count(*)::int as n from pg_stat_activity where application_name like 'tantamos listener%' and datname = current_database()`,
        )
      ).rows[0].n,
    );

  it('are answered in a thread of their own, just as others are', async () => {
    expect(large.length).toBeGreaterThan(88_000);
    expect(await threads()).toBe(1);
    // Nothing here compiles it: what would is not asked.
    const compiled = jest.spyOn(w.services.compiler, 'selection');
    const found = await w.reader.search('bookings', { filter: `(${large}) OR id <= 3`, count: 'exact', limit: 5 });
    expect([found.numberMatched, found.records.length, compiled.mock.calls.length]).toEqual([3, 3, 0]);
    expect(await threads()).toBe(2);
    await w.reader.search('bookings', { filter: 'id <= 3', limit: 5 });
    expect(compiled).toHaveBeenCalledTimes(1);
    compiled.mockRestore();
  });

  it('keep to the same rules: sessions, rights, problems, limits', async () => {
    const body = JSON.stringify({ filter: `${large} OR`, limit: 5 });
    const post = (headers: Record<string, string>, text = body) =>
      fetch(`${w.base}/api/types/bookings/search`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json', ...headers },
        body: text,
      });
    expect((await post({})).status).toBe(401);
    const wrong = await post({ Authorization: `Bearer ${w.adminToken}` });
    expect([wrong.status, wrong.headers.get('content-type')]).toEqual([400, 'application/problem+json; charset=utf-8']);
    expect(await wrong.json()).toMatchObject({ code: 'syntax', problems: [{ where: 'filter' }] });
    expect(await refusedWith(w.admin.search('bookings', { filter: 'x'.repeat(200_000) }))).toMatchObject({
      status: 400,
    });
    const line = await w.admin.addRight({ role: 'reader', effect: 'deny', acts: ['see'], types: ['bookings'] });
    // Rights are known for a second, as everywhere.
    let refused = await w.reader.search('bookings', { filter: large, limit: 1 }).then(
      () => null,
      (error) => error.details,
    );
    for (const end = Date.now() + 5000; refused === null && Date.now() < end;)
      refused = await w.reader.search('bookings', { filter: large, limit: 1 }).then(
        () => null,
        (error) => error.details,
      );
    expect(refused).toMatchObject({ status: 404, code: 'unknown_type' });
    await w.admin.dropRight(line.id);
  });

  it('may create previews, which are calculated and run like any other', async () => {
    const keys = Array.from({ length: 3000 }, (_, i) => String(i + 1));
    const p = await previewed(w.editor, {
      selection: { type: 'bookings', keys },
      edits: [{ kind: 'set', field: 'note', value: 'heavy' }],
    });
    expect(p).toMatchObject({ state: 'ready', totals: { matched: 3000 } });
    const run = await w.editor.startRun({
      preview: p.id,
      expect: p.totals.will_change,
      askAfter: null,
      firstKeys: keys.slice(0, 200),
    });
    expect(run.state).toMatch(/queued|running|waiting/);
    await w.editor.stopRun(run.id).catch(() => {});
  });

  it('are also the small ones of somebody who has spent much', async () => {
    await w.admin.saveSelection({
      name: 'large',
      selection: { type: 'bookings', filter: large },
      open: true,
      note: null,
    });
    const compiled = jest.spyOn(w.services.compiler, 'selection');
    const ask = () => w.reader.search('bookings', { filter: "in_selection('large')", limit: 1 });
    await ask();
    expect(compiled).toHaveBeenCalledTimes(1);
    await ask();
    await w.reader.search('bookings', { filter: 'id = 1', limit: 1 });
    expect(compiled).toHaveBeenCalledTimes(1);
    // Nobody else's.
    await w.editor.search('bookings', { filter: 'id = 1', limit: 1 });
    expect(compiled).toHaveBeenCalledTimes(2);
    compiled.mockRestore();
  });
});

describe('what can be saved has limits', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  it('of one person and of the workspace, for each kind', async () => {
    const { person } = await seenBy(w, 'piers');
    await w.editor.saveSelection({
      name: 'one',
      selection: { type: 'bookings', filter: 'id = 1' },
      open: false,
      note: null,
    });
    await w.editor.keepCounts({ name: 'n', selection: { type: 'bookings', filter: 'id < 9' }, fields: ['status'] });
    await w.editor
      .keepPreset({ name: 'p', type: 'remarks', edits: [{ kind: 'set', field: 'body', value: 'x' }] } as never)
      .catch(() => {});
    await w.editor.paste({ text: 'G-000002', targets: [{ type: 'growers', fields: ['code'] }] });
    await w.editor.uploadFile({ name: 'x.csv' }, new TextEncoder().encode('id\n1\n'));
    for (const name of ['selections', 'counts', 'lists', 'files'] as const) {
      const check = (limits: { person: number; workspace: number }) =>
        w.services.database.with((c) => mustHaveRoom(c, name, person.id, limits));
      await check({ person: 100, workspace: 100 });
      await expect(check({ person: 1, workspace: 100 })).rejects.toThrow(
        /^You have 1 .*as many as one person can have/,
      );
      await expect(check({ person: 100, workspace: 1 })).rejects.toThrow(/^The workspace has/);
    }
    // In the product: the five hundred and first is refused, with what to do.
    await w.sql.query(
      `insert into tantamos.saved_selection (name, owner, changed_by, type, selection, said)
      select 's' || n, $1, $1, 'bookings', '{"type": "bookings"}', '{"type": "bookings"}' from generate_series(1, 499) n`,
      [person.id],
    );
    expect(
      await refusedWith(
        w.editor.saveSelection({ name: 'more', selection: { type: 'bookings' }, open: false, note: null }),
      ),
    ).toMatchObject({
      code: 'over_limit',
      detail: 'You have 500 saved selections, as many as one person can have. Delete some first.',
    });
    await w.editor.saveSelection({
      name: 'one',
      selection: { type: 'bookings', filter: 'id = 2' },
      open: false,
      note: null,
      version: 1,
    });
    w.services.room.refresh();
    expect((await w.editor.me()).workspace.warnings).toEqual([
      'You have 500 of at most 500 saved selections; delete those that you no longer need.',
    ]);
    expect((await w.reader.me()).workspace.warnings).toEqual([]);
  });

  it('of versions: the newest are kept', async () => {
    const save = (n: number) =>
      w.admin.saveSelection({
        name: 'often',
        selection: { type: 'bookings', filter: `id = ${n}` },
        open: false,
        note: null,
      });
    await save(1);
    await w.sql.query(
      `insert into tantamos.saved_selection_version (selection, version, said, changed_by)
      select id, n, said, owner from tantamos.saved_selection, generate_series(2, $1::int) n where name = 'often'`,
      [mostVersions + 5],
    );
    await w.sql.query(`update tantamos.saved_selection set version = $1 where name = 'often'`, [mostVersions + 5]);
    await save(2);
    expect(await w.admin.selectionVersions('often')).toHaveLength(mostVersions);
  });

  it('of journals: no more previews, but undoes; warned of from four fifths on', async () => {
    const run = await done(w.admin, onBookings([5], [{ kind: 'set', field: 'note', value: 'room' }]));
    const limit = async (gb: number, used: number) => {
      await w.admin.setWorkspace({ journalGb: gb });
      // As if there were as much.
      (w.services.room as never as { journals: object }).journals = {
        bytes: used * 2 ** 30,
        limit: gb * 2 ** 30,
        at: Date.now(),
      };
      (w.services.room as never as { known: Map<string, object> }).known.clear();
    };
    await limit(10, 8);
    expect((await w.admin.me()).workspace).toMatchObject({
      journalGb: 10,
      warnings: ['Journals take 8 GB of the 10 GB that this workspace allows.'],
    });
    await limit(10, 10);
    const job = onBookings([6], [{ kind: 'set', field: 'note', value: 'full' }]);
    expect(await refusedWith(w.admin.makePreview(job))).toMatchObject({
      code: 'over_limit',
      detail: expect.stringMatching(/^Journals take 10 GB of the 10 GB/),
    });
    expect((await undone(w.admin, run.id, {})).state).toBe('ready');
    await limit(50, 0);
    expect((await w.admin.makePreview(job)).id).toBeDefined();
  });
});

describe('senders that are slow, or many', () => {
  let w: Workspace;
  beforeAll(
    async () =>
      (w = await openWorkspace({ senders: { head: 700, whole: 30_000, bytes: 5000, every: 400, connections: 20 } })),
  );
  afterAll(() => w.close());

  const answerTo = (send: (write: (text: string) => void) => NodeJS.Timeout | void): Promise<string> =>
    new Promise((resolve) => {
      let text = '';
      let timer: NodeJS.Timeout | void;
      const socket = connect(Number(new URL(w.base).port), '127.0.0.1', () => (timer = send((t) => socket.write(t))));
      socket.on('data', (d: Buffer) => (text += d.toString()));
      socket.on('error', () => {});
      socket.once('close', () => {
        if (timer) clearInterval(timer);
        resolve(text);
      });
    });

  it('a head that does not come to its end is answered with 408', async () => {
    const text = await answerTo((write) => {
      write('GET /api/health HTTP/1.1\r\nHost: 127.0.0.1\r\n');
      return setInterval(() => write('X: y\r\n'), 100);
    });
    expect(text).toMatch(/^HTTP\/1.1 408/);
    expect(text).toContain('too_slow');
  });

  it('a body that comes a few bytes at a time is answered with 408; one that we do not read yet is waited for', async () => {
    const text = await answerTo((write) => {
      write(
        `POST /api/types/bookings/search HTTP/1.1\r\nHost: 127.0.0.1\r\nAuthorization: Bearer ${w.adminToken}\r\nContent-Type: application/json\r\nContent-Length: 100000\r\n\r\n{`,
      );
      return setInterval(() => write(' '), 50);
    });
    expect(text).toMatch(/^HTTP\/1.1 408/);
    expect((await w.admin.search('bookings', { limit: 1 })).records).toHaveLength(1);
  });

  it('so many connections an address, and no more', async () => {
    const sockets = await Promise.all(
      Array.from(
        { length: 40 },
        () =>
          new Promise<{ open: boolean; end: () => void }>((resolve) => {
            const socket = connect(Number(new URL(w.base).port), '127.0.0.1');
            let open = true;
            socket.once('close', () => (open = false));
            socket.on('error', () => {});
            setTimeout(
              () =>
                resolve({
                  get open() {
                    return open;
                  },
                  end: () => socket.destroy(),
                }),
              300,
            );
          }),
      ),
    );
    expect(sockets.filter((s) => s.open).length).toBeLessThanOrEqual(20);
    sockets.forEach((s) => s.end());
    await new Promise((r) => setTimeout(r, 100));
    expect((await fetch(`${w.base}/api/health`)).status).toBe(200);
  });
});
