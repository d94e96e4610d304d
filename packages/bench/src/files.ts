import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { Client } from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import type { JobBody } from '@tantamos/contract';
import type { Doing } from './edits';
import type { Service } from './service';
import { makeTable } from './tables';
import { median, seconds } from './turns';

export interface FileFigures {
  readonly rows: number;
  /** Seconds, medians of rounds taken in turn. */
  readonly byHand: number;
  readonly sent: number;
  readonly planned: number;
  readonly preview: number;
  /** Highest resident memory of the service, in bytes: before any file, and after all. */
  readonly memoryBefore: number;
  readonly memory: number;
}

/**
 * A file of so many rows for a table ten times as large, found by its code, one number and one text taken; beside `COPY` into
 * a table and the join by hand into another.
 */
export async function fileFigures(
  db: Client,
  service: Service,
  rows: number,
  { settled }: Pick<Doing, 'settled'>,
  say: (text: string) => void,
  rounds = 3,
): Promise<FileFigures> {
  const table = 'orders_file';
  say(`making ${table} …`);
  await makeTable(db, table, rows * 10);
  const { rows: codes } = await db.query<{ code: string }>(`select code from ${table} where id % 10 = 0 order by id`);
  const lines = [
    'Code;Amount;Remark',
    ...codes.map(({ code }, i) => `${code.toLowerCase()};${i % 977},25;from the file ${i}`),
  ];
  const text = `${lines.join('\n')}\n`;
  const taken = { byHand: [] as number[], sent: [] as number[], planned: [] as number[], preview: [] as number[] };
  const memoryBefore = service.peakMemory();
  for (let round = 1; round <= rounds; round++) {
    say(`round ${round}: by hand …`);
    taken.byHand.push((await seconds(() => byHand(db, table, text))).seconds);
    say(`round ${round}: from the file …`);
    const file = await seconds(() => service.client.uploadFile({ name: 'orders.csv' }, new TextEncoder().encode(text)));
    taken.sent.push(file.seconds);
    const planned = await seconds(() =>
      service.client.planFile(file.result.id, {
        type: table,
        match: [{ column: 'Code', field: 'code' }],
        take: [
          { field: 'amount', column: 'Amount' },
          { field: 'note', column: 'Remark' },
        ],
      }),
    );
    taken.planned.push(planned.seconds);
    const preview = await seconds(async () =>
      settled(service, await service.client.makePreview(planned.result.job as JobBody)),
    );
    if (preview.result.totals.matched !== codes.length)
      throw new Error(`${preview.result.totals.matched} of ${codes.length} are found.`);
    taken.preview.push(preview.seconds);
  }
  return {
    rows: codes.length,
    byHand: median(taken.byHand),
    sent: median(taken.sent),
    planned: median(taken.planned),
    preview: median(taken.preview),
    memoryBefore,
    memory: service.peakMemory(),
  };
}

async function byHand(db: Client, table: string, text: string): Promise<void> {
  await db.query('drop table if exists by_hand, by_hand_joined');
  await db.query('create table by_hand (code text, amount text, remark text)');
  const copy = db.query(copyFrom(`copy by_hand from stdin with (format csv, header, delimiter ';')`));
  await pipeline(Readable.from([text]), copy);
  await db.query(`create table by_hand_joined as
    select o.id, o.amount as old_amount, replace(h.amount, ',', '.')::numeric as amount, o.note as old_note, h.remark as note
    from by_hand h join ${table} o on lower(o.code) = lower(h.code)`);
}
