import type { Catalog } from '../catalog/catalog';
import type { CheckedJob } from '../job/job';
import { join, raw, sql, value, type Sql } from '../sql/sql';
import { jobRows } from './freeze';
import { planOf } from './signature';

const open = { from: null, to: null };

/** Counts by verdict of a job against the records now, nothing frozen: rows of `verdict`, `count`. */
export function countVerdicts(job: CheckedJob, catalog: Catalog): Sql {
  return sql`select verdict, count(*) as count from (${jobRows(job, planOf(job), catalog, open)}) m group by verdict`;
}

/** What the job would do to these records: `key`, `verdict`, `cause`, `old_1`, `new_1`… */
export function sampleRows(job: CheckedJob, catalog: Catalog, keys: readonly string[]): Sql {
  const within = { ...job, selection: { ...job.selection, keys } };
  const columns = job.assignments.map((_, i) => raw(`old_${i + 1}, new_${i + 1}`));
  return sql`select key, verdict, cause, ${join(columns, ', ')} from (${jobRows(within, planOf(job), catalog, open)}) m
    order by n limit ${value(keys.length)}`;
}
