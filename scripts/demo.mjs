// npm run demo -- --size 10: fresh demo data, so many times as much, in this checkout's own cluster or a given database.
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { roles } from './lib/cluster-access.mjs';
import { dataFolder, startCluster } from './lib/cluster.mjs';
import { needBuild, needPackages, needPostgres, root } from './lib/packages.mjs';
import { runChild } from './lib/processes.mjs';
import { main, say, Trouble } from './lib/say.mjs';

await main(async () => {
  const { values } = parseArgs({ options: { size: { type: 'string', default: '1' } } });
  const size = Number(values.size);
  if (!Number.isInteger(size) || size < 1 || size > 100)
    throw new Trouble(`--size is a whole number from 1 to 100, not “${values.size}”.`);
  needPackages();
  const given = process.env.TANTAMOS_DATABASE_URL;
  const programs = given ? undefined : needPostgres();
  needBuild();
  const cluster = programs && (await startCluster(programs, dataFolder()));
  try {
    if (cluster) {
      say('dropping the demo database of this checkout …');
      cluster.dropDatabase('meadowline');
      cluster.needDatabase('meadowline');
    }
    const program = join(root, 'packages/demo/dist/main.js');
    const env = { TANTAMOS_DATABASE_URL: given ?? cluster.url('meadowline', roles.owner) };
    process.exitCode = await runChild(process.execPath, [program, String(size)], env).done;
    if (process.exitCode === 0) say('start it with: npm start');
  } finally {
    cluster?.stop();
  }
});
