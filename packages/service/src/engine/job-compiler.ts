import {
  bindJob,
  bindSelection,
  checkJob,
  checkSelection,
  questionsOf,
  type Catalog,
  type CheckedJob,
  type CheckedSelection,
  type Context,
  type Job,
  type Selection,
} from '@tantamos/core';
import type { Person } from '../accounts/rights';
import { answerNames } from '../catalog/names';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Database } from '../database/database';
import { mustBeKept } from './given';
import { loadContext } from '../selections/context';

/** What a selection or job of a person comes down to: checked against the catalog, its names looked up. */
export class Compiler {
  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
  ) {}

  /** What expressions in these selections may refer to; the same context serves a whole request. */
  async context(
    person: Person,
    selections: readonly Selection[],
    now = nowInMicroseconds(),
  ): Promise<{ catalog: Catalog; context: Context }> {
    const [catalog, timeZone] = await Promise.all([this.catalogs.get(), this.catalogs.timeZone()]);
    return { catalog, context: await loadContext(this.database, catalog, { timeZone, now }, person, selections) };
  }

  /** Throws every problem found. `now`: the moment that its expressions mean, in microseconds; default: this one. */
  async job(person: Person, job: Job, now?: bigint): Promise<{ job: CheckedJob; catalog: Catalog; context: Context }> {
    const { catalog, context } = await this.context(person, [job.selection], now);
    const checked = checkJob(job, catalog, context);
    await mustBeKept(this.database, checked);
    const answers = await answerNames(this.database, catalog, checked.questions);
    return { job: bindJob(checked, answers, catalog), catalog, context };
  }

  async selection(
    person: Person,
    selection: Selection,
  ): Promise<{ selection: CheckedSelection; catalog: Catalog; context: Context }> {
    const { catalog, context } = await this.context(person, [selection]);
    const checked = checkSelection(selection, catalog, context);
    const questions = questionsOf(checked);
    const answers = await answerNames(this.database, catalog, questions);
    return { selection: bindSelection(checked, answers, catalog), catalog, context };
  }
}

function nowInMicroseconds(): bigint {
  return BigInt(Date.now()) * 1000n;
}
