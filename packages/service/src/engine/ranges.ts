import { identifier, keyFields, sql, tableOf, type CheckedSelection, type KeyRange } from '@tantamos/core';
import { askOn, type Connection } from '../database/database';

/** Records a statement of a preview looks at, about: enough to be quick, few enough to show progress and to cancel. */
const aboutPerRange = 100_000;
const mostRanges = 200;

/**
 * Cuts a type into ranges of its key's first field, of about 100,000 records each; one open range where the type is small
 * or keys are picked.
 */
export async function keyRanges(connection: Connection, selection: CheckedSelection): Promise<KeyRange[]> {
  const { type, keys } = selection;
  const pieces = Math.min(mostRanges, Math.ceil(type.about / aboutPerRange));
  if (keys || pieces < 2) return [{ from: null, to: null }];
  const first = keyFields(type)[0]!;
  const borders =
    first.base === 'number' && type.key.length === 1
      ? await evenBorders(connection, selection, pieces)
      : await knownBorders(connection, selection, pieces);
  return [null, ...borders].map((from, i) => ({ from, to: borders[i] ?? null }));
}

async function evenBorders(connection: Connection, { type }: CheckedSelection, pieces: number): Promise<string[]> {
  const key = identifier(type.key[0]!);
  const [ends] = await askOn<{ low: string | null; high: string | null }>(
    connection,
    sql`select floor(min(${key}))::text as low, floor(max(${key}))::text as high from ${tableOf(type)} r`,
  );
  // A key may be an infinite or no number.
  if (!/^-?\d+$/.test(ends?.low ?? '') || !/^-?\d+$/.test(ends?.high ?? '')) return [];
  const [low, high] = [BigInt(ends!.low!), BigInt(ends!.high!)];
  const inner = Array.from(
    { length: pieces - 1 },
    (_, i) => low + ((high - low + 1n) * BigInt(i + 1)) / BigInt(pieces),
  );
  return [...new Set(inner.map(String))];
}

/** From the planner's histogram of the field (source: pg_stats); its bounds are real values in their own order. */
async function knownBorders(connection: Connection, { type }: CheckedSelection, pieces: number): Promise<string[]> {
  const { rows } = await connection.query<{ bounds: string[] | null }>(
    `select histogram_bounds::text::text[] as bounds from pg_stats where schemaname = $1 and tablename = $2 and attname = $3`,
    [type.schema, type.table, type.key[0]],
  );
  const bounds = rows[0]?.bounds ?? [];
  const inner = Array.from({ length: pieces - 1 }, (_, i) => bounds[Math.floor(((i + 1) * bounds.length) / pieces)]);
  return [...new Set(inner.filter((b): b is string => b !== undefined))];
}
