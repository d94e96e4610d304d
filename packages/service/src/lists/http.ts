import { pipeline } from 'node:stream/promises';
import type { listRoutes } from '@tantamos/contract';
import { fail } from '@tantamos/core';
import { safeCsv } from '../export/safe-csv';
import { sent, type Call, type Handlers } from '../http/handler';
import { matchList } from './match';
import { listLines, listReport, writeReport } from './report';
import { reportAsSeen } from './seen-report';

export const listHandlers: Handlers<typeof listRoutes> = {
  async paste({ services, seen, body }) {
    const id = await matchList(services.database, seen.catalog, seen.person.id, body.text, body.targets);
    return reportAsSeen(await listReport(services.database, id), seen);
  },

  async list(call) {
    await mayRead(call);
    return reportAsSeen(await listReport(call.services.database, call.params.id!), call.seen);
  },

  async listLines(call) {
    const { services, seen, params, query, res } = call;
    await mayRead(call);
    const { catalog } = seen;
    if (query.format !== 'csv') return listLines(services.database, catalog, params.id!, query);
    res.type('text/csv; charset=utf-8; header=present');
    res.setHeader('Content-Disposition', `attachment; filename="list-${query.of ?? 'all'}.csv"`);
    const columns = ['line', 'said', 'fate', 'records', 'nearest', 'elsewhere'];
    const csv = safeCsv(columns);
    const rows = async function* (): AsyncGenerator<(string | number)[]> {
      for (let after: number | null = 0; after !== null;) {
        const page = await listLines(services.database, catalog, params.id!, { ...query, limit: 1000, after });
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
  },

  async chooseInList(call) {
    const { services, seen, params, body } = call;
    await mayRead(call);
    seen.catalog.type(body.type);
    await services.database.transaction('read committed', async (connection) => {
      const { rowCount } = await connection.query(
        'update tantamos.list_match set taken = key = any($4) where list = $1 and type = $2 and entry = $3',
        [params.id, body.type, body.entry, body.keys],
      );
      if (!rowCount) fail('not_found', 'The list has no such entry with records to choose from.');
      await writeReport(connection, seen.catalog, params.id!);
    });
    return reportAsSeen(await listReport(services.database, params.id!), seen);
  },
};

/** A list is read by who pasted it, by administrators, and through what was made with it. */
async function mayRead({ services, seen, params }: Pick<Call, 'services' | 'seen' | 'params'>): Promise<void> {
  const row = await services.database.one<{ made_by: string }>('select made_by from tantamos.list where id = $1', [
    params.id,
  ]);
  if (!row) fail('not_found', 'There is no such list; paste it again.');
  if (row.made_by !== seen.person.id && !seen.may('administer'))
    fail('not_permitted', 'Only the person who pasted a list, or an administrator, may read its lines.');
}
