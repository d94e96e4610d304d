import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';
import { say, Trouble } from './say.mjs';

export const root = fileURLToPath(new URL('../..', import.meta.url)).replace(/\/$/, '');

/** Installs the npm packages if the lock file has changed since they were last installed. */
export function needPackages() {
  const stamp = join(root, 'node_modules', '.tantamos-lock');
  const lock = hashOf([join(root, 'package-lock.json')]);
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lock) return;
  say('installing packages (npm ci) …');
  run('npm', ['ci', '--no-audit', '--no-fund'], 'The packages could not be installed');
  writeFileSync(stamp, lock);
}

/** Builds service, command line and console if a source has changed since the last build. */
export function needBuild() {
  const stamp = join(root, 'node_modules', '.tantamos-build');
  const sources = hashOf([
    ...filesUnder(join(root, 'packages')).filter((f) => !/\.test\.tsx?$/.test(f)),
    join(root, 'tsconfig.base.json'),
    join(root, 'package-lock.json'),
  ]);
  const built = [
    'packages/service/dist/main.js',
    'packages/cli/dist/program/tantamos.cjs',
    'packages/console/dist/index.html',
  ].every((f) => existsSync(join(root, f)));
  if (built && existsSync(stamp) && readFileSync(stamp, 'utf8') === sources) return;
  say('building …');
  run('npm', ['run', '--silent', 'build'], 'The build failed');
  writeFileSync(stamp, sources);
}

/**
 * Debian's PostgreSQL: the folder of its programs, installed first if missing. The packaged cluster is neither made,
 * touched nor started.
 */
export function needPostgres() {
  const found = postgresPrograms();
  if (found) return found;
  install('PostgreSQL', ['postgresql'], () => {
    mkdirSync('/etc/postgresql-common/createcluster.d', { recursive: true });
    const note = '/etc/postgresql-common/createcluster.d/no-main-cluster.conf';
    if (!existsSync(note)) writeFileSync(note, 'create_main_cluster = false\n');
  });
  return (
    postgresPrograms() ?? fail('PostgreSQL was installed, but its programs were not found in /usr/lib/postgresql.')
  );
}

/** Debian's Chromium, for browser tests and pictures. */
export function needChromium() {
  const path = '/usr/bin/chromium';
  if (!existsSync(path)) install('Chromium', ['chromium']);
  return path;
}

function postgresPrograms() {
  const home = '/usr/lib/postgresql';
  if (!existsSync(home)) return undefined;
  const versions = readdirSync(home).filter((v) => existsSync(join(home, v, 'bin', 'initdb')));
  versions.sort((a, b) => Number(b) - Number(a));
  return versions.length > 0 ? join(home, versions[0], 'bin') : undefined;
}

export function install(what, names, before = () => {}) {
  if (process.getuid() !== 0)
    throw new Trouble(
      `${what} is missing, and only root may install it.\nAsk for: apt-get install ${names.join(' ')}` +
        (what === 'PostgreSQL' ? '\nOr name a database to use: TANTAMOS_DATABASE_URL=postgres://…' : ''),
    );
  say(`installing ${what} (apt-get) …`);
  before();
  run('apt-get', ['update', '-qq'], `${what} could not be installed`);
  run('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...names], `${what} could not be installed`);
}

function run(command, args, trouble) {
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' };
  const { status, stdout, stderr, error } = spawnSync(command, args, {
    cwd: root,
    env,
    encoding: 'utf8',
    maxBuffer: 1 << 28,
  });
  if (status !== 0)
    fail(`${trouble}: ${command} ${args.join(' ')}\n${error?.message ?? ''}${(stdout + stderr).slice(-4000)}`);
}

function filesUnder(folder) {
  return readdirSync(folder, { withFileTypes: true }).flatMap((entry) => {
    if (entry.name === 'node_modules' || entry.name === 'dist' || entry.name.endsWith('.tsbuildinfo')) return [];
    const path = join(folder, entry.name);
    return entry.isDirectory() ? filesUnder(path) : statSync(path).isFile() ? [path] : [];
  });
}

function hashOf(files) {
  const hash = createHash('sha256');
  for (const file of files.sort()) hash.update(relative(root, file)).update('\0').update(readFileSync(file));
  return hash.digest('hex');
}

function fail(message) {
  throw new Trouble(message);
}
