import { createHash } from 'node:crypto';
import {
  applyCarefully,
  applySwiftly,
  outcomeLetters,
  presentKeys,
  render,
  type Altered,
  type Applied,
  type Catalog,
  type Plan,
  type Slice,
  type Sql,
} from '@tantamos/core';
import type { Connection } from '../database/database';
import { isRefusal, refusalWords } from '../database/refusal';

export interface RunBatchRow {
  readonly run: string;
  readonly position: number;
  readonly batch: number;
  readonly low: number;
  readonly high: number;
  readonly state: 'ready' | 'tail';
  readonly tries: number;
  readonly outcomes: string;
  readonly causes: Record<string, string> | null;
  readonly altered: Record<string, Record<string, string | null>> | null;
}

/** The run that a batch belongs to, as far as it matters here. */
export interface Work {
  readonly preview: string;
  readonly plan: Plan;
  readonly catalog: Catalog;
  readonly patience: Patience;
}

/** How often records that somebody has locked are tried again, and how long after, in ms. */
export interface Patience {
  readonly tries: number;
  readonly firstWait: number;
}

const { changed, edited_since, not_yet, gone, in_use, refused } = outcomeLetters;

/**
 * Claims the next stretch of a run that is ready, or whose locked records are due again, and holds it until the
 * transaction ends. Undefined when there is none for now.
 */
export async function claimBatch(connection: Connection, runId: string): Promise<RunBatchRow | undefined> {
  const { rows } = await connection.query<RunBatchRow>({ name: 'claim', text: claim, values: [runId] });
  return rows[0];
}
const claim = `
  select s.run, s.position, s.batch, s.low, s.high, s.state, s.tries, s.outcomes, s.causes, s.altered
  from tantamos.run join tantamos.run_batch s on s.run = run.id
  where run.id = $1 and run.state = 'running' and (run.ask_before is null or s.position < run.ask_before)
    and s.state <> 'done' and (s.not_before is null or s.not_before <= clock_timestamp())
  order by s.position limit 1 for update of s skip locked`;

/**
 * Applies a claimed stretch in the caller's transaction, in the usual case that every record is as the preview saw it
 * and nobody is in the way. False where it is not so: the caller rolls back and applies it with care.
 */
export async function applyAllOrNothing(connection: Connection, work: Work, claimed: RunBatchRow): Promise<boolean> {
  const pending = placesOf(claimed);
  if (claimed.state !== 'ready' || pending.length === 0) return false;
  const [applied] = await ask<{ count: number; altered: Altered | null }>(
    connection,
    applySwiftly(work.plan, work.catalog, sliceOf(work, claimed, null)),
  );
  if (applied!.count !== pending.length) return false;
  const fate = new Fate(claimed);
  fate.mark(pending, changed);
  fate.store(applied!.altered);
  await finish(connection, claimed, fate, 0, work.patience);
  return true;
}

/**
 * The same with care: tells for every record what became of it, passes over what is locked, and isolates what the
 * database refuses by halving.
 */
export async function applyWithCare(connection: Connection, work: Work, claimed: RunBatchRow): Promise<void> {
  const { plan, catalog, patience } = work;
  const type = catalog.type(plan.type);
  const fate = new Fate(claimed);
  const unseen: number[] = [];

  const attempt = async (places: readonly number[]): Promise<void> => {
    await connection.query('savepoint attempt');
    try {
      const [applied] = await ask<Applied>(connection, applyCarefully(plan, catalog, sliceOf(work, claimed, places)));
      await connection.query('release savepoint attempt');
      const seen = new Set(applied!.same.concat(applied!.edited).map((n) => n - claimed.low));
      fate.mark(
        applied!.same.map((n) => n - claimed.low),
        refused,
        'The database left the record as it was (a trigger or a row rule).',
      );
      fate.mark(
        applied!.changed.map((n) => n - claimed.low),
        changed,
      );
      fate.mark(
        applied!.edited.map((n) => n - claimed.low),
        edited_since,
      );
      fate.store(applied!.altered);
      unseen.push(...places.filter((place) => !seen.has(place)));
    } catch (error) {
      if (!isRefusal(error)) throw error;
      await connection.query('rollback to savepoint attempt');
      if (places.length === 1) return fate.mark(places, refused, refusalWords(error, type));
      const middle = places.length >> 1;
      await attempt(places.slice(0, middle));
      await attempt(places.slice(middle));
    }
  };

  const pending = placesOf(claimed);
  if (pending.length > 0) await attempt(pending);
  const absent = await absentOf(connection, work, claimed, unseen);
  fate.mark(absent, gone);
  const locked = unseen.filter((place) => !absent.includes(place));
  const givenUp = claimed.tries + 1 >= patience.tries;
  if (givenUp) fate.mark(locked, in_use);
  await finish(connection, claimed, fate, givenUp ? 0 : locked.length, patience);
}

