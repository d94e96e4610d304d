import type { Client } from 'pg';
import type { PreviewView } from '@tantamos/contract';
import type { Figure } from './figure';
import type { Service } from './service';
import { bytesKept, filter, handWhere, makeTable, withAudit } from './tables';
import { median, seconds } from './turns';
import { runOf, settled } from './work';

const set = `status = 'held', region = coalesce(nullif(region, ''), 'south')`;
const loopRows = 20_000;

export interface Work {
  readonly db: Client;
  readonly rows: number;
  /** How often each is measured, in turn. */
  readonly rounds: number;
}

/** Times of one round, in seconds. */
interface Round {
  readonly plain: number;
  /** The same once more, right before the run in one lane. */
  readonly plainAgain: number;
  readonly audit: number;
  readonly preview: number;
  readonly two: number;
  readonly undoPreview: number;
  readonly undo: number;
  readonly one: number;
}

/**
 * Preview, run and undo beside the same by hand. A machine's speed changes from one minute to the next, so everything is done
 * once a round, each run right after a plain update, and a ratio is the median of those that the rounds have by themselves.
 */
export async function runFigures(
  { db, rows, rounds }: Work,
  service: Service,
  say: (text: string) => void,
): Promise<Figure[]> {
  const times: Round[] = [];
  let [changed, kept, auditBytes] = [0, 0, 0];
  for (let n = 1; n <= rounds; n++) {
    say(`round ${n}: update with an audit trigger …`);
    await makeTable(db, 'orders_audit', rows);
    await withAudit(db, 'orders_audit');
    await db.query('checkpoint');
    const audit = await seconds(() => db.query(`update orders_audit set ${set} where ${handWhere}`));
    auditBytes = Number((await db.query(`select pg_total_relation_size('orders_audit_audit') as n`)).rows[0].n);
    say(`round ${n}: plain update …`);
    const plain = await byHand(db, rows);
    changed = plain.result;
    say(`round ${n}: preview, run in two lanes, and undo …`);
    await makeTable(db, 'orders_two', rows);
    const before = await bytesKept(db);
    const preview = await seconds(() => previewOf(service, 'orders_two', 2));
    await db.query('checkpoint');
    const two = await runOf(service, preview.result);
    kept = (await bytesKept(db)) - before;
    await db.query('checkpoint');
    const undoPreview = await seconds(async () => settled(service, await service.client.undoRun(two.run.id, {})));
    const undo = await runOf(service, undoPreview.result);
    say(`round ${n}: plain update, and run in one lane …`);
    const plainAgain = await byHand(db, rows);
    await makeTable(db, 'orders_one', rows);
    const single = await previewOf(service, 'orders_one', 1);
    await db.query('checkpoint');
    const one = await runOf(service, single);
    for (const { run } of [two, undo, one])
      if (run.totals.changed !== changed)
        throw new Error(`Run ${run.id} changed ${run.totals.changed}, the plain update ${changed}.`);
    times.push({
      plain: plain.seconds,
      plainAgain: plainAgain.seconds,
      audit: audit.seconds,
      preview: preview.seconds,
      two: two.seconds,
      undoPreview: undoPreview.seconds,
      undo: undo.seconds,
      one: one.seconds,
    });
  }
  say('loop of single updates …');
  const loop = await loopOf(db, rows);
  const loopTime = (loop.seconds * changed) / loop.updates;
  const among = (what: string, of: (t: Round) => number, more: Partial<Figure> = {}): Figure =>
    figure(what, times, of, more);
  const job = (t: Round): number => t.preview + t.two;
  const undone = (t: Round): number => t.undoPreview + t.undo;
  const beside = (words: string, of: (t: Round) => number): Partial<Figure> => ({
    beside: words,
    ratio: median(times.map(of)),
  });
  return [
    among(`(a) plain update of ${changed.toLocaleString('en-US')}`, (t) => t.plain),
    among('(b) the same with an audit trigger', (t) => t.audit),
    {
      what: `(c) loop of single updates (${loop.updates.toLocaleString('en-US')} measured, times ${(changed / loop.updates).toFixed(1)})`,
      value: loopTime,
      unit: 's',
      beside: '(a)',
      ratio: loopTime / median(times.map((t) => t.plain)),
    },
    among('preview', (t) => t.preview, { wanted: '≤ 0.6' }),
    among('run, two lanes, batches as usual', (t) => t.two, { wanted: '≤ 0.8' }),
    among('run, one lane', (t) => t.one, { ...beside('(a)', (t) => t.one / t.plainAgain), wanted: '≤ 1.2' }),
    among('preview and run together, beside (b)', job, { ...beside('(b)', (t) => job(t) / t.audit), wanted: '≤ 0.5' }),
    among('undo: preview', (t) => t.undoPreview),
    among('undo: run, two lanes', (t) => t.undo),
    among('undo, preview and run, beside the job', undone, {
      ...beside('the job', (t) => undone(t) / job(t)),
      wanted: '≤ 1.1',
    }),
    { what: 'bytes kept by (b)', value: auditBytes / 1e6, unit: 'MB' },
    {
      what: 'bytes kept by preview and run',
      value: kept / 1e6,
      unit: 'MB',
      beside: '(b)',
      ratio: kept / auditBytes,
      wanted: '≤ 0.05',
    },
    { what: 'peak memory of the service', value: service.peakMemory() / 1e6, unit: 'MB', wanted: '< 150 MB' },
  ];
}

