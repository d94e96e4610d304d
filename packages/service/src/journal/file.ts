import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { JournalRecord } from '@tantamos/contract';
import { fieldNamed, keyParts, outcomeWords, type Catalog, type RecordType, type WorkOrder } from '@tantamos/core';
import type { Response } from 'express';
import type { Database } from '../database/database';
import { safeCsv } from '../export/safe-csv';
import { readJournal, type JournalRow, type Source, type Wanted } from './journal';
import { fieldOf, journalRecords } from './records';

interface Export {
  readonly source: Source;
  readonly order: WorkOrder;
  readonly wanted: Wanted;
  readonly format: 'csv' | 'jsonl';
  readonly fileName: string;
  /** Control characters as they are. */
  readonly raw: boolean;
}

/** Streams a whole journal, a thousand records in memory at a time. */
export async function sendExport(database: Database, catalog: Catalog, res: Response, e: Export): Promise<void> {
  const records = namedRecords(database, catalog, e);
  res.setHeader('Content-Disposition', `attachment; filename="${e.fileName}.${e.format}"`);
  if (e.format === 'jsonl') {
    res.type('application/jsonl');
    return pipeline(
      Readable.from(records).map((r) => `${JSON.stringify(r)}\n`),
      res,
    );
  }
  res.type('text/csv; charset=utf-8; header=present');
  // Of several parts: whose key it is, and every field that any of them writes.
  const several = e.order.parts.length > 1;
  const fields = [
    ...new Set(e.order.parts.flatMap((p) => p.writes.filter((f) => fieldOf(catalog, p.type, f)?.hidden !== true))),
  ];
  const header = [
    ...(several ? ['type'] : []),
    ...['key', 'name', 'outcome', 'cause'],
    ...fields.flatMap((f) => [`${f} before`, `${f} after`]),
  ];
  const csv = safeCsv(header, e.raw ? 'kept' : 'visible');
  return pipeline(
    Readable.from(records).map((r: JournalRecord) => [...(several ? [r.type] : []), ...csvRow(r, fields)]),
    csv,
    res,
  );
}

function csvRow(r: JournalRecord, fields: readonly string[]): (string | null)[] {
  return [
    r.key,
    r.name,
    outcomeWords(r.outcome),
    r.cause,
    ...fields.flatMap((f) => {
      const c = r.changes.find((change) => change.field === f);
      return c ? [c.old.label ?? c.old.value, c.new.label ?? c.new.value] : [null, null];
    }),
  ];
}

async function* namedRecords(database: Database, catalog: Catalog, e: Export): AsyncGenerator<JournalRecord> {
  let chunk: JournalRow[] = [];
  for await (const row of readJournal(database, e.source, e.order, e.wanted)) {
    chunk.push(row);
    if (chunk.length < 1000) continue;
    yield* await journalRecords(database, catalog, chunk);
    chunk = [];
  }
  yield* await journalRecords(database, catalog, chunk);
}

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