/** What becomes of the records of a stretch; places are counted in it from 1. */
class Fate {
  readonly outcomes: string[];
  readonly causes: Record<string, string>;
  readonly altered: Record<string, Record<string, string | null>>;
  constructor(private readonly claimed: RunBatchRow) {
    this.outcomes = [...claimed.outcomes];
    this.causes = { ...claimed.causes };
    this.altered = { ...claimed.altered };
  }

  mark(places: readonly number[], letter: string, cause?: string): void {
    for (const place of places) {
      this.outcomes[place - 1] = letter;
      if (cause === undefined) Reflect.deleteProperty(this.causes, place);
      else this.causes[place] = cause;
    }
  }

  /** Keeps what the database stored otherwise than written, by field. */
  store(altered: Altered | null): void {
    for (const [n, fields] of Object.entries(altered ?? {}))
      for (const [field, value] of Object.entries(fields))
        (this.altered[field] ??= {})[Number(n) - this.claimed.low] = value;
  }
}

async function finish(
  connection: Connection,
  claimed: RunBatchRow,
  fate: Fate,
  locked: number,
  patience: Patience,
): Promise<void> {
  const json = (object: object): string | null => (Object.keys(object).length > 0 ? JSON.stringify(object) : null);
  const wait = patience.firstWait * 2 ** claimed.tries;
  const values = [
    claimed.run,
    claimed.position,
    fate.outcomes.join(''),
    json(fate.causes),
    json(fate.altered),
    locked > 0 ? 'tail' : 'done',
    wait,
  ];
  await connection.query({ name: 'finish', text: finishBatch, values });
}
const finishBatch = `
  update tantamos.run_batch set outcomes = $3, causes = $4, altered = $5, state = $6, tries = tries + 1,
    not_before = case when $6 = 'tail' then clock_timestamp() + make_interval(secs => $7::float8 / 1000) end,
    finished_at = clock_timestamp()
  where run = $1 and position = $2`;

/** Of these places, those whose record no longer exists. */
async function absentOf(
  connection: Connection,
  { preview, plan, catalog }: Work,
  { batch, low }: RunBatchRow,
  places: readonly number[],
): Promise<number[]> {
  if (places.length === 0) return [];
  const { rows } = await connection.query<{ keys: string[] }>(
    `select array(select b.keys[p + $3] from unnest($4::int[]) with ordinality u(p, n) order by n) as keys
     from tantamos.batch b where preview = $1 and position = $2`,
    [preview, batch, low, places],
  );
  const keys = rows[0]!.keys;
  const present = new Set((await ask<{ key: string }>(connection, presentKeys(plan, catalog, keys))).map((r) => r.key));
  return places.filter((_, i) => !present.has(keys[i]!));
}

function placesOf(claimed: RunBatchRow): number[] {
  return [...claimed.outcomes].flatMap((letter, i) => (letter === not_yet ? [i + 1] : []));
}

function sliceOf({ preview }: Work, { batch, low, high }: RunBatchRow, places: readonly number[] | null): Slice {
  return { previewId: preview, position: batch, low, high, only: places && places.map((place) => place + low) };
}

/** Prepared once a connection; the name follows the text, since the catalog may change between runs. */
async function ask<R extends object>(connection: Connection, statement: Sql): Promise<R[]> {
  const { text, values } = render(statement);
  const name = createHash('sha1').update(text).digest('base64url');
  return (await connection.query<R & Record<string, unknown>>({ name, text, values })).rows;
}
