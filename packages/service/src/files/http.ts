import { pipeline } from 'node:stream/promises';
import type { fileRoutes } from '@tantamos/contract';
import { safeCsv } from '../export/safe-csv';
import { sent, type Handlers } from '../http/handler';
import { guessPlan } from './guess';
import { planFile } from './plan';
import { rowsLeft, rowsOf } from './rows';
import { fileView, keepFile, ownFile } from './store';

export const fileHandlers: Handlers<typeof fileRoutes> = {
  async uploadFile({ services, seen, query, req }) {
    // Who may change nothing has no use for values.
    if (!seen.may('create')) seen.must('change');
    const { name, encoding, separator, sheet, header } = query;
    const said = {
      ...(encoding === undefined ? {} : { encoding }),
      ...(separator === undefined ? {} : { separator }),
      ...(sheet === undefined ? {} : { sheet }),
      ...(header === undefined ? {} : { header: ['true', '1'].includes(header) }),
    };
    return fileView(await keepFile(services.database, seen, name, said, req));
  },

  async file({ services, seen, params }) {
    return fileView(await ownFile(services.database, seen, params.id!));
  },

  async guessPlan({ services, seen, params }) {
    const file = await ownFile(services.database, seen, params.id!);
    return guessPlan(services.database, seen, file, seen.catalog.type(params.type!));
  },

  async planFile({ services, seen, params, body }) {
    return planFile(services, seen, params.id!, body);
  },

  async fileRows({ services, seen, params, query, res }) {
    const file = await ownFile(services.database, seen, params.id!);
    if (query.format !== 'csv') return rowsOf(services.database, file, query);
    res.type('text/csv; charset=utf-8; header=present');
    res.setHeader('Content-Disposition', `attachment; filename="rows-${query.of ?? 'all'}.csv"`);
    const csv = safeCsv([...file.columns.map((c) => c.name), 'reason']);
    await pipeline(rowsLeft(services.database, file, query.of ?? 'left'), csv, res);
    return sent;
  },
};
