import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { fieldNamed, keyParts, type RecordType, type WorkOrder } from '@tantamos/core';
import type { Response } from 'express';
import type { Database } from '../database/database';
import { readJournal } from './journal';

/** Streams what the records of a type were that a run changed or deleted, to be loaded by hand: the key, then the fields. */
export async function sendBefore(
  database: Database,
  res: Response,
  of: { readonly run: string; readonly order: WorkOrder; readonly type: RecordType; readonly fileName: string },
): Promise<void> {
  const { run, order, type, fileName } = of;
  const fields = [
    ...new Set(
      order.parts
        .filter((part) => part.type === type.id && part.act !== 'create')
        .flatMap((part) => part.writes)
        .filter((name) => fieldNamed(type, name)?.hidden === false && !type.key.includes(name)),
    ),
  ];
  async function* lines(): AsyncGenerator<string> {
    yield line([...type.key, ...fields]);
    for await (const row of readJournal(database, { run }, order, { outcome: 'changed', after: null })) {
      if (row.type !== type.id || row.act === 'create') continue;
      const old = new Map(row.changes.map((c) => [c.field, c.old]));
      yield line([...keyParts(type, row.key), ...fields.map((f) => old.get(f) ?? null)]);
    }
  }
  res.type('text/csv; charset=utf-8; header=present');
  res.setHeader('Content-Disposition', `attachment; filename="${fileName}-before.csv"`);
  await pipeline(Readable.from(lines()), res);
}

/** A line as COPY reads it (source: PostgreSQL, COPY, CSV format): what is not there is not quoted. */
function line(values: readonly (string | null)[]): string {
  return `${values.map((v) => (v === null ? '' : `"${v.replaceAll('"', '""')}"`)).join(',')}\r\n`;
}
