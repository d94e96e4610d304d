// npm run unblock -- [login or address]: forgets wrong passwords, for whoever owns this machine and cannot sign in.
import { join } from 'node:path';
import { dataFolder, runningAddress } from './lib/cluster.mjs';
import { needBuild, needPackages, root } from './lib/packages.mjs';
import { runChild } from './lib/processes.mjs';
import { main, Trouble } from './lib/say.mjs';

await main(async () => {
  const url = process.env.TANTAMOS_DATABASE_URL ?? runningAddress(dataFolder(), 'meadowline');
  if (!url)
    throw new Trouble(
      'Nothing is started here. Start it with npm start, or name a database: TANTAMOS_DATABASE_URL=postgres://…',
    );
  needPackages();
  needBuild();
  const program = join(root, 'packages/service/dist/unblock.js');
  const run = runChild(process.execPath, [program, ...process.argv.slice(2)], { TANTAMOS_DATABASE_URL: url });
  process.exitCode = await run.done;
});
