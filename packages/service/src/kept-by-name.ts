import { clip, fail, ProblemError } from '@tantamos/core';
import type { Connection, Database } from './database/database';

// What selections, jobs and rules have in common, each of which is kept under a name, with versions.

/** The name as it is kept: it stands in quotes in filters, so it has none; throws `bad_value`. */
export function keptName(said: string): string {
  const name = said.trim();
  if (name === '' || /['"\n]/.test(name))
    fail('bad_value', 'A name has at least one letter, and no quotes.', { where: 'name' });
  return name;
}

/** Throws `stale_version` where the change was made on another version than the newest; null: nobody says on which. */
export function mustBeNewest(newest: number, madeOn: number | null): void {
  if (madeOn !== null && madeOn !== newest)
    fail('stale_version', `Version ${newest} was saved since you opened version ${madeOn}; look at it first.`);
}

/** Keeps several, all or none: a later one may rest on an earlier one. Problems say in which. */
export async function allOrNone<T extends { readonly name: string }>(
  database: Database,
  items: readonly T[],
  keep: (connection: Connection, item: T) => Promise<string>,
): Promise<string[]> {
  return database.transaction('read committed', async (connection) => {
    const done: string[] = [];
    for (const item of items) {
      try {
        done.push(await keep(connection, item));
      } catch (error) {
        if (!(error instanceof ProblemError) || items.length === 1) throw error;
        const [first, ...more] = error.problems;
        const message = `“${clip(item.name)}” could not be taken, so none was: ${first.message}`;
        throw new ProblemError({ ...first, message, where: item.name }, ...more);
      }
    }
    return done;
  });
}
