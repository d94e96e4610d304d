import type { Database } from '../database/database';

/** What tells this database from a copy of it: the cluster (source: pg_control_system), the database in it, and a name given to it. */
export interface Home {
  readonly system: string;
  readonly database: number;
  readonly name: string;
}

/** Where the service is. A copy of a whole cluster is told by its name only: TANTAMOS_INSTANCE. */
export async function whereAmI(database: Database): Promise<Home> {
  const row = await database.one<{ system: string; database: number }>(
    `select system_identifier::text as system, (select oid::int8 from pg_database where datname = current_database()) as database
     from pg_control_system()`,
  );
  return { ...row!, name: process.env.TANTAMOS_INSTANCE ?? '' };
}

/**
 * Why nothing is to be done here, in a sentence: the schema was at home elsewhere, so that this is a copy (a restored backup, a
 * copy for trying things out), and what the original has under way would be done twice. Null where it is at home.
 */
export async function whyAway(database: Database, here: Home): Promise<string | null> {
  const home = await database.one<Home & { since: Date }>(
    'select system_identifier::text as system, database::int8 as database, name, since from tantamos.instance',
  );
  if (!home) return (await settleHere(database, here), null);
  if (home.system === here.system && Number(home.database) === here.database && home.name === here.name) return null;
  return `This database is a copy: until it was made, Tantamos was at home in ${home.name || 'another database'}. Nothing is changed or run here until an administrator says that it is at home here now (tantamos settings at-home).`;
}

export async function settleHere(database: Database, here: Home): Promise<void> {
  await database.rows(
    `insert into tantamos.instance (system_identifier, database, name) values ($1::bigint, $2::int8::oid, $3)
     on conflict (single) do update set system_identifier = excluded.system_identifier, database = excluded.database,
       name = excluded.name, since = now()`,
    [here.system, here.database, here.name],
  );
}
