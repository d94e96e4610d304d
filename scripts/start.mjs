// npm start: packages, PostgreSQL, build, an own cluster, the service. Stops what it started.
import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { createServer } from 'node:net';
import { parseArgs } from 'node:util';
import { dataFolder, needDatabase, runChild, startCluster } from './lib/cluster.mjs';
import { needBuild, needPackages, needPostgres, root } from './lib/packages.mjs';
import { main, Trouble } from './lib/say.mjs';

await main(async () => {
  const { port } = readArguments();
  await needPort(Number(port));
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
  const cluster = programs && (await startCluster(programs, dataFolder()));
  try {
    if (cluster) needDatabase(programs, cluster, 'meadowline');
    if (stopping) return;
    const service = join(root, 'packages/service/dist/main.js');
    const env = { TANTAMOS_DATABASE_URL: given ?? cluster.url('meadowline'), TANTAMOS_PORT: port };
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

function readArguments() {
  try {
    const { values } = parseArgs({ options: { port: { type: 'string' } } });
    const port = values.port ?? process.env.TANTAMOS_PORT ?? '7410';
    if (!/^\d{1,5}$/.test(port) || Number(port) > 65535) throw new Trouble(`“${port}” is no port.`);
    return { port };
  } catch (error) {
    if (error instanceof Trouble) throw error;
    throw new Trouble(`${error.message}\nUsage: npm start -- [--port 7410]`);
  }
}

/** Says so before anything is installed or started. The service itself makes sure once more. */
function needPort(port) {
  return new Promise((resolve, reject) => {
    const probe = createServer();
    probe.once('error', ({ code, message }) => {
      const taken = `Port ${port} is taken. Choose another: npm start -- --port ${port + 1}`;
      reject(new Trouble(code === 'EADDRINUSE' ? taken : `Port ${port} cannot be used: ${message}`));
    });
    probe.listen(port, '127.0.0.1', () => probe.close(resolve));
  });
}
