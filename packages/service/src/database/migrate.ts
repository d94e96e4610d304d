import { createHash } from 'node:crypto';
import { readdir, readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { fail } from '@tantamos/core';
import type { Connection, Database } from './database';

const folder = join(__dirname, '..', '..', 'src', 'database', 'migrations');
/** Any number will do as long as every Tantamos uses the same one. */
export const migrationLock = 741_000_001;
/** Every service holds a share of it; who alters the schema of an earlier version needs all of it. */
export const servicesLock = 741_000_003;

let newestKnown: number | null = null;
/** The version of the schema that this program works on: that of its last step. */
export async function schemaVersion(): Promise<number> {
  return (newestKnown ??= (await allSteps()).at(-1)!.version);
}

/** Why this program must not work on the schema any more: another version brought it up; null where it may. */
export async function whyOutdated(database: Database): Promise<string | null> {
  const known = await schemaVersion();
  const row = await database.one<{ version: number }>('select max(version) as version from tantamos.migration');
  return row?.version === known
    ? null
    : `The database was brought to version ${row?.version} by another Tantamos; this service knows ${known}. It begins nothing more; a service of the newer version continues.`;
}

interface Step {
  readonly version: number;
  readonly file: string;
  readonly text: string;
  /** SHA-256 of the text: a step that has been taken is never another one later. */
  readonly checksum: string;
}

/**
 * Brings the schema `tantamos` up to this program's version, one transaction a step; two programs that start together
 * take turns. Throws `unavailable` if the database is newer than the program, or was brought up by other steps.
 */
export async function migrate(database: Database, readOnly: string | null = null): Promise<void> {
  const steps = await allSteps();
  await database.with(async (connection) => {
    await connection.query('select pg_advisory_lock($1)', [migrationLock]);
    try {
      // An account that may not make anything here is fine where nothing is to be made.
      const { rows } = await connection.query<{ there: boolean; schema: boolean }>(
        `select to_regclass('tantamos.migration') is not null as there, to_regnamespace('tantamos') is not null as schema`,
      );
      if (!rows[0]!.there && readOnly !== null)
        fail('unavailable', `${readOnly} Tantamos has not been set up in it yet.`);
      if (!rows[0]!.there)
        // Whoever owns the database may have made the schema for us, so that we need not be let make any.
        await connection.query(`${rows[0]!.schema ? '' : 'create schema tantamos;'}
          create table tantamos.migration (version integer primary key, name text not null, checksum text not null,
            applied_at timestamptz not null default now())`);
      await takeSteps(connection, steps, readOnly);
    } finally {
      await connection.query('select pg_advisory_unlock($1)', [migrationLock]).catch(() => {});
    }
  });
}

async function takeSteps(connection: Connection, steps: readonly Step[], readOnly: string | null): Promise<void> {
  const { rows } = await connection.query<{ version: number; checksum: string | null }>(
    `select version, to_jsonb(m) ->> 'checksum' as checksum from tantamos.migration m order by version`,
  );
  const newest = steps.at(-1)!.version;
  const at = rows.at(-1)?.version ?? 0;
  if (at > newest)
    fail(
      'unavailable',
      `The database is at version ${at}, newer than this program (${newest}). Start a newer Tantamos on it.`,
    );
  for (const { version, checksum } of rows)
    if (steps.find((s) => s.version === version)?.checksum !== checksum)
      fail(
        'unavailable',
        `The schema “tantamos” was made by an early version whose journals cannot be read by this one. Drop it (drop schema tantamos cascade) and start again; your own tables are not touched by that.`,
      );
  if (at < newest && readOnly !== null)
    fail('unavailable', `${readOnly} Its schema “tantamos” is older than this program, and cannot be brought up.`);
  if (at === 0 || at === newest) return takeEach(connection, steps, at);
  // Those of an earlier version would meet tables that they do not know.
  const { rows: alone } = await connection.query<{ held: boolean }>('select pg_try_advisory_lock($1) as held', [
    servicesLock,
  ]);
  if (!alone[0]!.held)
    fail(
      'unavailable',
      'Another Tantamos of an earlier version is at work on this database; stop it, and start this one again.',
    );
  try {
    await takeEach(connection, steps, at);
  } finally {
    await connection.query('select pg_advisory_unlock($1)', [servicesLock]).catch(() => {});
  }
}

async function takeEach(connection: Connection, steps: readonly Step[], at: number): Promise<void> {
  for (const step of steps.filter((s) => s.version > at)) {
    await connection.query('begin');
    try {
      await connection.query(step.text);
      await connection.query('insert into tantamos.migration (version, name, checksum) values ($1, $2, $3)', [
        step.version,
        step.file,
        step.checksum,
      ]);
      await connection.query('commit');
    } catch (error) {
      await connection.query('rollback');
      throw error;
    }
  }
}

async function allSteps(): Promise<readonly Step[]> {
  const files = (await readdir(folder)).filter((f) => /^\d{3}-.*\.sql$/.test(f)).sort();
  return Promise.all(
    files.map(async (file) => {
      const text = await readFile(join(folder, file), 'utf8');
      const checksum = createHash('sha256').update(text).digest('hex');
      return { version: Number(file.slice(0, 3)), file, text, checksum };
    }),
  );
}

/**
 * Gives the everyday account what it needs of a schema that another owns: to read and write all of it, but to what is frozen
 * only to add. What is frozen can then be neither altered nor removed by a service, whatever is wrong with it.
 */
export async function grantEveryday(owner: Database, everyday: Database): Promise<void> {
  const { name } = (await everyday.one<{ name: string }>('select quote_ident(current_user) as name'))!;
  const tables = await owner.rows<{ name: string; frozen: boolean }>(
    `select quote_ident(relname) as name, relname = any($1) as frozen from pg_class
     where relnamespace = 'tantamos'::regnamespace and relkind in ('r', 'p') and not relispartition`,
    [frozenTables],
  );
  const all = tables.map((t) => `tantamos.${t.name}`).join(', ');
  const frozen = tables
    .filter((t) => t.frozen)
    .map((t) => `tantamos.${t.name}`)
    .join(', ');
  await owner.rows(
    `grant usage on schema tantamos to ${name};
     grant select, insert, update, delete on ${all} to ${name};
     revoke update, delete on ${frozen} from ${name}`,
  );
}
const frozenTables = ['batch', 'batch_value', 'batch_along', 'batch_along_value', 'migration'];
