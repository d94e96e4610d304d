import {
  bind,
  bindJob,
  checkJob,
  checkSelection,
  namesIn,
  within,
  type Catalog,
  type CheckedJob,
  type CheckedSelection,
  type Job,
  type Selection,
} from '@tantamos/core';
import { answerNames } from '../catalog/names';
import type { Database } from '../database/database';

/** Checks a job and looks its names up; throws every problem found. */
export async function compileJob(database: Database, catalog: Catalog, job: Job): Promise<CheckedJob> {
  const checked = checkJob(job, catalog);
  const answers = await answerNames(database, catalog, checked.questions);
  return bindJob(checked, answers, catalog);
}

/** The same for a selection alone. */
export async function compileSelection(
  database: Database,
  catalog: Catalog,
  selection: Selection,
): Promise<CheckedSelection> {
  const checked = checkSelection(selection, catalog);
  const { condition } = checked;
  if (!condition) return checked;
  const answers = await answerNames(database, catalog, namesIn(condition));
  return { ...checked, condition: within('filter', () => bind(condition, answers, catalog)) };
}
