import { execFileSync, spawnSync } from 'node:child_process';
import { chownSync, cpSync, mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, statSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

// The cluster that npm start, npm test and npm run bench make: who can reach it, and who can do what in it.

const isRoot = process.getuid!() === 0;
const nobody = isRoot ? Number(execFileSync('id', ['-u', 'nobody'], { encoding: 'utf8' })) : 0;
const mode = (path: string): string => (statSync(path).mode & 0o777).toString(8);

/** Runs a text as a module that has `startCluster` and `programs`, as this account or another; what it printed, as JSON. */
function run<T>(text: string, { lib, uid }: { lib: string; uid?: number }): T {
  const before = `
    import { startCluster } from '${lib}/cluster.mjs';
    import { needPostgres } from '${lib}/packages.mjs';
    import { spawnSync } from 'node:child_process';
    import { readdirSync, readFileSync } from 'node:fs';
    const programs = needPostgres();
    const psql = (env, ...args) => spawnSync(programs + '/psql', ['-X', '-w', '-At', ...args], { env: { PATH: process.env.PATH, ...env }, encoding: 'utf8' });
    const commandLines = () => readdirSync('/proc').filter((p) => /^\\d+$/.test(p)).map((p) => { try { return readFileSync('/proc/' + p + '/cmdline', 'utf8'); } catch { return ''; } });
    const say = (what) => console.log(JSON.stringify(what));
  `;
  const { status, stdout, stderr } = spawnSync(
    process.execPath,
    ['--input-type=module', '--disable-warning=DEP0205', '-e', before + text],
    {
      encoding: 'utf8',
      timeout: 100_000,
      ...(uid === undefined ? {} : { uid, gid: uid, cwd: '/', env: { PATH: process.env.PATH, HOME: tmpdir() } }),
    },
  );
  if (status !== 0) throw new Error(stderr);
  return JSON.parse(stdout) as T;
}

describe('the cluster of a checkout', () => {
  let work: string;
  let lib: string;
  beforeEach(() => {
    work = mkdtempSync(join(tmpdir(), 'tantamos-cluster-'));
    execFileSync('chmod', ['755', work]);
    // A copy that every account can read, wherever the checkout is.
    lib = join(work, 'scripts/lib');
    cpSync(join(__dirname, '../scripts/lib'), lib, { recursive: true });
  });
  afterEach(() => rmSync(work, { recursive: true, force: true }));

  interface Reached {
    readonly socket: string;
    readonly passwordFile: string;
    readonly without: string;
    readonly wrong: string;
    readonly roles: string;
    readonly secrets: string;
    readonly made: string;
    readonly tcp: string;
    readonly inCommandLines: number;
    readonly stranger: string | null;
  }
  const reach = (folder: string): string => `
    const cluster = await startCluster(programs, '${folder}');
    cluster.needDatabase('records');
    const { socket, passwordFile } = cluster;
    const at = (role, database = 'records') => ['-h', socket, '-U', role, '-d', database];
    const withFile = { PGPASSFILE: passwordFile };
    const passwords = readFileSync(passwordFile, 'utf8').split('\\n').map((line) => line.split(':').at(-1)).filter(Boolean);
    cluster.sql('records', 'set role meadowline_owner; create table orders (id integer primary key)');
    say({
      socket,
      passwordFile,
      without: psql({}, ...at('meadow'), '-c', 'select 1').stderr,
      wrong: psql({ PGPASSWORD: 'wrong' }, ...at('tantamos_service'), '-c', 'select 1').stderr,
      roles: psql(withFile, ...at('tantamos_service'), '-c', "select string_agg(rolname || ' ' || rolsuper, ',' order by rolname) from pg_roles where rolcanlogin").stdout.trim(),
      secrets: psql(withFile, ...at('tantamos_service'), '-c', 'select rolpassword from pg_authid').stderr,
      made: psql(withFile, ...at('tantamos_service'), '-c', 'insert into orders values (1) returning id', '-c', 'drop table orders').stderr,
      tcp: psql(withFile, '-h', '127.0.0.1', '-U', 'meadow', '-d', 'postgres', '-c', 'select 1').stderr,
      inCommandLines: commandLines().filter((line) => passwords.some((p) => line.includes(p))).length,
      stranger: ${isRoot}
        ? spawnSync(programs + '/psql', ['-X', '-w', ...at('meadow', 'postgres'), '-c', 'select 1'], { uid: ${nobody}, gid: ${nobody}, cwd: '/', encoding: 'utf8' }).stderr
        : null,
    });
    cluster.stop();`;
  const mustBeClosed = (found: Reached): void => {
    expect(found.without).toMatch(/no password supplied/);
    expect(found.wrong).toMatch(/password authentication failed/);
    expect(found.roles).toBe('meadow true,meadowline_owner false,tantamos_service false');
    expect(found.secrets).toMatch(/permission denied/);
    // It writes records, but the tables are not its own.
    expect(found.made).toMatch(/must be owner of table orders/);
    expect(found.tcp).toMatch(/Connection refused/);
    expect(found.inCommandLines).toBe(0);
    if (found.stranger !== null) expect(found.stranger).toMatch(/Permission denied/);
    expect(mode(found.passwordFile)).toBe('600');
    expect(Buffer.byteLength(found.socket)).toBeLessThan(107);
  };

  it('is reached through a socket that only its account can enter, and by a password', () => {
    const folder = join(work, 'one');
    mustBeClosed(run(reach(folder), { lib }));
    expect(mode(join(folder, 'data'))).toBe('700');
    // A second start finds the same passwords and the same records.
    const again = run<string>(
      `const cluster = await startCluster(programs, '${folder}'); cluster.needDatabase('records');
       say(cluster.sql('records', 'select count(*) from orders')); cluster.stop();`,
      { lib },
    );
    expect(again).toBe('1');
  });

  it('has its socket elsewhere where its own path is too long', () => {
    const folder = join(work, 'long'.repeat(30));
    const found = run<Reached>(reach(folder), { lib });
    mustBeClosed(found);
    expect(found.socket.startsWith(folder)).toBe(false);
    expect(() => statSync(found.socket)).toThrow();
  });

  // Where an ordinary account runs the tests, those above have shown it.
  if (isRoot)
    it('is the same where an ordinary account starts it', () => {
      const home = join(work, 'home');
      mkdirSync(home);
      chownSync(home, nobody, nobody);
      const folder = join(home, 'one');
      const text = reach(folder).replace(/stranger: [\s\S]*?: null,/, 'stranger: null,');
      mustBeClosed(run(text, { lib, uid: nobody }));
      expect(mode(folder)).toBe('700');
    });

  it('of an earlier version, which let everybody in, is converted at its next start', () => {
    const folder = join(work, 'old');
    const account = isRoot
      ? { uid: Number(execFileSync('id', ['-u', 'postgres'])), gid: Number(execFileSync('id', ['-g', 'postgres'])) }
      : {};
    mkdirSync(folder);
    if (isRoot) chownSync(folder, account.uid!, account.gid!);
    const programs = readdirSync('/usr/lib/postgresql')
      .map((v) => `/usr/lib/postgresql/${v}/bin`)
      .at(-1)!;
    const tool = (name: string, ...args: string[]) =>
      execFileSync(join(programs, name), args, { ...account, cwd: folder, stdio: 'ignore' });
    const data = join(folder, 'data');
    tool('initdb', '-D', data, '-U', 'meadow', '-E', 'UTF8', '--locale=C.UTF-8', '--auth=trust');
    tool(
      'pg_ctl',
      '-D',
      data,
      '-o',
      `-c listen_addresses= -c unix_socket_directories=${folder}`,
      '-l',
      join(folder, 'log'),
      '-w',
      'start',
    );
    const sql = (database: string, text: string) =>
      tool('psql', '-h', folder, '-U', 'meadow', '-d', database, '-c', text);
    sql('postgres', 'create database records');
    sql(
      'records',
      `create schema tantamos; create table tantamos.batch (id integer);
      create type shade as enum ('dark'); create domain code as text; create sequence apart;
      create table notes (id serial primary key, shade shade, code code); insert into notes (shade) values ('dark');
      create view seen as select * from notes;
      create function noted() returns integer language sql as 'select 1'`,
    );
    tool('pg_ctl', '-D', data, '-m', 'fast', '-w', 'stop');
    mustBeClosed(run(reach(folder), { lib }));
    expect(readFileSync(join(folder, 'pg_hba.conf'), 'utf8')).not.toContain('trust');
    const owners = run<string>(
      `const cluster = await startCluster(programs, '${folder}');
       say(cluster.sql('records', "select string_agg(distinct pg_get_userbyid(relowner), ',') from pg_class c join pg_namespace n on n.oid = c.relnamespace where nspname in ('public', 'tantamos')"));
       const { stderr } = psql({ PGPASSFILE: cluster.passwordFile }, '-h', cluster.socket, '-U', 'tantamos_service', '-d', 'records', '-c', 'insert into notes (code) values (1)');
       if (stderr) throw new Error(stderr);
       cluster.stop();`,
      { lib },
    );
    expect(owners).toBe('meadowline_owner');
  });
});
