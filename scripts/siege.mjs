// npm run siege -- --seconds 60: hostile requests one by one and all at once, and how long an ordinary person waits meanwhile.
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
  const folder = mkdtempSync(join(tmpdir(), 'tantamos-siege-'));
  const cluster = await startCluster(programs, folder, { throwaway: true });
  let child;
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child?.kill(signal));
  try {
    needDatabase(programs, cluster, 'siege');
    const args = process.argv.slice(2).filter((a) => a !== '--built');
    const program = join(root, 'packages/bench/dist/siege/main.js');
    const run = runChild(process.execPath, [program, '--url', cluster.url('siege'), ...args], {});
    child = run.child;
    process.exitCode = await run.done;
  } finally {
    cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  }
});
