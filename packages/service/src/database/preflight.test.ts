import { createServer, connect, type Server, type Socket } from 'node:net';
import type { AddressInfo } from 'node:net';
import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { freshDatabase, openWorkspace, serverUrl, tokenOf } from '../testing/workspace';
import { Client } from '../../../client/src';
import { refusedWith } from '../testing/jobs';
import { Client as Postgres } from 'pg';

const program = join(__dirname, '..', '..', 'dist', 'main.js');

/** Starts the real program, which is expected to end by itself; what it said, and its exit code. */
async function started(url: string): Promise<{ said: string; code: number }> {
  const env = { ...process.env, TANTAMOS_DATABASE_URL: url, TANTAMOS_PORT: '0' };
  const ended = await promisify(execFile)(process.execPath, [program], { env, timeout: 20_000 }).catch(
    (error: { stderr: string; code: number }) => error,
  );
  return { said: ended.stderr.trim(), code: 'code' in ended ? ended.code : 0 };
}

/**
 * What PgBouncer does to a session's settings (its documentation, `ignore_startup_parameters`): refuses those it does not
 * know, or drops them.
 */
function pooler(does: 'refuse' | 'drop'): Promise<Server> {
  const { hostname, port } = new URL(serverUrl(''));
  const socket = join(decodeURIComponent(hostname), `.s.PGSQL.${port}`);
  const server = createServer((client: Socket) => {
    client.once('data', (first) => {
      if (does === 'refuse') {
        const text = Buffer.from('SFATAL\0C08P01\0Munsupported startup parameter: options\0\0');
        const head = Buffer.from([0x45, 0, 0, 0, text.length + 4]);
        return client.end(Buffer.concat([head, text]));
      }
      const words = first.subarray(8).toString('latin1').split('\0');
      const at = words.indexOf('options');
      words.splice(at, 2);
      const body = Buffer.from(words.join('\0'), 'latin1');
      const head = Buffer.alloc(8);
      head.writeInt32BE(body.length + 8, 0);
      head.writeInt32BE(first.readInt32BE(4), 4);
      const behind = connect(socket, () => {
        behind.write(Buffer.concat([head, body]));
        client.pipe(behind).pipe(client);
      });
      for (const [a, b] of [
        [client, behind],
        [behind, client],
      ] as const)
        a.on('error', () => b.destroy());
    });
    client.on('error', () => {});
  });
  return new Promise((resolve) => server.listen(0, '127.0.0.1', () => resolve(server)));
}

describe('a start that cannot go well ends with one sentence', () => {
  it.each(['refuse', 'drop'] as const)('behind a pooler that would %s a session’s settings', async (does) => {
    const { url, drop } = await freshDatabase('template1');
    const between = await pooler(does);
    const through = url.replace(/@[^/]+/, `@127.0.0.1:${(between.address() as AddressInfo).port}`);
    const { said, code } = await started(through);
    between.close();
    await drop();
    expect(code).toBe(1);
    expect(said.split('\n')).toHaveLength(1);
    expect(said).toMatch(/connection pooler.*address of PostgreSQL itself/);
  });

  it.each([
    ['a database that does not exist', () => serverUrl('no_such_database'), /does not exist/],
    ['a server that is not there', () => 'postgres://meadow@127.0.0.1:1/x', /cannot be reached/],
    [
      'an account that does not exist',
      () => serverUrl('postgres').replace('meadow', 'nobody_here'),
      /does not let this account in/,
    ],
    ['no address at all', () => '', /TANTAMOS_DATABASE_URL/],
    ['a text that is no address', () => 'not an address', /could not start|cannot be reached|does not exist/],
  ])('%s', async (_, url, words) => {
    const { said, code } = await started(url());
    expect(code).toBe(1);
    expect(said).toMatch(words);
    expect(said.split('\n')).toHaveLength(1);
  });

  it('a database in another encoding', async () => {
    const name = `latin_${process.pid}`;
    const sql = new Postgres({ connectionString: serverUrl('postgres') });
    await sql.connect();
    await sql.query(`create database ${name} template template0 encoding 'LATIN1' locale 'C'`);
    try {
      expect(await started(serverUrl(name))).toEqual({
        code: 1,
        said: 'The database keeps its texts in LATIN1; UTF8 is needed.',
      });
    } finally {
      await sql.query(`drop database ${name} with (force)`);
      await sql.end();
    }
  });

  it('a read-only database in which it has never been', async () => {
    const { url, drop } = await freshDatabase('template1');
    const sql = new Postgres({ connectionString: url });
    await sql.connect();
    await sql.query('create table mine (id integer primary key)');
    await sql.query(`alter database ${new URL(url).pathname.slice(1)} set default_transaction_read_only = on`);
    await sql.end();
    const { said, code } = await started(url);
    await drop();
    expect(code).toBe(1);
    expect(said).toMatch(/^The database is set to be read-only .* Tantamos has not been set up in it yet\.$/);
  });
});

describe('a database that nothing can be written to', () => {
  it('lets people find, count and export, and says why nothing is changed', async () => {
    const first = await openWorkspace();
    const name = new URL(first.url).pathname.slice(1);
    await first.sql.query(`alter database ${name} set default_transaction_read_only = on`);
    const w = await openWorkspace({ url: first.url });
    try {
      const me = await w.admin.me();
      expect(me.workspace.readOnly).toMatch(/read-only/);
      expect(
        (await w.admin.search('bookings', { filter: "status = 'draft'", count: 'exact', limit: 1 })).numberMatched,
      ).toBeGreaterThan(0);
      expect(await w.admin.values('bookings', { fields: ['status'] })).toBeDefined();
      let lines = 0;
      const { bytes } = await w.admin.files.exportRecords('growers', { format: 'csv', columns: ['id'] });
      for await (const piece of bytes as unknown as AsyncIterable<Uint8Array>)
        lines += Buffer.from(piece).toString().split('\n').length - 1;
      expect(lines).toBe(2501);
      expect((await w.admin.types()).every((t) => /read-only/.test(t.notChangeable ?? ''))).toBe(true);
      expect(
        await refusedWith(
          w.admin.makePreview(
            {
              selection: { type: 'bookings' },
              edits: [{ kind: 'set', field: 'region', value: 'x' }],
            },
            { once: 'once' },
          ),
        ),
      ).toMatchObject({ code: 'not_changeable', detail: expect.stringMatching(/read-only/) });
      expect((await w.admin.beginDraft({ job: { type: 'bookings' } })).job).toEqual({ type: 'bookings' });
      // A session lives as long as the process, and ends when it is told to.
      const token = await tokenOf(w.base, 'piers', 'meadow-editor');
      const client = new Client({ base: w.base, token });
      expect((await client.me()).login).toBe('piers');
      await client.signOut();
      expect(await refusedWith(client.me())).toMatchObject({ code: 'not_signed_in' });
    } finally {
      await w.close();
      await first.close();
    }
  });
});
