import { join } from 'node:path';
import { parseArgs } from 'node:util';
import Table from 'cli-table3';
import { Pool } from 'pg';
import { adminUrl, startService } from '../service';
import { fuzz, type Found } from './fuzz';

const program = join(__dirname, '..', '..', '..', 'service', 'dist', 'main.js');

/** --requests N from --seed N, in so many --lanes; ends with 1 where anything was wrong. */
async function main(): Promise<void> {
  const { values } = parseArgs({
    options: {
      requests: { type: 'string', default: '3000' },
      seed: { type: 'string', default: '1' },
      lanes: { type: 'string', default: '4' },
      json: { type: 'boolean' },
    },
  });
  const service = await startService(program);
  const db = new Pool({ connectionString: adminUrl(), max: 2 });
  try {
    const from = Date.now();
    const found = await fuzz({
      base: service.base,
      db,
      requests: Number(values.requests),
      seed: Number(values.seed),
      lanes: Number(values.lanes),
    });
    if (values.json) process.stdout.write(JSON.stringify(found));
    else print(found, Date.now() - from);
    process.exitCode = found.wrong.length > 0 ? 1 : 0;
  } finally {
    await db.end();
    await service.stop();
  }
}

function print({ requests, answers, slowest, wrong }: Found, ms: number): void {
  const table = new Table({
    head: ['operation', '2xx', '400', '401', '403', '404', 'other 4xx', '5xx'],
    style: { head: [], border: [] },
    colAligns: ['left', ...Array.from({ length: 7 }, () => 'right' as const)],
  });
  for (const [id, counts] of Object.entries(answers)) {
    const sum = (fits: (status: number) => boolean): number =>
      Object.entries(counts).reduce((n, [status, count]) => n + (fits(Number(status)) ? count : 0), 0);
    const known = [400, 401, 403, 404];
    table.push([
      id,
      sum((s) => s >= 200 && s < 300),
      ...known.map((k) => sum((s) => s === k)),
      sum((s) => s > 400 && s < 500 && !known.includes(s)),
      sum((s) => s >= 500 || s === 0),
    ]);
  }
  process.stdout.write(`${table.toString()}\n`);
  for (const said of wrong) process.stdout.write(`  ${said}\n`);
  const seconds = (ms / 1000).toFixed(0);
  process.stdout.write(
    `${requests.toLocaleString('en-US')} requests in ${seconds} s, ${wrong.length} wrong; the slowest took ${Math.round(slowest.ms)} ms: ${slowest.what.slice(0, 200)}\n`,
  );
}

main().catch((error: unknown) => {
  process.stderr.write(`${error instanceof Error ? error.stack : String(error)}\n`);
  process.exitCode = 1;
});
