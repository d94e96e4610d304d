// npm test: packages, PostgreSQL, Chromium, build, a throwaway cluster with the demo data in a template, then Jest.
import { spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { roles } from './lib/cluster-access.mjs';
import { needBuild, needChromium, needPackages, needPostgres, root } from './lib/packages.mjs';
import { runChild } from './lib/processes.mjs';
import { main, Trouble } from './lib/say.mjs';
import { withTemporaryCluster } from './lib/temporary-cluster.mjs';

await main(async () => {
  needPackages();
  needPostgres();
  const chromium = needChromium();
  needBuild();
  await withTemporaryCluster('test', { throwaway: true }, async (cluster, folder, childOf) => {
    for (const name of ['meadowline_template', 'blank_template']) cluster.needDatabase(name);
    const load = spawnSync(process.execPath, [join(root, 'packages/demo/dist/main.js'), '1'], {
      env: { ...process.env, TANTAMOS_DATABASE_URL: cluster.url('meadowline_template', roles.owner) },
      stdio: ['ignore', 'inherit', 'pipe'],
    });
    if (load.status !== 0) throw new Trouble(`The demo data could not be loaded.\n${load.stderr}`);
    // Tests that only read share one copy: a template somebody is connected to cannot be copied.
    cluster.needDatabase('meadowline_read', 'meadowline_template');
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
      const code = await childOf(run);
      process.exitCode ||= code;
      reports.push(report);
    }
    sayCounts(reports);
  });
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
