// npm start: packages, PostgreSQL, build, an own cluster, the service. Stops what it started.
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { dataFolder, needDatabase, runChild, startCluster } from './lib/cluster.mjs';
import { needBuild, needPackages, needPostgres, root } from './lib/packages.mjs';
import { main, Trouble } from './lib/say.mjs';

await main(async () => {
  const { port } = readArguments();
  needPackages();
  const given = process.env.TANTAMOS_DATABASE_URL;
  const programs = given ? undefined : needPostgres();
  needBuild();
  let stopping = false;
  let child;
  for (const signal of ['SIGINT', 'SIGTERM'])
    process.on(signal, () => {
      stopping = true;
      child?.kill(signal);
    });
  const cluster = programs && (await startCluster(programs, dataFolder()));
  try {
    if (cluster) needDatabase(programs, cluster, 'meadowline');
    if (stopping) return;
    const service = join(root, 'packages/service/dist/main.js');
    const env = { TANTAMOS_DATABASE_URL: given ?? cluster.url('meadowline'), TANTAMOS_PORT: port };
    const run = runChild(process.execPath, [service], env);
    child = run.child;
    process.exitCode = await run.done;
  } finally {
    cluster?.stop();
  }
});

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
