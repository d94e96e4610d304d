import { pipeline } from 'node:stream/promises';
import { from, to } from 'pg-copy-streams';
import { raw, render, sql, type Sql } from '@tantamos/core';
import { cut, type Connection } from '../database/database';

/**
 * Copies the rows with an `n` above `low` of a table that only one session sees into a table of the same name and columns that
 * only another one sees. What is not copied to its end leaves either side in the middle of it: both are cut.
 */
export async function copyTable(source: Connection, target: Connection, table: Sql, low: number): Promise<void> {
  const { text: out } = render(sql`copy (select * from ${table} where n > ${raw(String(low))}) to stdout`);
  const { text: into } = render(sql`copy ${table} from stdin`);
  try {
    await pipeline(source.query(to(out)), target.query(from(into)));
  } catch (error) {
    for (const connection of [source, target]) cut(connection);
    throw error;
  }
}
