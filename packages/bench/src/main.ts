import { join } from 'node:path';
import { parseArgs } from 'node:util';
import Table from 'cli-table3';
import { Client } from 'pg';
import type { Figure } from './figure';
import { keptFigures } from './kept';
import { editFigures } from './edits';
import { functionFigures, functionTable } from './functions';
import { awaitedFigure, runFigures } from './runs';
import { adminUrl, startService, type Service } from './service';
import { inTurn, seconds } from './turns';
import { ruleFigures } from './rules';
import { fairFigures, type FairFigure } from './fair';
import { fileFigures } from './files';
import { foregroundFigures, type ForegroundFigures } from './foreground';
import { valuesFigures } from './values';
import { filter, handWhere, makeTable } from './tables';
import { runOf, settled } from './work';

const program = join(__dirname, '..', '..', 'service', 'dist', 'main.js');
/** Measures find, preview, run and undo against the same by hand, in one run. Prints a table and JSON; --json: JSON alone; --find: only what selecting takes; --run: only preview, run and undo; --kept: what journals weigh and cost; --edits: four edits whose values differ, beside the same by hand; --values: maps and values by key, as many as there are records; --files: values from a file, a tenth as many rows as there are records, beside COPY and a join by hand; --foreground: how long others wait for the update of one row beside a run; --rules: counting who breaks a rule; --functions: every function beside the same by hand (--only: one of them). */
async function bench(): Promise<void> {
  const { values } = parseArgs({
    options: {
      rows: { type: 'string', default: '1000000' },
      json: { type: 'boolean' },
      find: { type: 'boolean' },
      run: { type: 'boolean' },
      kept: { type: 'boolean' },
      functions: { type: 'boolean' },
      edits: { type: 'boolean' },
      values: { type: 'boolean' },
      files: { type: 'boolean' },
      rules: { type: 'boolean' },
      foreground: { type: 'boolean' },
      fair: { type: 'boolean' },
      rounds: { type: 'string', default: '5' },
      batch: { type: 'string' },
      only: { type: 'string' },
    },
  });
  if (values.fair) return fairOnly(Boolean(values.json));
  if (values.kept) return keptOnly(adminUrl());
  const rows = Number(values.rows);
  if (values.foreground)
    return foregroundOnly(adminUrl(), rows, Boolean(values.json), values.batch ? Number(values.batch) : null);
  if (values.edits) return editsOnly(adminUrl(), rows, Boolean(values.json));
  if (values.values) return valuesOnly(adminUrl(), rows, Boolean(values.json));
  if (values.files) return filesOnly(adminUrl(), rows, Boolean(values.json));
  if (values.rules) return rulesOnly(adminUrl(), rows, Boolean(values.json));
  if (values.functions) return functionsOnly(adminUrl(), rows, Boolean(values.json), values.only);
  const db = new Client({ connectionString: adminUrl() });
  await db.connect();
  // Before the service reads its catalog.
  say('making orders_two …');
  await makeTable(db, 'orders_two', values.run ? 1 : rows);
  await makeTable(db, 'orders_one', 1);
  const service = await startService(program);
  const figures: Figure[] = values.run ? [] : await findFigures(db, service, rows);
  const work = { db, rows, rounds: Number(values.rounds) };
  if (!values.find) figures.push(...(await runFigures(work, service, say)));
  await service.stop();
  // The lanes of a run are shared by all services of a database, so the one that waits for the disk has it to itself.
  if (!values.find) {
    const waiting = await startService(program, { TANTAMOS_AWAIT_COMMITS: 'yes' }, service);
    figures.push(await awaitedFigure(work, waiting, say));
    await waiting.stop();
  }
  await db.end();
  if (!values.json) process.stdout.write(`${tableOf(figures, rows)}\n`);
  process.stdout.write(`${JSON.stringify({ rows, figures }, null, 2)}\n`);
}

