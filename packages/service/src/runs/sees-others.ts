import { fail, type Safety } from '@tantamos/core';
import type { Database } from '../database/database';

/**
 * Throws `not_permitted` where a run is to stop over replicas or over others who wait, and the database account cannot see them
 * (PostgreSQL, “Predefined Roles”): such a limit would never be reached.
 */
export async function mustSeeOthers(database: Database, { stopIf }: Pick<Safety, 'stopIf'>): Promise<void> {
  const asked = (['lag', 'waiting'] as const).filter((limit) => stopIf[limit] != null);
  if (asked.length === 0) return;
  const row = await database.one<{ sees: boolean }>(
    `select pg_has_role(current_user, 'pg_read_all_stats', 'usage') as sees`,
  );
  if (row!.sees) return;
  fail(
    'not_permitted',
    'The database account of Tantamos cannot see whether replicas are behind or others wait, so a run cannot stop over that. Grant it the role pg_read_all_stats.',
    { where: `safety.stopIf.${asked[0]}` },
  );
}
