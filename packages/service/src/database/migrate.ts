import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fail } from '@tantamos/core';
import type { Database } from './database';

const folder = join(__dirname, '..', '..', 'src', 'database', 'migrations');
/** Any number will do as long as every Tantamos uses the same one. */
const migrationLock = 741_000_001;

/**
 * Brings the schema `tantamos` up to this program's version, one transaction a step; two programs that start together
 * take turns. Throws `unavailable` if the database is newer than the program.
 */
export async function migrate(database: Database): Promise<void> {
  const files = (await readdir(folder)).filter((f) => /^\d{3}-.*\.sql$/.test(f)).sort();
  const newest = Number(files.at(-1)!.slice(0, 3));
  await database.with(async (connection) => {
    await connection.query('select pg_advisory_lock($1)', [migrationLock]);
    try {
      await connection.query(`create schema if not exists tantamos`);
      await connection.query(`create table if not exists tantamos.migration
        (version integer primary key, name text not null, applied_at timestamptz not null default now())`);
      const { rows } = await connection.query<{ version: number }>(
        'select coalesce(max(version), 0) as version from tantamos.migration',
      );
      const at = rows[0]!.version;
      if (at > newest)
        fail(
          'unavailable',
          `The database is at version ${at}, newer than this program (${newest}). Start a newer Tantamos on it.`,
        );
      for (const file of files.filter((f) => Number(f.slice(0, 3)) > at)) {
        await connection.query('begin');
        try {
          await connection.query(await readFile(join(folder, file), 'utf8'));
          await connection.query('insert into tantamos.migration (version, name) values ($1, $2)', [
            Number(file.slice(0, 3)),
            file,
          ]);
          await connection.query('commit');
        } catch (error) {
          await connection.query('rollback');
          throw error;
        }
      }
    } finally {
      await connection.query('select pg_advisory_unlock($1)', [migrationLock]);
    }
  });
}
