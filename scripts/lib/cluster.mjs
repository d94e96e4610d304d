import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import {
  appendFileSync,
  chownSync,
  existsSync,
  mkdirSync,
  openSync,
  readFileSync,
  rmSync,
  writeSync,
  closeSync,
} from 'node:fs';
import { createServer } from 'node:net';
import { homedir, userInfo } from 'node:os';
import { join } from 'node:path';
import { root } from './packages.mjs';
import { Trouble } from './say.mjs';

const isRoot = process.getuid() === 0;

/** Where this checkout's own cluster lives: a place that the user it runs as can reach. */
export function dataFolder() {
  if (process.env.TANTAMOS_DATA) return process.env.TANTAMOS_DATA;
  const name = createHash('sha256').update(root).digest('hex').slice(0, 12);
  if (isRoot) return join('/var/lib/tantamos', name);
  return join(process.env.XDG_DATA_HOME ?? join(homedir(), '.local', 'share'), 'tantamos', name);
}

/**
 * Starts a cluster of our own in `folder` on a free loopback port and returns `{ url(database), stop() }`.
 * One starter at a time: a second one is told who holds the folder. `throwaway`: no fsync, for tests.
 */
export async function startCluster(programs, folder, { throwaway = false } = {}) {
  const owner = isRoot ? accountOf('postgres') : undefined;
  mkdirSync(folder, { recursive: true, mode: 0o755 });
  const unlock = lock(join(folder, 'in-use-by'));
  try {
    if (owner) chownSync(folder, owner.uid, owner.gid);
    const data = join(folder, 'data');
    const tool = (name, args) => runTool(join(programs, name), args, owner, folder);
    if (!existsSync(join(data, 'PG_VERSION'))) {
      // Not called tantamos: PostgreSQL puts new tables into a schema of the account's own name if there is one.
      rmSync(data, { recursive: true, force: true });
      tool('initdb', [
        '-D',
        data,
        '-U',
        'meadow',
        '-E',
        'UTF8',
        '--locale=C.UTF-8',
        '--auth=trust',
        '--no-instructions',
      ]);
      appendFileSync(join(data, 'postgresql.conf'), settings(throwaway));
    }
    // Left running by a starter that was killed: stop it, so that port and options are ours again.
    if (existsSync(join(data, 'postmaster.pid')))
      spawnSync(join(programs, 'pg_ctl'), ['-D', data, '-m', 'fast', '-w', 'stop'], as(owner, folder));
    const port = await freePort();
    const options = `-p ${port} -c max_connections=200 -c listen_addresses=127.0.0.1 -c unix_socket_directories=`;
    tool('pg_ctl', ['-D', data, '-l', join(folder, 'log'), '-o', options, '-w', '-t', '60', 'start']);
    return {
      port,
      url: (database) => `postgres://meadow@127.0.0.1:${port}/${database}`,
      stop() {
        spawnSync(join(programs, 'pg_ctl'), ['-D', data, '-m', 'fast', '-w', 'stop'], as(owner, folder));
        unlock();
      },
    };
  } catch (error) {
    unlock();
    throw error;
  }
}

/** Creates the database if the cluster does not have it; run by `psql`, so that nothing need be built yet. */
export function needDatabase(programs, cluster, name, template = 'template1') {
  const psql = (text) =>
    runTool(join(programs, 'psql'), ['-X', '-At', '-d', cluster.url('postgres'), '-c', text]).trim();
  if (psql(`select 1 from pg_database where datname = '${name}'`) !== '1')
    psql(`create database ${name} template ${template}`);
}

const settings = (throwaway) => `
shared_buffers = 256MB
max_wal_size = 4GB
default_toast_compression = lz4
${throwaway ? 'fsync = off\nsynchronous_commit = off\nfull_page_writes = off\n' : ''}`;

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
          `This checkout is already started (process ${pid}); two starts do not share a data folder.\n` +
            'Stop the other one, or give this one a folder of its own: TANTAMOS_DATA=/some/folder npm start',
        );
      rmSync(path, { force: true });
    }
  }
  throw new Trouble(`The data folder is being taken by another start: ${path}`);
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

function accountOf(name) {
  const id = (flag) => Number(spawnSync('id', [flag, name], { encoding: 'utf8' }).stdout);
  const [uid, gid] = [id('-u'), id('-g')];
  if (!uid) throw new Trouble(`PostgreSQL does not run as root, and there is no account “${name}” to run it as.`);
  return { uid, gid };
}

function as(owner, cwd) {
  return owner
    ? {
        uid: owner.uid,
        gid: owner.gid,
        cwd,
        encoding: 'utf8',
        env: { PATH: process.env.PATH, HOME: cwd, LC_ALL: 'C.UTF-8' },
      }
    : { encoding: 'utf8', cwd, env: { ...process.env, LC_ALL: 'C.UTF-8', USER: userInfo().username } };
}

function runTool(program, args, owner, cwd = '/') {
  const { status, stdout, stderr, error } = spawnSync(program, args, {
    ...as(owner, cwd),
    stdio: ['ignore', 'pipe', 'pipe'],
    timeout: 120_000,
  });
  if (status !== 0) throw new Trouble(`${program} failed: ${error?.message ?? ''}${stderr ?? ''}${stdout ?? ''}`);
  return stdout;
}

function freePort() {
  return new Promise((resolve, reject) => {
    const probe = createServer();
    probe.once('error', reject);
    probe.listen(0, '127.0.0.1', () => {
      const { port } = probe.address();
      probe.close(() => resolve(port));
    });
  });
}

/** A child that ends when this script does; resolves with its exit code. */
export function runChild(command, args, env, stdio = 'inherit') {
  const child = spawn(command, args, { cwd: root, stdio, env: { ...process.env, ...env } });
  const done = new Promise((resolve) => child.once('exit', (code, signal) => resolve(code ?? (signal ? 1 : 0))));
  return { child, done };
}
