import { Client } from 'pg';
import type { PreviewView } from '@tantamos/contract';
import { makeTable } from './tables';
import type { Service } from './service';

export interface ForegroundFigures {
  /** Updates a second. */
  readonly rate: number;
  readonly windows: number;
  readonly updates: { readonly without: number; readonly beside: number };
  /** ms. */
  readonly median: { readonly without: number; readonly beside: number };
  readonly p99: { readonly without: number; readonly beside: number };
  /** Records that the run did in a second while it worked. */
  readonly runRate: number;
}

const rate = 100;
const windowMs = 30_000;
const windows = 4;
/** What a run does when it begins or ends is not what it does while it works: others write then too, but are not counted. */
const settling = 2000;

/**
 * How long others wait for the update of one row while a run works whose pace nobody has said, and while it is paused: windows of
 * both kinds in turn, updates at a fixed rate, each counted from when it was due.
 */
export async function foregroundFigures(
  db: Client,
  url: string,
  service: Service,
  rows: number,
  settled: (service: Service, preview: PreviewView) => Promise<PreviewView>,
  say: (text: string) => void,
  batchSize: number | null = null,
): Promise<ForegroundFigures> {
  say('making orders_busy …');
  await makeTable(db, 'orders_busy', rows);
  await db.query('create table orders_desk (id integer primary key, note text, touched timestamptz)');
  await db.query(`insert into orders_desk select n, 'desk ' || n, now() from generate_series(1, 10000) n`);
  const other = new Client({ connectionString: url });
  await other.connect();
  const { client } = service;
  const p = await settled(
    service,
    await client.makePreview({
      selection: { type: 'orders_busy', filter: "status <> 'closed'" },
      edits: [{ kind: 'set', field: 'note', value: 'busy' }],
      ...(batchSize === null ? {} : { safety: { batchSize } }),
    }),
  );
  const { id } = await client.startRun({ preview: p.id, askAfter: null, expect: p.totals.will_change });
  const taken = { without: [] as number[], beside: [] as number[] };
  let worked = 0;
  let done = 0;
  for (let n = 0; n < 2 * windows; n++) {
    const kind = n % 2 === 0 ? 'beside' : 'without';
    if (n > 0) await (kind === 'beside' ? client.continueRun(id) : client.pauseRun(id));
    await updatesFor(other, settling);
    const before = (await client.run(id)).totals;
    taken[kind].push(...(await updatesFor(other, windowMs)));
    const { totals, state } = await client.run(id);
    if (kind === 'beside') {
      worked += windowMs;
      done += totals.changed - before.changed;
      if (state !== 'running') throw new Error(`The run was ${state} before the windows were over; take more rows.`);
    }
    say(`window ${n + 1} of ${2 * windows}: ${kind}, ${totals.changed.toLocaleString('en-US')} changed so far`);
  }
  await client.stopRun(id);
  await other.end();
  const of = (share: number) => ({ without: quantile(taken.without, share), beside: quantile(taken.beside, share) });
  return {
    rate,
    windows,
    updates: { without: taken.without.length, beside: taken.beside.length },
    median: of(0.5),
    p99: of(0.99),
    runRate: (done / worked) * 1000,
  };
}

/** How long each took, in ms, from when it was due. */
async function updatesFor(db: Client, ms: number): Promise<number[]> {
  const begun = performance.now();
  const taken: number[] = [];
  for (let n = 0; ; n++) {
    const due = begun + (n * 1000) / rate;
    if (due - begun >= ms) return taken;
    const ahead = due - performance.now();
    if (ahead > 0) await new Promise((resolve) => setTimeout(resolve, ahead));
    // A timer that comes late is not the database's doing.
    const from = ahead > 0 ? performance.now() : due;
    await db.query('update orders_desk set touched = clock_timestamp() where id = $1', [1 + ((n * 7919) % 10_000)]);
    taken.push(performance.now() - from);
  }
}

function quantile(list: readonly number[], share: number): number {
  return [...list].sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(list.length * share))]!;
}
