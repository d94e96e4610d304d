import { fail } from '@tantamos/core';
import type { Database } from '../database/database';

export interface DraftRow {
  readonly id: string;
  readonly version: number;
  readonly job: Record<string, unknown>;
  readonly saved_at: Date;
}

/** Unfinished jobs a person may have. */
const mostDrafts = 50;

/** Unfinished jobs, each of one person; kept until they are dropped. */
export class Drafts {
  constructor(private readonly database: Database) {}

  /** The last one touched first. */
  async list(account: string): Promise<DraftRow[]> {
    return this.database.rows<DraftRow & Record<string, unknown>>(
      `${selectDrafts} where account = $1 order by saved_at desc, id`,
      [account],
    );
  }

  async get(account: string, id: string): Promise<DraftRow> {
    const row = await this.database.one<DraftRow & Record<string, unknown>>(
      `${selectDrafts} where account = $1 and id = $2`,
      [account, id],
    );
    return row ?? fail('not_found', 'There is no such unfinished job.');
  }

  async begin(account: string, job: Record<string, unknown>): Promise<DraftRow> {
    const row = await this.database.one<DraftRow & Record<string, unknown>>(
      `insert into tantamos.draft (account, job)
       select $1, $2 where (select count(*) from tantamos.draft where account = $1) < $3 returning *`,
      [account, job, mostDrafts],
    );
    return row ?? fail('over_limit', `You have ${mostDrafts} unfinished jobs; drop some of them first.`);
  }

  /** Kept as it is now; `stale_version` where another tab has kept it since `version` was read. */
  async keep(
    account: string,
    id: string,
    job: Record<string, unknown>,
    version: number | undefined,
  ): Promise<DraftRow> {
    const row = await this.database.one<DraftRow & Record<string, unknown>>(
      `update tantamos.draft set job = $3, version = version + 1, saved_at = now()
       where account = $1 and id = $2 and ($4::int is null or version = $4) returning *`,
      [account, id, job, version ?? null],
    );
    if (row) return row;
    await this.get(account, id);
    return fail('stale_version', 'This unfinished job has been changed in another window since you opened it here.');
  }

  async drop(account: string, id: string): Promise<void> {
    const gone = await this.database.one('delete from tantamos.draft where account = $1 and id = $2 returning id', [
      account,
      id,
    ]);
    if (!gone) fail('not_found', 'There is no such unfinished job.');
  }
}

const selectDrafts = 'select id, version, job, saved_at from tantamos.draft';
