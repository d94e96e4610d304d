import {
  clip,
  fail,
  isOfOneTime,
  ProblemError,
  type Edit,
  type FilePlan,
  type Job,
  type JobInput,
  type LaterPart,
} from '@tantamos/core';
import type { Connection } from '../database/database';
import { planFile, type Planning } from '../files/plan';
import type { Seen } from '../rights/seen';

// A saved job whose values come out of a file that is asked for: each time another file, under the plan of the first.

/** The file a job was saved with, which is kept as long as the job is, and what its rows were to do. */
export interface FileAsked {
  readonly id: string;
  readonly plan: FilePlan;
}

/** The file of a job that asks for one; null where it asks for none. */
export async function fileAsked(
  connection: Connection,
  job: Job,
  inputs: readonly JobInput[],
): Promise<FileAsked | null> {
  const { list } = job.selection;
  if (!inputs.some((i) => i.spots.some(isOfOneTime)) || (list && list.file === undefined)) return null;
  const made = job.from && 'file' in job.from ? job.from.file : null;
  const { rows } = await connection.query<{ id: string; plan: FilePlan | null; newest: string | null }>(
    `select f.id, f.plan, (select id from tantamos.list where file = f.id order by made_at desc, id desc limit 1) as newest
     from tantamos.file f where f.id = coalesce($2::uuid, (select file from tantamos.list where id = $1::uuid))`,
    [list?.id ?? null, made],
  );
  const [file] = rows;
  if (!file?.plan) fail('not_found', 'The file that the values are of is no longer there; send it again.', gone);
  if (list && file.newest !== list.id)
    fail('bad_value', 'What the rows of the file do has been said anew since; use its newest preview.', gone);
  return { id: file.id, plan: file.plan };
}

const gone = { where: 'job.selection.list' };

/** The job with the rows of another file, said as `name`, in the places of those it was saved with. */
export async function withRowsOf(
  services: Planning,
  seen: Seen,
  job: Job,
  asked: FileAsked,
  { name, id }: { readonly name: string; readonly id: string },
): Promise<Job> {
  const work = await planFile(services, seen, id, asked.plan).catch((error: unknown) => {
    if (!(error instanceof ProblemError)) throw error;
    const [first, ...rest] = error.problems.map((p) => ({ ...p, where: `inputs.${name}` }));
    throw new ProblemError(first!, ...rest);
  });
  const where = { where: `inputs.${name}` };
  const { file, stopped } = work;
  const fresh = work.job as Job | null;
  if (stopped !== null || fresh === null) {
    const [most] = file.report?.reasons ?? [];
    const why = [stopped ?? 'No row says anything to do.', file.report?.sentence, most && `Most often: ${most.reason}`];
    fail('bad_value', `“${clip(file.name)}”: ${why.filter(Boolean).join(' ')}`, where);
  }
  const { safety, why } = job;
  const whole = { ...(safety ? { safety } : {}), ...(why === undefined ? {} : { why }) };
  // Where every row is new there is nothing that the other edits are about.
  if (fresh.act === 'create') return { ...whole, ...fresh };
  const isOfFile = (part: LaterPart): boolean => part.from !== undefined && 'file' in part.from;
  const then = [...(fresh.then ?? []), ...(job.then ?? []).filter((part) => !isOfFile(part))];
  // Values that were said with the job are its own.
  const isFiled = (edit: Edit): boolean =>
    (edit.kind === 'put' && edit.given !== undefined) || (edit.kind === 'compute' && edit.file !== undefined);
  const filed = fresh.edits.map(
    (e) => ({ ...job.edits.find((old) => isFiled(old) && old.field === e.field), ...e }) as Edit,
  );
  const { act: _, from: __, then: ___, ...rest } = job;
  return {
    ...rest,
    selection: { ...job.selection, ...fresh.selection },
    edits: [...filed, ...job.edits.filter((e) => !isFiled(e))],
    ...(then.length > 0 ? { then } : {}),
  };
}
