import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { startCluster } from './cluster.mjs';
import { needBuild, needPackages, needPostgres, root } from './packages.mjs';
import { runChild } from './processes.mjs';

/** Starts a cluster in a temporary folder, does `work(cluster, folder, childOf)` and removes both. `childOf(run)` ends that child with this script. */
export async function withTemporaryCluster(name, options, work) {
  const folder = mkdtempSync(join(tmpdir(), `tantamos-${name}-`));
  let cluster;
  let child;
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child?.kill(signal));
  const childOf = (run) => {
    child = run.child;
    return run.done;
  };
  try {
    cluster = await startCluster(needPostgres(), folder, options);
    return await work(cluster, folder, childOf);
  } finally {
    cluster?.stop();
    rmSync(folder, { recursive: true, force: true });
  }
}

/**
 * Runs a program of `packages/bench` on a cluster of its own. It finds the address for its own statements (a superuser's) in
 * TANTAMOS_ADMIN_URL; the services that it starts have the usual two roles. `--built`: it has been built already.
 */
export async function runOnTemporaryCluster(name, program, options = {}) {
  needPackages();
  if (!process.argv.includes('--built')) needBuild();
  process.exitCode = await withTemporaryCluster(name, options, (cluster, _folder, childOf) => {
    cluster.needDatabase(name);
    const args = process.argv.slice(2).filter((a) => a !== '--built');
    const env = { ...cluster.serviceEnvironment(name), TANTAMOS_ADMIN_URL: cluster.url(name) };
    return childOf(runChild(process.execPath, [join(root, 'packages/bench/dist', program), ...args], env));
  });
}
