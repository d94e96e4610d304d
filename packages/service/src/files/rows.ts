import type { FileRows, FileRowsQuery, FileRowView } from '@tantamos/contract';
import { errorMark } from '@tantamos/core';
import type { Database } from '../database/database';
import type { KeptFile } from './store';

const pageSize = 100;
const filePage = 2000;

type Of = NonNullable<FileRowsQuery['of']>;

const asked = (of: Of): string =>
  of === 'all'
    ? 'true'
    : of === 'left'
      ? `coalesce(t.fate, '') not in ('taken', 'new', 'blank', 'same')`
      : of === 'mended'
        ? 't.damage is not null'
        : `t.fate = '${of}'`;

/** Rows of a file by what became of them, a page. */
export async function rowsOf(database: Database, file: KeptFile, query: FileRowsQuery): Promise<FileRows> {
  const limit = query.limit ?? pageSize;
  const rows = await pageOf(database, file, query.of ?? 'all', query.after ?? 0, limit + 1);
  const shown = rows.slice(0, limit);
  return { rows: shown, next: rows.length > limit ? shown.at(-1)!.n : null };
}

/** The cells of rows as they stand in the file, each with why it was not taken, so that they can be mended and sent again. */
export async function* rowsLeft(database: Database, file: KeptFile, of: Of): AsyncGenerator<(string | null)[]> {
  for (let after = 0; ;) {
    const rows = await pageOf(database, file, of, after, filePage);
    for (const { cells, reason } of rows) yield [...cells, reason];
    if (rows.length < filePage) return;
    after = rows.at(-1)!.n;
  }
}

async function pageOf(
  database: Database,
  file: KeptFile,
  of: Of,
  after: number,
  limit: number,
): Promise<FileRowView[]> {
  const rows = await database.rows<FileRowView & Record<string, unknown>>(
    `select r.n, r.at, r.cells, t.fate, coalesce(t.reason, r.trouble) as reason, t.key,
       coalesce(t.damage, '{}') as damage
     from tantamos.file_row r left join tantamos.file_fate t on t.file = r.file and t.n = r.n
     where r.file = $1 and r.n > $2 and ${asked(of)} order by r.n limit $3`,
    [file.id, after, limit],
  );
  return rows.map(({ n, at, cells, fate, reason, key, damage }) => ({
    n,
    at,
    cells: file.columns.map((_, i) => (cells[i] ?? null)?.replace(errorMark, '') ?? null),
    fate,
    reason,
    key,
    damage,
  }));
}
