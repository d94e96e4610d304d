import {
  changesOfNew,
  checkPlan,
  fileType,
  ProblemError,
  sql,
  value,
  type Catalog,
  type Context,
  type FiledRows,
  type FilePlan,
  type Job,
} from '@tantamos/core';
import type { FilePlanSaid } from '@tantamos/contract';
import { fileColumns, type KeptFile } from './store';

/** The kept files of which jobs make records, as they were planned; of what `find` does not give, nothing. */
export async function filedIn(
  find: (id: string) => Promise<KeptFile | undefined>,
  jobs: readonly Job[],
  catalog: Catalog,
  context: Context,
): Promise<ReadonlyMap<string, FiledRows>> {
  const parts = jobs.flatMap((job) => [job, ...(job.then ?? [])]);
  const ids = new Set(parts.flatMap((p) => (p.act === 'create' && p.from && 'file' in p.from ? [p.from.file] : [])));
  const filed = new Map<string, FiledRows>();
  for (const id of ids) {
    const file = await find(id);
    if (!file?.plan || !file.report) continue;
    try {
      filed.set(id, rowsOf(file, file.plan, file.report.fates.new, catalog, context));
    } catch (error) {
      // Its plan is of fields that are there no more: whoever needs it hears that it is not to be had.
      if (!(error instanceof ProblemError)) throw error;
    }
  }
  return filed;
}

function rowsOf(file: KeptFile, said: FilePlanSaid, count: number, catalog: Catalog, context: Context): FiledRows {
  const { id, name } = file;
  const plan: FilePlan = { ...said, match: [...said.match], take: [...said.take] };
  const checked = checkPlan(plan, { id, columns: fileColumns(file) }, catalog, context);
  // Only those that fit no record: what has one is changed, not made.
  const rows = fileType(id, checked.columns, {
    zone: context.env.timeZone,
    where: sql`exists (select from tantamos.file_fate t where t.file = ${value(id)}::uuid and t.n = r.n and t.fate = 'new')`,
  });
  return { name, rows, count, changes: changesOfNew(checked) };
}
