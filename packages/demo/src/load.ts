import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Client } from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { meadowline, type Table } from './meadowline';

const folder = join(__dirname, '..', 'sql');

/** Makes the tables and loads every record by COPY, in one transaction. Returns the number of records. */
export async function loadMeadowline(
  client: Client,
  size = 1,
  said: (text: string) => void = () => {},
): Promise<number> {
  await client.query('begin');
  try {
    await client.query(await readFile(join(folder, 'meadowline.sql'), 'utf8'));
    let records = 0;
    for (const table of meadowline(size)) {
      const loaded = await copy(client, table);
      said(`${table.name}: ${loaded.toLocaleString('en-US')}`);
      records += loaded;
    }
    await client.query(await readFile(join(folder, 'after-load.sql'), 'utf8'));
    await client.query('commit');
    await client.query('analyze');
    return records;
  } catch (error) {
    await client.query('rollback');
    throw error;
  }
}

/** True when the database holds nothing of its own yet: no table, view or sequence but what belongs to an extension. */
export async function isEmpty(client: Client): Promise<boolean> {
  const { rows } = await client.query(`
    select exists (
      select from pg_class c join pg_namespace n on n.oid = c.relnamespace
      where c.relkind in ('r', 'p', 'v', 'm', 'f', 'S') and n.nspname not in ('pg_catalog', 'information_schema', 'tantamos')
        and n.nspname not like 'pg\\_toast%' and n.nspname not like 'pg\\_temp%'
        and not exists (select from pg_depend d where d.classid = 'pg_class'::regclass and d.objid = c.oid and d.deptype = 'e')) as any`);
  return !rows[0].any;
}

/** The rows of a table in PostgreSQL's COPY text format, in chunks of some 64 KB. */
export function* copyText(table: Table): Generator<string> {
  let chunk = '';
  for (const row of table.rows()) {
    chunk += `${row.map(cell).join('\t')}\n`;
    if (chunk.length > 65_536) {
      yield chunk;
      chunk = '';
    }
  }
  if (chunk) yield chunk;
}

async function copy(client: Client, table: Table): Promise<number> {
  const columns = table.columns.map((c) => `"${c}"`).join(', ');
  const stream = client.query(copyFrom(`copy "${table.name}" (${columns}) from stdin`));
  await pipeline(Readable.from(copyText(table)), stream);
  return stream.rowCount;
}

function cell(value: string | number | boolean | null): string {
  if (value === null) return '\\N';
  return String(value).replace(/[\\\t\n\r]/g, (c) => ({ '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' })[c]!);
}
