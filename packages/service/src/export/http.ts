import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { exportRoutes } from '@tantamos/contract';
import { allRecords, countRecords, fail, sortOf, type Sql } from '@tantamos/core';
import { pathsOf } from '../catalog/columns';
import { longestSearch } from '../database/patience';
import { asProblem } from '../database/problems';
import { compiled } from '../exploring/http';
import { gone } from '../http/gone';
import { sent, type Handlers } from '../http/handler';
import type { Services } from '../services';
import { csvLines, jsonLines } from './csv';
import { columnsOf } from './rows';
import { mostRows, workbook } from './xlsx';

const mediaTypes = {
  csv: 'text/csv; charset=utf-8; header=present',
  jsonl: 'application/jsonl',
  xlsx: 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
};

/** All selected records as a stream: what is in memory does not grow with their number. */
export const exportHandlers: Handlers<typeof exportRoutes> = {
  async exportRecords(call) {
    const { services, body, res } = call;
    const { selection, catalog } = await compiled(call, body);
    const { type } = selection;
    const names = body.columns?.length ? body.columns : type.fields.filter((f) => !f.hidden).map((f) => f.name);
    const columns = columnsOf(names, pathsOf(catalog, type, names), body);
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
    const statement = allRecords(selection, catalog, {
      columns: names,
      sort: sortOf(body.sort ?? []),
      named: !body.stored,
    });
    const rows = rowsOf(services, statement, columns, signal);
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
): AsyncGenerator<(string | null)[]> {
  for await (const row of database.stream<Record<string, string | null>>(statement, signal))
    yield columns.map((c, i) => c.show(row[`c${i + 1}`] ?? null));
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
