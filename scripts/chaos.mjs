// npm run chaos -- --minutes 1: runs among kills, crashes, cut connections and people at work, held against an audit.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { needDatabase, runChild, startCluster } from './lib/cluster.mjs';
import { needBuild, needPackages, needPostgres, root } from './lib/packages.mjs';
import { main } from './lib/say.mjs';

await main(async () => {
  needPackages();
  const programs = needPostgres();
  if (!process.argv.includes('--built')) needBuild();
  // A cluster of its own, which is crashed on purpose; with durable commits, since what they promise is tried.
  const folder = mkdtempSync(join(tmpdir(), 'tantamos-chaos-'));
  const cluster = await startCluster(programs, folder);
  let child;
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child?.kill(signal));
  try {
    needDatabase(programs, cluster, 'chaos');
    const args = process.argv.slice(2).filter((a) => a !== '--built');
    const run = runChild(
      process.execPath,
      [join(root, 'packages/bench/dist/chaos/main.js'), '--url', cluster.url('chaos'), ...args],
      {},
    );
    child = run.child;
    process.exitCode = await run.done;
  } finally {
    cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  }
});