async function functionsOnly(url: string, rows: number, json: boolean, only?: string): Promise<void> {
  const db = new Client({ connectionString: url });
  await db.connect();
  const service = await startService(program);
  const taken = await functionFigures(db, service, rows, say, only).finally(async () => {
    await service.stop();
    await db.end();
  });
  if (!json) process.stdout.write(`${functionTable(taken, rows)}\n`);
  process.stdout.write(`${JSON.stringify({ rows, functions: taken }, null, 2)}\n`);
}

async function editsOnly(url: string, rows: number, json: boolean): Promise<void> {
  const db = new Client({ connectionString: url });
  await db.connect();
  const service = await startService(program);
  const taken = await editFigures(db, service, rows, { settled, runOf }, say).finally(async () => {
    await service.stop();
    await db.end();
  });
  const { changed, handTable, preview, plainUpdate, run } = taken;
  const figures: Figure[] = [
    { what: `four edits on ${changed.toLocaleString('en-US')}, by hand into a table`, value: handTable, unit: 's' },
    { what: 'preview', value: preview, unit: 's', beside: 'by hand', ratio: preview / handTable, wanted: '≤ 1.5' },
    { what: 'plain update from that table', value: plainUpdate, unit: 's' },
    { what: 'run, two lanes', value: run, unit: 's', beside: 'plain update', ratio: run / plainUpdate, wanted: '≤ 1' },
  ];
  if (!json) process.stdout.write(`${tableOf(figures, rows)}\n`);
  process.stdout.write(`${JSON.stringify({ rows, edits: taken }, null, 2)}\n`);
}

async function foregroundOnly(url: string, rows: number, json: boolean, batch: number | null): Promise<void> {
  const db = new Client({ connectionString: url });
  await db.connect();
  const service = await startService(program);
  const f = await foregroundFigures(db, url, service, rows, settled, say, batch).finally(async () => {
    await service.stop();
    await db.end();
  });
  const table = new Table({
    head: ['', 'without', 'beside a run', 'ratio', 'wanted'],
    style: { head: [], border: [] },
  });
  const line = (what: string, { without, beside }: ForegroundFigures['p99'], wanted: string): unknown =>
    table.push([what, `${without.toFixed(2)} ms`, `${beside.toFixed(2)} ms`, (beside / without).toFixed(2), wanted]);
  line(`update of one row, ${f.rate} a second: median`, f.median, '');
  line('99th percentile', f.p99, '≤ 1.5');
  table.push(['updates', f.updates.without, f.updates.beside, '', '']);
  table.push(['records a second of the run', '', Math.round(f.runRate).toLocaleString('en-US'), '', '']);
  if (!json) process.stdout.write(`${table.toString()}\n`);
  process.stdout.write(`${JSON.stringify({ rows, foreground: f }, null, 2)}\n`);
}

async function rulesOnly(url: string, rows: number, json: boolean): Promise<void> {
  const db = new Client({ connectionString: url });
  await db.connect();
  const service = await startService(program);
  const taken = await ruleFigures(db, service, rows, say).finally(async () => {
    await service.stop();
    await db.end();
  });
  const table = new Table({
    head: ['rule', 'break it', 'ms', 'by hand', 'ratio', 'wanted'],
    style: { head: [], border: [] },
  });
  for (const f of taken)
    table.push([
      f.rule,
      f.broken.toLocaleString('en-US'),
      f.ms.toFixed(0),
      f.handMs.toFixed(0),
      f.ratio.toFixed(2),
      '≤ 1.2',
    ]);
  if (!json) process.stdout.write(`${table.toString()}\n`);
  process.stdout.write(`${JSON.stringify({ rows, rules: taken }, null, 2)}\n`);
}

