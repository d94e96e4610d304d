import { fail } from '@tantamos/core';
import { migrationLock } from './database/migrate';
import type { Services } from './services';

/**
 * Takes Tantamos away from its database: drops the schema `tantamos` with all it keeps, after `name`, the database's own, has
 * been said. Records stay as they are. Throws `expect_mismatch`, or `wrong_state` where a run is at work or something that
 * is not ours rests on the schema.
 */
export async function detach(
  { ownersDatabase: database }: Pick<Services, 'ownersDatabase'>,
  name: string,
): Promise<void> {
  await database.with(async (connection) => {
    const ask = async <R extends object>(text: string): Promise<R[]> =>
      (await connection.query<R & Record<string, unknown>>(text)).rows;
    await connection.query('begin; set local lock_timeout = 5000');
    try {
      await connection.query('select pg_advisory_xact_lock($1)', [migrationLock]);
      const [here] = await ask<{ name: string; moving: number }>(
        `select current_database() as name, (select count(*) from tantamos.run
           where state in ('queued', 'running', 'pausing', 'stopping'))::int as moving`,
      );
      if (name !== here!.name)
        fail('expect_mismatch', `The database is called ${here!.name}; “${name}” is another name.`, {
          where: 'database',
        });
      if (here!.moving > 0)
        fail(
          'wrong_state',
          `${here!.moving === 1 ? 'A run is' : `${here!.moving} runs are`} at work; stop them first.`,
        );
      const leaning = await ask<{ what: string }>(dependents);
      if (leaning.length > 0)
        fail(
          'wrong_state',
          `What is not Tantamos’s rests on its tables: ${leaning.map((l) => l.what).join(', ')}. Drop that first.`,
        );
      await connection.query('drop schema tantamos cascade');
      await connection.query('commit');
    } catch (error) {
      await connection.query('rollback').catch(() => {});
      throw error;
    }
  });
}

/** Views and the like of other schemas that would go with ours. */
const dependents = `
  select distinct pg_describe_object('pg_class'::regclass, v.oid, 0) as what
  from pg_depend d join pg_rewrite r on r.oid = d.objid and d.classid = 'pg_rewrite'::regclass
  join pg_class v on v.oid = r.ev_class
  join pg_class c on c.oid = d.refobjid and d.refclassid = 'pg_class'::regclass
  where c.relnamespace = 'tantamos'::regnamespace and v.relnamespace <> 'tantamos'::regnamespace
  union
  select pg_describe_object('pg_class'::regclass, k.conrelid, 0) from pg_constraint k join pg_class c on c.oid = k.confrelid
  join pg_class o on o.oid = k.conrelid
  where c.relnamespace = 'tantamos'::regnamespace and o.relnamespace <> 'tantamos'::regnamespace
  order by 1 limit 10`;
