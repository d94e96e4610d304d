import { pipeline } from 'node:stream/promises';
import type { fileRoutes } from '@tantamos/contract';
import { checkPlan, type FilePlan } from '@tantamos/core';
import { safeCsv } from '../export/safe-csv';
import { sent, type Handlers } from '../http/handler';
import { applyPlan } from './apply';
import { guessPlan } from './guess';
import { rowsLeft, rowsOf } from './rows';
import { fileColumns, fileView, keepFile, ownFile } from './store';

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
    const { database, compiler } = services;
    const file = await ownFile(database, seen, params.id!);
    const { catalog, context } = await compiler.context(seen, [{ type: body.type }]);
    const plan: FilePlan = {
      type: body.type,
      match: body.match.map((m) => ({ ...m })),
      take: body.take.map((t) => ({ ...t })),
      ...(body.signed === undefined ? {} : { signed: body.signed }),
      ...(body.readings ? { readings: body.readings } : {}),
      blank: body.blank ?? 'leave',
      unknown: body.unknown ?? 'stop',
      several: body.several ?? 'skip',
    };
    const checked = checkPlan(plan, { id: file.id, columns: fileColumns(file) }, catalog, context);
    seen.mustChange(
      checked.type,
      checked.changes.flatMap((c) => (checked.type.key.includes(c.field.name) ? [] : [c.field.name])),
    );
    if (plan.unknown === 'create') seen.must('create', checked.type);
    const { stopped, job } = await applyPlan(database, seen.person.id, file, checked, context.env);
    return { file: fileView(await ownFile(database, seen, file.id)), stopped, job };
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
