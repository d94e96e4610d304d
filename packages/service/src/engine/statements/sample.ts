import { join, partsOfJob, raw, restsOnAll, sql, value, type CheckedJob, type Sql } from '@tantamos/core';
import { chosenRows, everything, needsChoosing, partRows, type Cut } from './rows';
import { withClashes } from './unique';

/** Counts by verdict of a job against the records now, nothing frozen: rows of `verdict`, `count`. */
export function countVerdicts(job: CheckedJob): Sql {
  return sql`select verdict, count(*) as count from (${rowsOf(job)}) m group by verdict`;
}

/** What the job would do to these records: `key`, `verdict`, `cause`, `old_1`, `new_1`… */
export function sampleRows(job: CheckedJob, keys: readonly string[]): Sql {
  const columns = job.changes.map((_, i) => raw(`, old_${i + 1}, new_${i + 1}`));
  // What others become decides on places, and on values that may be there once.
  const isAlone = !job.changes.some((c) => restsOnAll(c) || c.field.unique);
  const picked = isAlone ? { ...job, selection: { ...job.selection, keys } } : job;
  return sql`select key, verdict, cause${join(columns, '')} from (${rowsOf(picked)}) m
    where key = any(${value(keys)}::text[]) order by n limit ${value(keys.length)}`;
}

function rowsOf(job: CheckedJob): Sql {
  const [part] = partsOfJob(job);
  const placed = job.changes.some(restsOnAll);
  const cut: Cut =
    placed && needsChoosing(part!)
      ? { by: 'place', chosen: sql`(${chosenRows(part!)})`, low: 0, high: 2 ** 31 - 1 }
      : everything;
  return withClashes(part!, partRows(part!, cut, []));
}
