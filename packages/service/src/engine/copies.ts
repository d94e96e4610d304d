import { pipeline } from 'node:stream/promises';
import { from, to } from 'pg-copy-streams';
import { render, sql, type Sql } from '@tantamos/core';
import { cut, type Connection } from '../database/database';

/**
 * Copies rows of a table that only one session sees into a table of the same name and columns that only another one sees. What
 * is not copied to its end leaves either side in the middle of it: both are cut.
 */
export async function copyTable(source: Connection, target: Connection, table: Sql, where: Sql): Promise<void> {
  const { text } = render(sql`copy (select * from ${table} where ${where}) to stdout`);
  const { text: into } = render(sql`copy ${table} from stdin`);
  try {
    await pipeline(source.query(to(text)), target.query(from(into)));
  } catch (error) {
    for (const connection of [source, target]) cut(connection);
    throw error;
  }
}
