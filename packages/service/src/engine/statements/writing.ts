import type { Sql } from '@tantamos/core';
import { askPrepared, type Connection } from '../../database/database';

/**
 * A statement that writes records, and what is asked of the database afterwards, in the same transaction: triggers and row rules
 * may have stored something else. Only `verified` carries one out, so that no write is taken for done by what it says itself.
 */
export interface Writing<Written extends object, Stored extends object> {
  readonly write: Sql;
  /** What is stored of what was written; null where nothing was. */
  readonly stored: (written: readonly Written[]) => Sql | null;
  /** Never set: what the rows of `stored` are. */
  readonly storedRow?: Stored;
}

/**
 * The part of a statement that writes records without looking afterwards. It may stand only in a statement that writes nothing
 * where `isAltered` under the table's lock says so, and whose count of rows is compared with what was to be written.
 */
export type Proven = Sql;

export async function verified<Written extends object, Stored extends object>(
  connection: Connection,
  { write, stored }: Writing<Written, Stored>,
): Promise<{ readonly written: readonly Written[]; readonly stored: readonly Stored[] }> {
  const written = await askPrepared<Written>(connection, write);
  const question = stored(written);
  return { written, stored: question ? await askPrepared<Stored>(connection, question) : [] };
}
