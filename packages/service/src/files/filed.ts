import {
  changesOfNew,
  checkPlan,
  fileType,
  sql,
  value,
  type Catalog,
  type Context,
  type FiledRows,
  type FilePlan,
  type Job,
} from '@tantamos/core';
import type { Database } from '../database/database';
import type { Seen } from '../rights/seen';
import { fileColumns, ownFile } from './store';

/** The kept files of which a job makes records, as they were planned; throws where they are not the person's. */
export async function filedIn(
  database: Database,
  seen: Seen,
  job: Job,
  catalog: Catalog,
  context: Context,
): Promise<ReadonlyMap<string, FiledRows>> {
  const ids = new Set(
    [job, ...(job.then ?? [])].flatMap((p) => (p.act === 'create' && p.from && 'file' in p.from ? [p.from.file] : [])),
  );
  const filed = new Map<string, FiledRows>();
  for (const id of ids) {
    const file = await ownFile(database, seen, id);
    if (!file.plan || !file.report) continue;
    const plan: FilePlan = { ...file.plan, match: [...file.plan.match], take: [...file.plan.take] };
    const checked = checkPlan(plan, { id, columns: fileColumns(file) }, catalog, context);
    // Only those that fit no record: what has one is changed, not made.
    const rows = fileType(id, checked.columns, {
      zone: context.env.timeZone,
      where: sql`exists (select from tantamos.file_fate t where t.file = ${value(id)}::uuid and t.n = r.n and t.fate = 'new')`,
    });
    filed.set(id, {
      name: file.name,
      rows,
      count: file.report.fates.new,
      changes: changesOfNew(checked),
    });
  }
  return filed;
}