/** The run in two lanes by a service whose commits wait for the disk, beside a plain update of the same round. */
export async function awaitedFigure(
  { db, rows, rounds }: Work,
  waiting: Service,
  say: (text: string) => void,
): Promise<Figure> {
  const times: { plain: number; two: number }[] = [];
  for (let n = 1; n <= rounds; n++) {
    say(`round ${n}: plain update, and run with its commits awaited …`);
    const plain = await byHand(db, rows);
    await makeTable(db, 'orders_two', rows);
    const p = await previewOf(waiting, 'orders_two', 2);
    await db.query('checkpoint');
    times.push({ plain: plain.seconds, two: (await runOf(waiting, p)).seconds });
  }
  return figure('run, two lanes, its commits awaited', times, (t) => t.two);
}

function figure<R extends { plain: number }>(
  what: string,
  times: readonly R[],
  of: (t: R) => number,
  more: Partial<Figure> = {},
): Figure {
  const all = times.map(of);
  const spread = `${Math.min(...all).toFixed(2)}–${Math.max(...all).toFixed(2)}`;
  return {
    what: `${what} (${spread})`,
    value: median(all),
    unit: 's',
    beside: '(a)',
    ratio: median(times.map((t) => of(t) / t.plain)),
    ...more,
  };
}

/** How long one plain update takes, and how many rows it changed. */
async function byHand(db: Client, rows: number): Promise<{ seconds: number; result: number }> {
  await makeTable(db, 'orders_plain', rows);
  return seconds(async () => (await db.query(`update orders_plain set ${set} where ${handWhere}`)).rowCount!);
}

/** How long single updates take one after another, in seconds. */
async function loopOf(db: Client, rows: number): Promise<{ seconds: number; updates: number }> {
  await makeTable(db, 'orders_plain', rows);
  const keys = await db.query<{ id: number }>(
    `select id from orders_plain where ${handWhere} order by id limit ${loopRows}`,
  );
  const loop = await seconds(async () => {
    for (const { id } of keys.rows) await db.query(`update orders_plain set ${set} where id = $1`, [id]);
  });
  return { seconds: loop.seconds, updates: keys.rows.length };
}

async function previewOf(service: Service, type: string, atOnce: number): Promise<PreviewView> {
  const edits = [
    { kind: 'set' as const, field: 'status', value: 'held' },
    { kind: 'fill' as const, field: 'region', value: 'south' },
  ];
  return settled(
    service,
    await service.client.makePreview({ selection: { type, filter }, edits, safety: { atOnce, pace: 100 } }),
  );
}