async function filesOnly(url: string, rows: number, json: boolean): Promise<void> {
  const db = new Client({ connectionString: url });
  await db.connect();
  const service = await startService(program);
  const f = await fileFigures(db, service, rows / 10, { settled }, say).finally(async () => {
    await service.stop();
    await db.end();
  });
  const whole = f.sent + f.planned + f.preview;
  const table = new Table({ head: ['', 'time', 'by hand = 1'], style: { head: [], border: [] } });
  const line = (what: string, time: number): unknown =>
    table.push([what, `${time.toFixed(2)} s`, (time / f.byHand).toFixed(2)]);
  line(`${f.rows} rows by hand: COPY, join into a table`, f.byHand);
  line('sent, read and kept', f.sent);
  line('each row accounted for', f.planned);
  line('previewed', f.preview);
  line('all three', whole);
  const megabytes = (bytes: number): string => `${Math.round(bytes / 1024 / 1024)} MB`;
  table.push(['memory of the service, before and after', `${megabytes(f.memoryBefore)}, ${megabytes(f.memory)}`, '']);
  if (!json) process.stdout.write(`${table.toString()}\n`);
  process.stdout.write(`${JSON.stringify({ rows, files: f }, null, 2)}\n`);
}

async function valuesOnly(url: string, rows: number, json: boolean): Promise<void> {
  const db = new Client({ connectionString: url });
  await db.connect();
  const service = await startService(program);
  const taken = await valuesFigures(db, service, rows, { settled }, say).finally(async () => {
    await service.stop();
    await db.end();
  });
  const table = new Table({ head: ['', 'values', 'kept', 'preview', 'µs a value'], style: { head: [], border: [] } });
  for (const { what, values, kept, preview } of taken) {
    const each = ((kept + preview) * 1e6) / values;
    table.push([
      what,
      values.toLocaleString('en-US'),
      `${kept.toFixed(1)} s`,
      `${preview.toFixed(1)} s`,
      each.toFixed(1),
    ]);
  }
  if (!json) process.stdout.write(`${table.toString()}\n`);
  process.stdout.write(`${JSON.stringify({ rows, values: taken }, null, 2)}\n`);
}

async function keptOnly(url: string): Promise<void> {
  const db = new Client({ connectionString: url });
  await db.connect();
  await makeTable(db, 'orders_kept', 100);
  const service = await startService(program);
  const { kept, drop } = await keptFigures(db, service);
  await service.stop();
  await db.end();
  const table = new Table({ head: ['kept', 'size', 'a claim'], style: { head: [], border: [] } });
  for (const k of kept) table.push([k.what, `${(k.bytes / 1e6).toFixed(1)} MB`, `${k.claim.toFixed(2)} ms`]);
  process.stdout.write(`${table.toString()}\n`);
  process.stdout.write(`${JSON.stringify({ kept, dropSeconds: drop }, null, 2)}\n`);
}

/** On the demo's data, which the service loads into an empty database. */
async function fairOnly(json: boolean): Promise<void> {
  const service = await startService(program);
  const figures = await fairFigures(service).finally(() => service.stop());
  if (json) return void process.stdout.write(`${JSON.stringify(figures, null, 2)}\n`);
  const table = new Table({ head: ['ten filters of', 'health', 'a simple search'], style: { head: [], border: [] } });
  const shown = ({ median, worst, n }: FairFigure['health']): string =>
    `median ${median.toFixed(0)} ms, worst ${worst.toFixed(0)} ms (${n})`;
  for (const f of figures) table.push([f.filter, shown(f.health), shown(f.search)]);
  process.stdout.write(`${table.toString()}\n`);
}

/** Some forty records, spread over the table. */
const rare = "note = 'note 7' AND amount >= 8000 AND code LIKE '%07'";
/** A filter over most of the table, so that counting it is work. */
const wide = 'amount >= 1000';

