import type { Database } from '../database/database';

/** A small write is tried so often before a run begins. */
const writesBefore = 6;
/** Runs of fewer batches are over before there is anything to measure. */
const fewBatches = 10;

/** Is it worth the while to measure what others wait for beside a run? */
export function isMeasured(run: {
  readonly batches: number;
  readonly stop_if: { readonly slowdown?: number | null };
}): boolean {
  return run.batches >= fewBatches || run.stop_if.slowdown != null;
}

/** One small write, as somebody else would make one; `last`: how long the one before took. Returns how long it took, in ms. */
export async function writeOne(database: Database, run: string, last: number | null, before = false): Promise<number> {
  return database.with(async (connection) => {
    const begun = performance.now();
    await connection.query({ name: 'canary', text: addWrite, values: [run, last, before] });
    return performance.now() - begun;
  });
}

/** How long small writes take before a run begins. */
export async function writeBefore(database: Database, run: string): Promise<void> {
  let last: number | null = null;
  for (let n = 0; n < writesBefore; n++) last = await writeOne(database, run, last, true);
}

const addWrite = 'insert into tantamos.canary (run, ms, before) values ($1, $2, $3)';
