import { fail } from '@tantamos/core';
import type { Connection, Database } from '../database/database';

interface Store {
  readonly table: string;
  /** The column that says whose it is. */
  readonly by: string;
  readonly words: string;
  /** So many at most, of one person and of the whole workspace. */
  readonly person: number;
  readonly workspace: number;
}

/** Everything that people can save, and how much of it. What is old or unused is deleted by those who look after it. */
const stores = {
  selections: { table: 'saved_selection', by: 'owner', words: 'saved selections', person: 500, workspace: 5_000 },
  jobs: { table: 'saved_job', by: 'owner', words: 'saved jobs', person: 300, workspace: 3_000 },
  rules: { table: 'rule', by: 'changed_by', words: 'rules', person: 1_000, workspace: 1_000 },
  presets: { table: 'preset', by: 'saved_by', words: 'presets', person: 200, workspace: 2_000 },
  counts: { table: 'kept_counts', by: 'made_by', words: 'saved counts', person: 200, workspace: 5_000 },
  lists: { table: 'list', by: 'made_by', words: 'pasted lists', person: 1_000, workspace: 20_000 },
  files: { table: 'file', by: 'made_by', words: 'files of values', person: 100, workspace: 1_000 },
  values: { table: 'given', by: 'made_by', words: 'sets of values', person: 2_000, workspace: 40_000 },
  exports: { table: 'export', by: 'made_by', words: 'signed exports', person: 200, workspace: 2_000 },
} as const satisfies Readonly<Record<string, Store>>;
export type StoreName = keyof typeof stores;

/** Versions of one saved thing that are kept, the newest. */
export const mostVersions = 200;
/** From this share of a limit on, people are warned. */
const warnedFrom = 0.8;
/** For how long a warning and the size of the journals are taken as they were, in ms. */
const knownFor = 30_000;

const number = (n: number): string => n.toLocaleString('en-US');

/** Throws `over_limit` where the person, or the workspace, has as many as there may be. `limits`: in place of the usual ones. */
export async function mustHaveRoom(
  connection: Pick<Connection, 'query'>,
  name: StoreName,
  person: string,
  limits: Pick<Store, 'person' | 'workspace'> = stores[name],
): Promise<void> {
  const { table, by, words } = stores[name];
  const { rows } = await connection.query<{ mine: number; all: number }>(
    `select count(*) filter (where ${by} = $1)::int as mine, count(*)::int as all from tantamos.${table}`,
    [person],
  );
  const { mine, all } = rows[0]!;
  if (mine >= limits.person)
    fail('over_limit', `You have ${number(mine)} ${words}, as many as one person can have. Delete some first.`);
  if (all >= limits.workspace)
    fail(
      'over_limit',
      `The workspace has ${number(all)} ${words}, as many as it can have. Some must be deleted first.`,
    );
}

/** What is kept, how much room is left, and what people should know of it. */
export class Room {
  private journals: { bytes: number; limit: number; at: number } | undefined;
  private readonly known = new Map<string, { warnings: readonly string[]; at: number }>();

  constructor(private readonly database: Database) {}

  /** Throws `over_limit` where journals take as much as the workspace allows. */
  async mustHaveJournal(): Promise<void> {
    const { bytes, limit } = await this.journalSize();
    if (bytes >= limit)
      fail(
        'over_limit',
        `Journals take ${gigabytes(bytes)} of the ${gigabytes(limit)} that this workspace allows. An administrator can allow more, or keep fewer months.`,
      );
  }

  /** Sentences about limits of which four fifths are used: the person's own and, for who administers, the workspace's. */
  async warnings(person: string, administers: boolean): Promise<readonly string[]> {
    const known = this.known.get(`${person} ${administers}`);
    if (known && Date.now() - known.at < knownFor) return known.warnings;
    const counts = Object.values(stores).map(
      ({ table, by }, i) =>
        `select ${i} as store, count(*) filter (where ${by} = $1)::int as mine, count(*)::int as all from tantamos.${table}`,
    );
    const rows = await this.database.rows<{ store: number; mine: number; all: number }>(counts.join(' union all '), [
      person,
    ]);
    const warnings = rows.flatMap(({ store, mine, all }) => {
      const { words, person: most, workspace } = Object.values(stores)[store]!;
      const isNear = (n: number, limit: number): boolean => n >= warnedFrom * limit;
      return [
        ...(isNear(mine, most)
          ? [`You have ${number(mine)} of at most ${number(most)} ${words}; delete those that you no longer need.`]
          : []),
        ...(administers && isNear(all, workspace)
          ? [`The workspace has ${number(all)} of at most ${number(workspace)} ${words}.`]
          : []),
      ];
    });
    if (administers) {
      const { bytes, limit } = await this.journalSize();
      if (bytes >= warnedFrom * limit)
        warnings.push(`Journals take ${gigabytes(bytes)} of the ${gigabytes(limit)} that this workspace allows.`);
    }
    if (this.known.size > 1000) this.known.clear();
    this.known.set(`${person} ${administers}`, { warnings, at: Date.now() });
    return warnings;
  }

  /** The limit was changed, or something was deleted. */
  refresh(): void {
    this.journals = undefined;
    this.known.clear();
  }

  private async journalSize(): Promise<{ bytes: number; limit: number }> {
    if (this.journals && Date.now() - this.journals.at < knownFor) return this.journals;
    const row = await this.database.one<{ bytes: number; gb: number }>(
      `select (select coalesce(sum(pg_total_relation_size(oid)), 0)::int8 from pg_class
          where relnamespace = 'tantamos'::regnamespace and relkind = 'r' and relname ~ '^(batch|run_batch)') as bytes,
        journal_gb as gb from tantamos.workspace`,
    );
    this.journals = { bytes: row!.bytes, limit: row!.gb * 2 ** 30, at: Date.now() };
    return this.journals;
  }
}

function gigabytes(bytes: number): string {
  return `${(bytes / 2 ** 30).toLocaleString('en-US', { maximumFractionDigits: 1 })} GB`;
}
