import type { ListChoicesBody, ListPageQuery, PasteBody } from '@tantamos/contract';
import { fail } from '@tantamos/core';
import { stringify } from 'csv-stringify';
import { pipeline } from 'node:stream/promises';
import { listLines as linesOf, listReport, writeReport } from '../../lists/report';
import { matchList } from '../../lists/match';
import type { Call, Handler } from '../handler';
import { sent } from '../handler';
import { seenType } from '../seen-type';

export const paste: Handler<PasteBody> = async ({ services, person, body }) => {
  for (const target of body.targets) await seenType(services, person, target.type);
  const catalog = await services.catalogs.get();
  const id = await matchList(services.database, catalog, person.id, body.text, body.targets);
  return listReport(services.database, id);
};

export const list: Handler = async (call) => {
  await mayRead(call);
  return listReport(call.services.database, call.params.id!);
};

export const listLines: Handler<never, ListPageQuery> = async (call) => {
  const { services, params, query, res } = call;
  await mayRead(call);
  const catalog = await services.catalogs.get();
  if (query.format !== 'csv') return linesOf(services.database, catalog, params.id!, query);
  res.type('text/csv; charset=utf-8; header=present');
  res.setHeader('Content-Disposition', `attachment; filename="list-${query.of ?? 'all'}.csv"`);
  const columns = ['line', 'said', 'fate', 'records', 'nearest', 'elsewhere'];
  const csv = stringify({ header: true, columns, record_delimiter: '\r\n', escape_formulas: true });
  const rows = async function* (): AsyncGenerator<(string | number)[]> {
    for (let after: number | null = 0; after !== null;) {
      const page = await linesOf(services.database, catalog, params.id!, { ...query, limit: 1000, after });
      for (const l of page.lines)
        yield [
          l.n,
          l.said,
          l.fate !== 'entry' ? l.fate.replace('_', ' ') : l.matches.length === 0 ? 'unknown' : 'found',
          l.matches.map((m) => `${m.type} ${m.key}`).join(', '),
          l.nearest.join(', '),
          l.elsewhere ? `${l.elsewhere.field} of ${l.elsewhere.type}` : '',
        ];
      after = page.next;
    }
  };
  await pipeline(rows, csv, res);
  return sent;
};

export const chooseInList: Handler<ListChoicesBody> = async (call) => {
  const { services, params, body } = call;
  await mayRead(call);
  const catalog = await services.catalogs.get();
  await services.database.transaction('read committed', async (connection) => {
    const { rowCount } = await connection.query(
      'update tantamos.list_match set taken = key = any($4) where list = $1 and type = $2 and entry = $3',
      [params.id, body.type, body.entry, body.keys],
    );
    if (!rowCount) fail('not_found', 'The list has no such entry with records to choose from.');
    await writeReport(connection, catalog, params.id!);
  });
  return listReport(services.database, params.id!);
};

/** A list is read by who pasted it, by administrators, and through what was made with it. */
async function mayRead({ services, person, params }: Pick<Call, 'services' | 'person' | 'params'>): Promise<void> {
  const row = await services.database.one<{ made_by: string }>('select made_by from tantamos.list where id = $1', [
    params.id,
  ]);
  if (!row) fail('not_found', 'There is no such list; paste it again.');
  if (row!.made_by !== person.id && person.role !== 'administrator')
    fail('not_permitted', 'Only the person who pasted a list, or an administrator, may read its lines.');
}
