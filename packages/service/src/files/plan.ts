import type { FileWork, FilePlanBody } from '@tantamos/contract';
import { checkPlan, type FilePlan } from '@tantamos/core';
import type { Accounts } from '../accounts/accounts';
import type { Database } from '../database/database';
import type { Compiler } from '../jobs/compiler';
import type { Seen } from '../rights/seen';
import { applyPlan } from './apply';
import { fileColumns, fileView, ownFile } from './store';

/** What planning needs of the service. */
export interface Planning {
  readonly database: Database;
  readonly compiler: Compiler;
  readonly accounts: Accounts;
}

/** Says what the rows of a file of the person's own are to do; what can be done comes back as a job. */
export async function planFile(
  { database, compiler, accounts }: Planning,
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
