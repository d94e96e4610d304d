// npm start: packages, PostgreSQL, build, an own cluster, the service. Stops what it started.
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createServer } from 'node:net';
import { parseArgs } from 'node:util';
import { roles } from './lib/cluster-access.mjs';
import { dataFolder, startCluster } from './lib/cluster.mjs';
import { needBuild, needPackages, needPostgres, root } from './lib/packages.mjs';
import { runChild } from './lib/processes.mjs';
import { main, say, Trouble } from './lib/say.mjs';

await main(async () => {
  const { port, databasePort } = readArguments();
  await needPort(Number(port), 'port');
  if (databasePort) await needPort(Number(databasePort), 'database-port');
  needPackages();
  const given = process.env.TANTAMOS_DATABASE_URL;
  const programs = given ? undefined : needPostgres();
  needBuild();
  let stopping = false;
  let child;
  const stop = (signal) => {
    stopping = true;
    child?.kill(signal);
  };
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => stop(signal));
  // npm passes a signal to the shell between us, which ends without passing it on: then we have another parent.
  const parent = process.ppid;
  setInterval(() => process.ppid !== parent && stop('SIGTERM'), 500).unref();
  const cluster = programs && (await startCluster(programs, dataFolder(), { tcpPort: databasePort }));
  try {
    if (cluster) cluster.needDatabase('meadowline');
    if (databasePort) sayDatabase(cluster, databasePort);
    if (stopping) return;
    const service = join(root, 'packages/service/dist/main.js');
    const env = { ...cluster?.serviceEnvironment('meadowline'), TANTAMOS_PORT: port };
    leaveWord(port);
    const run = runChild(process.execPath, [service], env, ['inherit', 'inherit', 'inherit', 'ipc']);
    child = run.child;
    process.exitCode = await run.done;
  } finally {
    cluster?.stop();
  }
});

/** For the command line of this checkout: where the service is. */
function leaveWord(port) {
  const folder = join(root, 'node_modules/.cache/tantamos');
  mkdirSync(folder, { recursive: true });
  writeFileSync(join(folder, 'service.json'), JSON.stringify({ url: `http://127.0.0.1:${port}` }));
}

/** How somebody at this machine reaches the records themselves. */
function sayDatabase({ passwordFile }, port) {
  say(`the database: PGPASSFILE=${passwordFile} psql -h 127.0.0.1 -p ${port} -U ${roles.owner} meadowline`);
}

const usage = 'Usage: npm start -- [--port 7410] [--database-port 5433]';

function readArguments() {
  try {
    const { values } = parseArgs({ options: { port: { type: 'string' }, 'database-port': { type: 'string' } } });
    const port = portIn(values.port ?? process.env.TANTAMOS_PORT ?? '7410');
    const given = values['database-port'];
    if (given !== undefined && process.env.TANTAMOS_DATABASE_URL)
      throw new Trouble(
        '--database-port is for the database that npm start creates; TANTAMOS_DATABASE_URL names yours.',
      );
    return { port, databasePort: given && portIn(given) };
  } catch (error) {
    if (error instanceof Trouble) throw error;
    throw new Trouble(`${error.message}\n${usage}`);
  }
}

function portIn(text) {
  if (!/^\d{1,5}$/.test(text) || Number(text) > 65535) throw new Trouble(`“${text}” is not a port.\n${usage}`);
  return text;
}

/** Checked before anything is installed or started. The service itself checks again. */
function needPort(port, option) {
  return new Promise((resolve, reject) => {
    const probe = createServer();
    probe.once('error', ({ code, message }) => {
      const taken = `Port ${port} is taken. Choose another: npm start -- --${option} ${port + 1}`;
      reject(new Trouble(code === 'EADDRINUSE' ? taken : `Port ${port} cannot be used: ${message}`));
    });
    probe.listen(port, '127.0.0.1', () => probe.close(resolve));
  });
}
