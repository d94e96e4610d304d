import { createHash } from 'node:crypto';
import {
  chmodSync,
  chownSync,
  closeSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  openSync,
  readFileSync,
  rmSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import { homedir, tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import {
  newPasswords,
  ownershipStatement,
  passwordStatement,
  readPasswords,
  roles,
  rolesStatement,
  writeAccessRules,
  writePasswords,
} from './cluster-access.mjs';
import { root } from './packages.mjs';
import { clusterAccount, runProgram } from './processes.mjs';
import { Trouble } from './say.mjs';

/** Part of the socket's name, also where nothing listens on TCP. */
const socketPort = 5432;
/** Bytes that a socket's path may have (Linux, unix(7): 108 with the final NUL). */
const longestSocketPath = 107;

/** The data folder of this checkout's own cluster. */
export function dataFolder() {
  if (process.env.TANTAMOS_DATA) return process.env.TANTAMOS_DATA;
  const name = createHash('sha256').update(root).digest('hex').slice(0, 12);
  if (process.getuid() === 0) return join('/var/lib/tantamos', name);
  return join(process.env.XDG_DATA_HOME ?? join(homedir(), '.local', 'share'), 'tantamos', name);
}

/**
 * Starts the cluster in `folder`, creating it if needed, and returns
 * - `url(database, role)`: an address with the role's password; for the environment of a child, never for a command line;
 * - `serviceEnvironment(database)`: what the service needs to work there, with its two roles;
 * - `needDatabase(name, template)`, `dropDatabase(name)`, `sql(database, text)` (by the superuser), `stop()`.
 *
 * It listens on a Unix socket in a folder that only its account (and root) can enter, and every role needs its password.
 * `tcpPort`: also on this port of 127.0.0.1. `throwaway`: no fsync and one password for all roles, for tests. A cluster of
 * an earlier version, which let every local account in, is converted before anybody can reach it.
 * Throws a Trouble if somebody else has started this folder.
 */
export async function startCluster(programs, folder, { throwaway = false, tcpPort } = {}) {
  const account = clusterAccount();
  mkdirSync(dirname(folder), { recursive: true, mode: 0o755 });
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  const unlock = lock(join(folder, 'in-use-by'));
  let socket;
  try {
    // The folder stays ours: what root writes must not stand where another account could put a link.
    chownSync(folder, process.getuid(), process.getgid());
    chmodSync(folder, account ? 0o711 : 0o700);
    const data = join(folder, 'data');
    const tool = (name, args, input) => runProgram(account, join(programs, name), args, { cwd: folder, input });
    const stopServer = () => tool('pg_ctl', ['-D', data, '-m', 'fast', '-w', 'stop']);
    const passwordFile = join(folder, 'pgpass');

    const isNew = !existsSync(join(data, 'PG_VERSION'));
    if (isNew) {
      // Left of a start that was cut off; without its data the passwords are of no use.
      for (const old of [data, passwordFile]) rmSync(old, { recursive: true, force: true });
      ownFolder(data, account);
      const access = ['--auth-local=peer', '--auth-host=reject'];
      tool('initdb', ['-D', data, '-U', roles.superuser, '-E', 'UTF8', '--locale=C.UTF-8', ...access]);
    }
    // Left running by a start that was killed: its options would not be ours.
    if (existsSync(join(data, 'postmaster.pid'))) quietly(stopServer);
    const accessRules = join(folder, 'pg_hba.conf');
    writeAccessRules(accessRules);
    let passwords = readPasswords(passwordFile);
    if (!passwords) {
      passwords = newPasswords(throwaway);
      // Where earlier versions wrote their log.
      rmSync(join(folder, 'log'), { force: true });
      // In single-user mode nobody else can reach the server. The file comes last: without it, this is done again.
      const statement = passwordStatement(roles.superuser, passwords[roles.superuser]);
      tool('postgres', ['--single', '-D', data, 'postgres'], `${statement}\n`);
      writePasswords(passwordFile, passwords);
    }

    socket = socketFolder(folder, account);
    const port = tcpPort ?? socketPort;
    const options = optionsOf({
      port,
      listen_addresses: tcpPort ? '127.0.0.1' : '',
      unix_socket_directories: socket.path,
      unix_socket_permissions: '0700',
      hba_file: accessRules,
      password_encryption: 'scram-sha-256',
      max_connections: 200,
      shared_buffers: '256MB',
      max_wal_size: '4GB',
      default_toast_compression: 'lz4',
      ...(throwaway ? { fsync: 'off', synchronous_commit: 'off', full_page_writes: 'off' } : {}),
    });
    const log = join(data, 'server.log');
    tool('pg_ctl', ['-D', data, '-l', log, '-o', options, '-w', '-t', '60', 'start']);

    const url = (database, role = roles.superuser) => address({ socket: socket.path, port, role, passwords, database });
    const sql = (database, text) => {
      const where = ['-h', socket.path, '-p', String(port), '-U', roles.superuser, '-d', database];
      const how = ['-X', '-q', '-A', '-t', '-v', 'ON_ERROR_STOP=1', '-f', '-'];
      const env = { PGPASSFILE: passwordFile };
      return runProgram(undefined, join(programs, 'psql'), [...where, ...how], { input: text, env }).trim();
    };
    sql('postgres', rolesStatement(passwords));
    const running = join(folder, 'running.json');
    writeFileSync(running, JSON.stringify({ socket: socket.path, port }));
    return {
      url,
      sql,
      socket: socket.path,
      passwordFile,
      serviceEnvironment: (database) => ({
        TANTAMOS_DATABASE_URL: url(database, roles.everyday),
        TANTAMOS_OWNER_URL: url(database, roles.owner),
      }),
      needDatabase(name, template = 'template1') {
        const owner = sql('postgres', `select datdba::regrole from pg_database where datname = '${name}'`);
        if (owner === '') sql('postgres', `create database ${name} template ${template}`);
        if (owner !== roles.owner) sql(name, ownershipStatement(name));
      },
      dropDatabase: (name) => void sql('postgres', `drop database if exists ${name}`),
      stop() {
        quietly(stopServer);
        rmSync(running, { force: true });
        socket.remove();
        unlock();
      },
    };
  } catch (error) {
    socket?.remove();
    unlock();
    throw error;
  }
}

/** The address of a database of the cluster that another start of `folder` runs now, for the everyday role; undefined if none does. */
export function runningAddress(folder, database) {
  const file = join(folder, 'running.json');
  const passwords = readPasswords(join(folder, 'pgpass'));
  if (!passwords || !existsSync(file)) return undefined;
  const { socket, port } = JSON.parse(readFileSync(file, 'utf8'));
  if (!existsSync(join(socket, `.s.PGSQL.${port}`))) return undefined;
  return address({ socket, port, role: roles.everyday, passwords, database });
}

function address({ socket, port, role, passwords, database }) {
  return `postgres://${role}:${passwords[role]}@${encodeURIComponent(socket)}:${port}/${database}`;
}

/** As `pg_ctl -o` takes them: each in single quotes, for its shell. */
const optionsOf = (settings) =>
  Object.entries(settings)
    .map(([name, setting]) => `-c ${name}='${String(setting).replaceAll("'", "'\''")}'`)
    .join(' ');

/** Creates a folder that only the cluster's account can enter. */
function ownFolder(path, account) {
  mkdirSync(path, { mode: 0o700 });
  if (account) chownSync(path, account.uid, account.gid);
}

/** A folder for the socket that only the cluster's account can enter: in the cluster's own, or elsewhere if that path is too long. */
function socketFolder(folder, account) {
  const fits = (path) => Buffer.byteLength(join(path, `.s.PGSQL.${socketPort}.lock`)) <= longestSocketPath;
  const own = join(folder, 'socket');
  if (fits(own)) {
    rmSync(own, { recursive: true, force: true });
    ownFolder(own, account);
    return { path: own, remove: () => rmSync(own, { recursive: true, force: true }) };
  }
  const parent = [tmpdir(), '/tmp'].find((path) => fits(join(path, 'tantamos-XXXXXX')));
  if (!parent) throw new Trouble(`The path of ${folder} is too long for a socket; set TANTAMOS_DATA to a shorter one.`);
  const path = mkdtempSync(join(parent, 'tantamos-'));
  if (account) chownSync(path, account.uid, account.gid);
  return { path, remove: () => rmSync(path, { recursive: true, force: true }) };
}

function lock(path) {
  for (let tries = 0; tries < 2; tries++) {
    try {
      const file = openSync(path, 'wx');
      writeSync(file, String(process.pid));
      closeSync(file);
      return () => rmSync(path, { force: true });
    } catch (error) {
      if (error.code === 'EACCES') throw new Trouble(`The data folder cannot be written: ${path}`);
      if (error.code !== 'EEXIST') throw error;
      const pid = Number(readFileSync(path, 'utf8'));
      if (isAlive(pid))
        throw new Trouble(
          `This checkout is already started (process ${pid}); two starts cannot share a data folder.\n` +
            'Stop the other one, or give this one a folder of its own: TANTAMOS_DATA=/some/folder npm start',
        );
      rmSync(path, { force: true });
    }
  }
  throw new Trouble(`Another start is taking the data folder: ${path}`);
}

function isAlive(pid) {
  if (!(pid > 0) || pid === process.pid) return false;
  try {
    process.kill(pid, 0);
    return true;
  } catch (error) {
    return error.code === 'EPERM';
  }
}

function quietly(work) {
  try {
    work();
  } catch (error) {
    if (!(error instanceof Trouble)) throw error;
  }
}