async function findFigures(db: Client, { client, peakMemory }: Service, rows: number): Promise<Figure[]> {
  say('find …');
  const columns = 'id, code, status, region, owner, amount, placed_on, note';
  const beside = (what: string, [ours, hand]: readonly [number, number]): Figure => ({
    what,
    value: ours,
    unit: 'ms',
    beside: `${hand.toFixed(1)} ms by hand`,
    ratio: ours / hand,
    wanted: '≤ 1.2',
  });
  const [bare] = await inTurn(
    () => client.health(),
    () => db.query('select 1'),
  );
  const figures: Figure[] = [
    { what: 'an empty question over HTTP, for comparison', value: bare, unit: 'ms' },
    beside(
      'find: first page, by key (found at once)',
      await inTurn(
        () => client.search('orders_two', { filter, limit: 50 }),
        () => db.query(`select ${columns} from orders_two where ${handWhere} order by id limit 51`),
      ),
    ),
    beside(
      'find: first page, by amount',
      await inTurn(
        () => client.search('orders_two', { filter, sort: ['-amount'], limit: 50 }),
        () => db.query(`select ${columns} from orders_two where ${handWhere} order by amount desc, id desc limit 51`),
      ),
    ),
    beside(
      'find: first page of what few records have',
      await inTurn(
        () => client.search('orders_two', { filter: rare, limit: 50 }),
        () => db.query(`select ${columns} from orders_two where ${rare} order by id limit 51`),
      ),
    ),
    beside(
      'find: exact count',
      await inTurn(
        () => client.search('orders_two', { filter, limit: 0, count: 'exact' }),
        () => db.query(`select count(*) from orders_two where ${handWhere}`),
      ),
    ),
  ];
  say('values …');
  const fields = ['status', 'region', 'owner'];
  figures.push(
    beside(
      'values of three fields at once',
      await inTurn(
        () => client.values('orders_two', { filter: wide, fields, most: 100 }),
        async () => {
          for (const f of fields)
            await db.query(`select ${f}, count(*) from orders_two where ${wide} group by 1 order by 2 desc limit 100`);
        },
      ),
    ),
    beside(
      'two fields crossed',
      await inTurn(
        () => client.cross('orders_two', { filter: wide, rows: 'status', columns: 'region' }),
        () => db.query(`select status, region, count(*) from orders_two where ${wide} group by 1, 2`),
      ),
    ),
  );
  say('export …');
  for (const format of ['csv', 'jsonl', 'xlsx'] as const) {
    if (format === 'xlsx' && rows > 1_048_575) continue;
    const taken = await seconds(async () => {
      let bytes = 0;
      const { bytes: stream } = await client.files.exportRecords('orders_two', { format });
      for await (const piece of stream as unknown as AsyncIterable<Uint8Array>) bytes += piece.length;
      return bytes;
    });
    figures.push({
      what: `export of all as ${format}`,
      value: taken.seconds,
      unit: 's',
      beside: `${(taken.result / 1e6).toFixed(0)} MB`,
    });
  }
  figures.push({
    what: 'peak memory of the service by then',
    value: peakMemory() / 1e6,
    unit: 'MB',
    wanted: '< 250 MB',
  });
  say('a pasted list …');
  const text = Array.from({ length: 50_000 }, (_, i) => `O-${String(i * 23).padStart(8, '0')}`).join('\n');
  const pasted = await seconds(() => client.paste({ text, targets: [{ type: 'orders_two', fields: ['code'] }] }));
  figures.push({
    what: 'a pasted list of 50,000',
    value: pasted.seconds,
    unit: 's',
    beside: `${pasted.result.found} found`,
    wanted: '1–2 s',
  });
  return figures;
}

function tableOf(figures: readonly Figure[], rows: number): string {
  const table = new Table({
    head: [`${rows.toLocaleString('en-US')} rows`, 'figure', 'beside', 'ratio', 'wanted'],
    style: { head: [], border: [] },
  });
  for (const f of figures)
    table.push([
      f.what,
      `${f.value.toFixed(f.unit === 's' ? 2 : 1)} ${f.unit}`,
      f.beside ?? '',
      f.ratio === undefined ? '' : f.ratio.toFixed(2),
      f.wanted ?? '',
    ]);
  return table.toString();
}

function say(text: string): void {
  process.stderr.write(`  ${text}\n`);
}

bench().catch((error: unknown) => {
  process.stderr.write(`${(error as Error).stack}\n`);
  // Not only the exit code: an open connection would keep the process alive.
  process.exit(1);
});
