// npm test: packages, PostgreSQL, Chromium, build, a throwaway cluster with the demo data in a template, then Jest.
import { spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { needDatabase, runChild, startCluster } from './lib/cluster.mjs';
import { needBuild, needChromium, needPackages, needPostgres, root } from './lib/packages.mjs';
import { main, Trouble } from './lib/say.mjs';

await main(async () => {
  needPackages();
  const programs = needPostgres();
  const chromium = needChromium();
  needBuild();
  const folder = mkdtempSync(join(tmpdir(), 'tantamos-test-'));
  const cluster = await startCluster(programs, folder, { throwaway: true });
  let child;
  for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child?.kill(signal));
  try {
    needDatabase(programs, cluster, 'meadowline_template');
    const load = [join(root, 'packages/demo/dist/main.js'), cluster.url('meadowline_template'), '1'];
    if (spawnSync(process.execPath, load, { stdio: ['ignore', 'inherit', 'pipe'] }).status !== 0)
      throw new Trouble('The demo data could not be loaded.');
    // Tests that only read share one copy: a template somebody is connected to cannot be copied.
    needDatabase(programs, cluster, 'meadowline_read', 'meadowline_template');
    const env = {
      TANTAMOS_TEST_SERVER: cluster.url(''),
      TANTAMOS_CHROMIUM: chromium,
      NODE_OPTIONS: '--disable-warning=DEP0205',
    };
    // Properties are tried on the same values each time; another seed is for who looks for more.
    const seed = `--seed=${process.env.TANTAMOS_SEED ?? 1}`;
    const given = process.argv.slice(2);
    // What kills and crashes on purpose goes last and alone: beside it, others would be slow.
    const rounds =
      given.length > 0
        ? [given]
        : [
            ['--testPathIgnorePatterns', 'chaos|siege|fuzz'],
            ['--runInBand', '--testPathPatterns', 'chaos|siege|fuzz'],
          ];
    const reports = [];
    for (const [i, round] of rounds.entries()) {
      const report = join(folder, `report-${i}.json`);
      const jest = join(root, 'node_modules/jest/bin/jest.js');
      const run = runChild(process.execPath, [jest, seed, '--json', `--outputFile=${report}`, ...round], env, [
        'ignore',
        'ignore',
        'inherit',
      ]);
      child = run.child;
      const code = await run.done;
      process.exitCode ||= code;
      reports.push(report);
    }
    sayCounts(reports);
  } finally {
    cluster.stop();
    rmSync(folder, { recursive: true, force: true });
  }
});

/** The closing line: how many passed and failed. */
function sayCounts(reports) {
  const all = reports.map((report) => JSON.parse(readFileSync(report, 'utf8')));
  const sum = (count) => all.reduce((n, report) => n + report[count], 0);
  const skipped = sum('numPendingTests');
  process.stdout.write(
    `${sum('numPassedTests')} passed, ${sum('numFailedTests')} failed${skipped > 0 ? `, ${skipped} skipped` : ''}\n`,
  );
}
