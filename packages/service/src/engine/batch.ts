import { applySlice, outcomeLetters, presentKeys, render, type Catalog, type Plan } from '@tantamos/core';
import { createHash } from 'node:crypto';
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

/** How often records that somebody has locked are tried again, and how long after, in ms. */
export interface Patience {
  readonly tries: number;
  readonly firstWait: number;
}

const { not_yet, gone, in_use, refused } = outcomeLetters;

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

/** Applies one claimed stretch and writes what became of each record, in the caller's transaction. */
export async function applyBatch(
  connection: Connection,
  plan: Plan,
  catalog: Catalog,
  previewId: string,
  claimed: RunBatchRow,
  patience: Patience,
) {
  const outcomes = [...claimed.outcomes];
  const causes: Record<string, string> = { ...claimed.causes };
  const altered: Record<string, Record<string, string | null>> = { ...claimed.altered };
  const type = catalog.type(plan.type);
  const unseen: number[] = [];

  const attempt = async (places: readonly number[]): Promise<void> => {
    const only =
      claimed.state === 'ready' && places.length === pending.length ? null : places.map((p) => p + claimed.low);
    const slice = { previewId, position: claimed.batch, low: claimed.low, high: claimed.high, only };
    await connection.query('savepoint attempt');
    let rows: AppliedRow[];
    try {
      const statement = render(applySlice(plan, catalog, slice));
      rows = (await connection.query<AppliedRow>({ name: nameOf(statement.text), ...statement })).rows;
      await connection.query('release savepoint attempt');
    } catch (error) {
      if (!isRefusal(error)) throw error;
      await connection.query('rollback to savepoint attempt');
      if (places.length > 1) {
        // One record's values were refused: halve until it is alone.
        const middle = places.length >> 1;
        await attempt(places.slice(0, middle));
        await attempt(places.slice(middle));
        return;
      }
      outcomes[places[0]! - 1] = refused;
      causes[places[0]!] = refusalWords(error, type);
      return;
    }
    for (const row of rows) {
      const place = row.n - claimed.low;
      if (!row.seen) unseen.push(place);
      else if (row.letter) outcomes[place - 1] = row.letter;
      else {
        outcomes[place - 1] = refused;
        causes[place] = 'The database left the record as it was (a trigger or a row rule).';
      }
      for (const [field, value] of Object.entries(row.altered ?? {})) (altered[field] ??= {})[place] = value;
    }
  };

  const pending = outcomes.flatMap((letter, i) => (letter === not_yet ? [i + 1] : []));
  if (pending.length > 0) await attempt(pending);
  const locked = await stillThere(connection, plan, catalog, previewId, claimed, unseen, outcomes);
  const givenUp = claimed.tries + 1 >= patience.tries;
  for (const place of locked) outcomes[place - 1] = givenUp ? in_use : not_yet;
  await connection.query({
    name: 'finish',
    text: finish,
    values: [
      claimed.run,
      claimed.position,
      outcomes.join(''),
      Object.keys(causes).length > 0 ? JSON.stringify(causes) : null,
      Object.keys(altered).length > 0 ? JSON.stringify(altered) : null,
      locked.length > 0 && !givenUp ? 'tail' : 'done',
      patience.firstWait * 2 ** claimed.tries,
    ],
  });
}
const finish = `
  update tantamos.run_batch set outcomes = $3, causes = $4, altered = $5, state = $6, tries = tries + 1,
    not_before = case when $6 = 'tail' then clock_timestamp() + make_interval(secs => $7::float8 / 1000) end,
    finished_at = clock_timestamp()
  where run = $1 and position = $2`;

interface AppliedRow {
  readonly n: number;
  readonly seen: boolean;
  readonly letter: string | null;
  readonly altered: Record<string, string | null> | null;
}

/** Of the places whose record could not be locked: marks those that are gone, and returns the rest. */
async function stillThere(
  connection: Connection,
  plan: Plan,
  catalog: Catalog,
  previewId: string,
  { batch, low }: RunBatchRow,
  places: readonly number[],
  outcomes: string[],
): Promise<number[]> {
  if (places.length === 0) return [];
  const { rows } = await connection.query<{ keys: string[] }>(
    'select array(select keys[p + $3] from unnest($4::int[]) with ordinality u(p, n) order by n) as keys from tantamos.batch where preview = $1 and position = $2',
    [previewId, batch, low, places],
  );
  const keys = rows[0]!.keys;
  const { text, values } = render(presentKeys(plan, catalog, keys));
  const present = new Set((await connection.query<{ key: string }>(text, values)).rows.map((r) => r.key));
  return places.filter((place, i) => {
    if (present.has(keys[i]!)) return true;
    outcomes[place - 1] = gone;
    return false;
  });
}

/** Prepared once a connection; the name follows the text, since the catalog may change between runs. */
function nameOf(text: string): string {
  return `apply-${createHash('sha1').update(text).digest('base64url')}`;
}
