import type { FileWork, FilePlanBody } from '@tantamos/contract';
import { checkPlan, type FilePlan } from '@tantamos/core';
import type { Seen } from '../rights/seen';
import type { Services } from '../services';
import { applyPlan } from './apply';
import { fileColumns, fileView, ownFile } from './store';

/** Says what the rows of a file of the person's own are to do; what can be done comes back as a job. */
export async function planFile(
  { database, compiler, accounts }: Pick<Services, 'database' | 'compiler' | 'accounts'>,
  seen: Seen,
  id: string,
  said: FilePlanBody | FilePlan,
): Promise<FileWork> {
  const file = await ownFile(database, seen, id);
  const { catalog, context } = await compiler.context(seen, [{ type: said.type }]);
  const plan: FilePlan = {
    type: said.type,
    match: said.match.map((m) => ({ ...m })),
    take: said.take.map((t) => ({ ...t })),
    ...(said.signed === undefined ? {} : { signed: said.signed }),
    ...(said.readings ? { readings: said.readings } : {}),
    blank: said.blank ?? 'leave',
    unknown: said.unknown ?? 'stop',
    several: said.several ?? 'skip',
  };
  const checked = checkPlan(plan, { id: file.id, columns: fileColumns(file) }, catalog, context);
  seen.mustChange(
    checked.type,
    [...checked.changes.map((c) => c.field.name), ...checked.beside.map((b) => b.field)].filter(
      (name) => !checked.type.key.includes(name),
    ),
  );
  if (plan.unknown === 'create') seen.must('create', checked.type);
  const { stopped, job } = await applyPlan(database, seen.person.id, file, checked, context.env, async () => {
    await accounts.acting(seen.person.id);
  });
  return { file: fileView(await ownFile(database, seen, file.id)), stopped, job };
}
