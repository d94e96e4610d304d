import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { exportRoutes } from '@tantamos/contract';
import { allRecords, countRecords, fail, signedColumn, sortOf, type Sql } from '@tantamos/core';
import { pathsOf } from '../catalog/columns';
import { longestSearch } from '../database/patience';
import { asProblem } from '../database/problems';
import { compiled } from '../exploring/http';
import { gone } from '../http/gone';
import { sent, type Handlers } from '../http/handler';
import type { Services } from '../services';
import { csvLines, jsonLines } from './csv';
import { columnsOf } from './rows';
import { keepSigned, signature } from './signed';
import { mostRows, workbook } from './xlsx';

const mediaTypes = {
  csv: 'text/csv; charset=utf-8; header=present',
  jsonl: 'application/jsonl',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
};

/** All selected records as a stream: what is in memory does not grow with their number. */
export const exportHandlers: Handlers<typeof exportRoutes> = {
  async exportRecords(call) {
    const { services, seen, body, res } = call;
    const { selection, catalog } = await compiled(call, body);
    const { type } = selection;
    const names = body.columns?.length ? body.columns : type.fields.filter((f) => !f.hidden).map((f) => f.name);
    const paths = pathsOf(catalog, type, names);
    const plain = columnsOf(names, paths, body);
    if (body.signed && (type.key.length !== 1 || names.includes(signedColumn)))
      fail('bad_value', `Rows of ${type.label.toLowerCase()} can carry no signature: their key is not of one field.`, {
        where: 'signed',
      });
    const columns = body.signed ? [...plain, signature] : plain;
    const signal = gone(res);
    const [counted] = await services.database
      .askWithin<{ count: number }>(countRecords(selection), longestSearch, signal)
      .catch(asProblem);
    const count = counted?.count ?? 0;
    if (body.format === 'xlsx' && count >= mostRows)
      fail(
        'over_limit',
        `A spreadsheet holds ${(mostRows - 1).toLocaleString('en-US')} records; these are ${count.toLocaleString('en-US')}. Take CSV or JSON Lines, or fewer.`,
        { where: 'format' },
      );
    const own = paths.flatMap(({ through, field }) => (through.length === 0 ? [field] : []));
    const signed = body.signed ? await keepSigned(services.database, seen.person.id, selection, catalog, own) : null;
    const statement = allRecords(selection, catalog, {
      columns: signed === null ? names : [...names, type.key[0]!],
      sort: sortOf(body.sort, body.take),
      named: !body.stored,
    });
    const rows = rowsOf(services, statement, columns, signal, signed);
    res.setHeader('Tantamos-Records', String(count));
    res.setHeader('Content-Disposition', `attachment; filename="${type.table.replace(/[^\w-]/g, '_')}.${body.format}"`);
    res.type(mediaTypes[body.format]);
    if (body.format === 'xlsx') await pipeline(workbook(columns, rows), res);
    else {
      const lines = body.format === 'csv' ? csvLines(columns, rows, body) : jsonLines(columns, rows);
      await pipeline(Readable.from(gathered(lines)), res);
    }
    return sent;
  },
};

async function* rowsOf(
  { database }: Services,
  statement: Sql,
  columns: ReturnType<typeof columnsOf>,
  signal: AbortSignal,
  signed: string | null,
): AsyncGenerator<(string | null)[]> {
  for await (const row of database.stream<Record<string, string | null>>(statement, signal))
    yield columns.map((c, i) => {
      const text = row[`c${i + 1}`] ?? null;
      return c === signature ? `${signed!}:${text!}` : c.show(text);
    });
}

/** Lines in pieces of some 64 kB, so that a line is not a packet. */
async function* gathered(lines: AsyncIterable<string>): AsyncGenerator<string> {
  let piece = '';
  for await (const line of lines) {
    piece += line;
    if (piece.length < 65_536) continue;
    yield piece;
    piece = '';
  }
  if (piece) yield piece;
}
