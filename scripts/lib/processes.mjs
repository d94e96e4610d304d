import { spawn, spawnSync } from 'node:child_process';
import { userInfo } from 'node:os';
import { root } from './packages.mjs';
import { Trouble } from './say.mjs';

/** The account that PostgreSQL's own programs run as: `postgres` when root starts them, as they refuse root; else undefined (the same account). */
export function clusterAccount() {
  if (process.getuid() !== 0) return undefined;
  const id = (flag) => Number(spawnSync('id', [flag, 'postgres'], { encoding: 'utf8' }).stdout);
  const [uid, gid] = [id('-u'), id('-g')];
  if (!uid) throw new Trouble('PostgreSQL does not run as root, and there is no account “postgres” to run it as.');
  return { uid, gid };
}

/** Runs a program to its end as an account (undefined: this one) and returns what it printed. `input` is its standard input. */
export function runProgram(account, program, args, { cwd = '/', input = '', env = {} } = {}) {
  const locale = { LC_ALL: 'C.UTF-8' };
  const { status, stdout, stderr, error } = spawnSync(program, args, {
    cwd,
    input,
    encoding: 'utf8',
    timeout: 120_000,
    ...(account
      ? { ...account, env: { PATH: process.env.PATH, HOME: cwd, ...locale, ...env } }
      : { env: { ...process.env, USER: userInfo().username, ...locale, ...env } }),
  });
  if (status !== 0) throw new Trouble(`${program} failed: ${error?.message ?? ''}${stderr ?? ''}${stdout ?? ''}`);
  return stdout;
}

/** A child that ends when this script does; `done` resolves with its exit code. */
export function runChild(command, args, env, stdio = 'inherit') {
  const child = spawn(command, args, { cwd: root, stdio, env: { ...process.env, ...env } });
  const done = new Promise((resolve) => child.once('exit', (code, signal) => resolve(code ?? (signal ? 1 : 0))));
  return { child, done };
}
