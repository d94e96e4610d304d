import {
  bindJob,
  bindSelection,
  checkJob,
  checkSelection,
  questionsOf,
  selectionsOf,
  type Catalog,
  type CheckedJob,
  type CheckedSelection,
  type Context,
  type Job,
  type Selection,
} from '@tantamos/core';
import { answerNames } from '../catalog/names';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Connection, Database } from '../database/database';
import type { Spending } from '../spending';
import type { Seen } from '../rights/seen';
import { loadContext } from '../selections/context';
import { filedIn } from '../files/filed';
import { ownFile } from '../files/store';
import { mustBeKept } from './given';
import { withLoads } from './loads';

/** What a selection or job of a person comes down to: checked against what they see, its names looked up. */
export class Compiler {
  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    /** How many characters are compiled for each person. */
    private readonly spending: Spending,
  ) {}

  /** What expressions in these selections may refer to; the same context serves a whole request. */
  async context(
    seen: Seen,
    selections: readonly Selection[],
    now = nowInMicroseconds(),
    /** Asked on this connection, where what it has not committed yet counts. */
    connection?: Connection,
  ): Promise<{ catalog: Catalog; context: Context }> {
    const timeZone = await this.catalogs.timeZone();
    const { catalog } = seen;
    const context = await loadContext(this.database, seen, { timeZone, now }, selections, connection, (saved) =>
      this.spending.add(seen.person.id, saved),
    );
    return { catalog, context };
  }

  /** Throws every problem found. `now`: the moment that its expressions mean, in microseconds; default: this one. */
  async job(seen: Seen, job: Job, now?: bigint): Promise<{ job: CheckedJob; catalog: Catalog; context: Context }> {
    const { catalog, context: plain } = await this.context(seen, selectionsOf(job), now);
    const filed = await filedIn((id) => ownFile(this.database, seen, id), [job], catalog, plain);
    const context = { ...plain, filed };
    const checked = checkJob(job, catalog, context);
    await mustBeKept(this.database, checked);
    const answers = await answerNames(this.database, catalog, checked.questions);
    return { job: await withLoads(this.database, bindJob(checked, answers, catalog)), catalog, context };
  }

  async selection(
    seen: Seen,
    selection: Selection,
  ): Promise<{ selection: CheckedSelection; catalog: Catalog; context: Context }> {
    const { catalog, context } = await this.context(seen, [selection]);
    const checked = checkSelection(selection, catalog, context);
    const questions = questionsOf(checked);
    const answers = await answerNames(this.database, catalog, questions);
    return { selection: bindSelection(checked, answers, catalog), catalog, context };
  }
}

/** The moment, in microseconds since 1970. */
export function nowInMicroseconds(): bigint {
  return BigInt(Date.now()) * 1000n;
}
