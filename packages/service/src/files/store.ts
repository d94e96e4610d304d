import { createWriteStream } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { FileColumnView, FilePlanSaid, FileReport, FileView } from '@tantamos/contract';
import { fail, type FileColumn } from '@tantamos/core';
import { from as copyFrom } from 'pg-copy-streams';
import type { Connection, Database } from '../database/database';
import type { Seen } from '../rights/seen';
import { mustHaveRoom } from '../storage/room';
import { turns } from '../turns';
import { columnsOf } from './columns';
import { readFile } from './read';
import { mostBytes, mostRows, type FileNote, type Manner, type MannerSaid, type Reading } from './read/reading';

// Files of values as they are kept: their rows as texts, for a day, or as long as something that was made of them needs them.

export interface KeptFile {
  readonly id: string;
  readonly made_by: string;
  readonly made_at: Date;
  readonly name: string;
  readonly bytes: string;
  readonly manner: Manner;
  readonly columns: readonly FileColumnView[];
  readonly notes: readonly FileNote[];
  readonly rows: number;
  readonly plan: FilePlanSaid | null;
  readonly report: FileReport | null;
}

/** Keeps a file that a person sends: read as a whole first, so that a slow sender holds nothing of the database. */
export async function keepFile(
  database: Database,
  seen: Seen,
  name: string,
  said: MannerSaid,
  sent: Readable,
): Promise<KeptFile> {
  const folder = await mkdtemp(join(tmpdir(), 'tantamos-file-'));
  try {
    const path = join(folder, 'file');
    const bytes = await spooled(sent, path);
    const reading = await readFile(path, said);
    return await database.transaction(
      'read committed',
      async (connection) => {
        await forgetOld(connection, seen.person.id);
        await mustHaveRoom(connection, 'files', seen.person.id);
        const { rows } = await connection.query<{ id: string }>(
          `insert into tantamos.file (made_by, name, bytes, manner, columns, notes, rows) values ($1, $2, $3, $4, '[]', '[]', 0) returning id`,
          [seen.person.id, name, bytes, JSON.stringify(reading.manner)],
        );
        const id = rows[0]!.id;
        const { count, others } = await copied(connection, id, reading);
        if (count === 0) fail('bad_value', 'The file has no rows beneath its header.', { where: 'file' });
        const columns = await columnsOf(connection, id, reading.columns(), count);
        await connection.query(
          'update tantamos.file set columns = $2, notes = $3, rows = $4, others = $5 where id = $1',
          [id, JSON.stringify(columns), JSON.stringify(reading.notes()), count, others],
        );
        return (await fileRow(connection, id))!;
      },
      'streams',
    );
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}

/** So much more of a file that is too large is read, so that who sends it hears why and not only that it is cut off. */
const mostDrained = 4 * mostBytes;

async function spooled(sent: Readable, path: string): Promise<number> {
  let bytes = 0;
  const counting = new Transform({
    transform(chunk: Buffer, _, done) {
      bytes += chunk.length;
      if (bytes > mostDrained) done(new Error('There is no end to it.'));
      else done(null, bytes > mostBytes ? undefined : chunk);
    },
  });
  await pipeline(sent, counting, createWriteStream(path)).catch((error: unknown) => {
    if (bytes <= mostBytes) throw error;
  });
  if (bytes > mostBytes)
    fail('over_limit', `A file may have ${mostBytes / 1024 / 1024} MB; this one has more.`, { where: 'file' });
  return bytes;
}

/** How many rows were kept, and which columns hold other than plain letters. */
async function copied(
  connection: Connection,
  file: string,
  reading: Reading,
): Promise<{ readonly count: number; readonly others: readonly number[] }> {
  let n = 0;
  const others = new Set<number>();
  const turn = turns();
  async function* lines(): AsyncGenerator<string> {
    let chunk = '';
    for await (const { at, cells, trouble } of reading.rows()) {
      if (++n > mostRows)
        fail('over_limit', `A file may have ${mostRows.toLocaleString('en-US')} rows; this one has more.`, {
          where: 'file',
        });
      for (const [i, text] of cells.entries()) if (text !== null && isOther.test(text)) others.add(i);
      chunk += `${file}\t${n}\t${at}\t${arrayText(cells)}\t${trouble === null ? '\\N' : escaped(trouble)}\n`;
      if (chunk.length < 65_536) continue;
      yield chunk;
      chunk = '';
      await turn();
    }
    if (chunk) yield chunk;
  }
  await pipeline(
    Readable.from(lines()),
    connection.query(copyFrom('copy tantamos.file_row (file, n, at, cells, trouble) from stdin')),
  );
  return { count: n, others: [...others] };
}

const isOther = /[^ -~]/;

/** An array of texts as COPY reads it. */
function arrayText(cells: readonly (string | null)[]): string {
  let text = '{';
  for (const cell of cells) {
    if (text.length > 1) text += ',';
    // What stands in quotes within an array is escaped, and all of it once more.
    if (cell === null) text += 'NULL';
    else
      text += `"${isSpecial.test(cell) ? cell.replace(/["\\\t\n\r]/g, (c) => (c in signs ? signs[c]! : `\\\\\\${c}`)) : cell}"`;
  }
  return `${text}}`;
}

const isSpecial = /["\\\t\n\r]/;
const signs: Readonly<Record<string, string>> = { '\t': '\\t', '\n': '\\n', '\r': '\\r' };

/** A text as COPY reads it. */
function escaped(text: string): string {
  return text.replace(/[\\\t\n\r]/g, (c) => signs[c] ?? '\\\\');
}

/** A file that nothing was made of is forgotten after a day. */
async function forgetOld(connection: Connection, account: string): Promise<void> {
  const { rows } = await connection.query<{ id: string }>(
    `delete from tantamos.file f where made_by = $1 and made_at < now() - interval '1 day'
       and not exists (select from tantamos.preview p where p.job::text like '%' || f.id || '%' or p.list_report ->> 'file' = f.id::text)
       and not exists (select from tantamos.draft d where d.job::text like '%' || f.id || '%')
       and not exists (select from tantamos.saved_job j where j.said::text like '%' || f.id || '%')
     returning id`,
    [account],
  );
  if (rows.length === 0) return;
  for (const table of ['file_row', 'file_fate'])
    await connection.query(`delete from tantamos.${table} where file = any($1)`, [rows.map((r) => r.id)]);
}

async function fileRow(connection: Pick<Connection, 'query'>, id: string): Promise<KeptFile | undefined> {
  const { rows } = await connection.query<KeptFile & Record<string, unknown>>(
    'select * from tantamos.file where id = $1',
    [id],
  );
  return rows[0];
}

export function keptFile(database: Database, id: string): Promise<KeptFile | undefined> {
  return database.one<KeptFile & Record<string, unknown>>('select * from tantamos.file where id = $1', [id]);
}

/** A file of the person's own; throws `not_found` for everybody else. */
export async function ownFile(database: Database, seen: Seen, id: string): Promise<KeptFile> {
  const row = await keptFile(database, id);
  return row && row.made_by === seen.person.id
    ? row
    : fail('not_found', 'There is no such file of yours; send it again.', { where: 'file' });
}

/** As a plan reads them. */
export function fileColumns(file: KeptFile): readonly FileColumn[] {
  return file.columns.map(({ name, looks, decimal, order }) => ({ name, looks, decimal, order }));
}

export function fileView(file: KeptFile): FileView {
  const { id, name, columns, notes, rows, plan, report, manner } = file;
  return {
    id,
    name,
    madeAt: file.made_at.toISOString(),
    bytes: Number(file.bytes),
    rows,
    ...manner,
    sheets: [...manner.sheets],
    columns: [...columns],
    notes: [...notes],
    plan,
    report,
  };
}
