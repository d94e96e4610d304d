// npm run bench -- --rows 1000000 [--json]: the figures of the guide, measured on this machine in one run.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { needDatabase, runChild, startCluster } from './lib/cluster.mjs';
import { needBuild, needPackages, needPostgres, root } from './lib/packages.mjs';
import { main } from './lib/say.mjs';

await main(async () => {
  needPackages();
  const programs = needPostgres();
  needBuild();
  // A cluster of its own with durable commits; nothing of the demo is touched.
  const folder = mkdtempSync(join(tmpdir(), 'tantamos-bench-'));
  const cluster = await startCluster(programs, folder);
  let child;
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child?.kill(signal));
  try {
    needDatabase(programs, cluster, 'bench');
    const run = runChild(
      process.execPath,
      [join(root, 'packages/bench/dist/main.js'), '--url', cluster.url('bench'), ...process.argv.slice(2)],
      {},
    );
    child = run.child;
    process.exitCode = await run.done;
  } finally {
    cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  }
});
