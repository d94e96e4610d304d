import type { Client } from 'pg';
import type { JobBody } from '@tantamos/contract';
import { mostMapped } from '@tantamos/core';
import type { Doing } from './edits';
import type { Service } from './service';
import { makeTable } from './tables';
import { seconds } from './turns';

export interface ValuesFigure {
  readonly what: 'map' | 'put';
  /** As many values as records, each record with its own. */
  readonly values: number;
  /** Seconds: to send and keep the values, and to preview what they make of as many records. */
  readonly kept: number;
  readonly preview: number;
}

/** Maps by a field that is another for each record, and values by key: of a quarter, half and all of so many records. */
export async function valuesFigures(
  db: Client,
  service: Service,
  rows: number,
  { settled }: Pick<Doing, 'settled'>,
  say: (text: string) => void,
): Promise<ValuesFigure[]> {
  const figures: ValuesFigure[] = [];
  const table = 'orders_values';
  for (const count of [rows / 4, rows / 2, rows]) {
    say(`making ${table} of ${count} …`);
    await makeTable(db, table, count);
    for (const what of ['map', 'put'] as const) {
      say(`${what} of ${count} …`);
      const key = what === 'map' ? 'code' : 'id::text';
      const { rows: all } = await db.query<{ key: string }>(`select ${key} as key from ${table} order by id`);
      const about = { type: table, field: 'note', ...(what === 'map' ? { by: 'code' } : {}) };
      const kept = await seconds(async () => {
        let given = { id: '', count: 0 };
        for (let at = 0; at < all.length; at += mostMapped) {
          const keys = all.slice(at, at + mostMapped).map((row) => row.key);
          const piece = { ...about, keys, values: keys.map((k) => `for ${k}`) };
          given = await service.client.keepValues(given.id === '' ? piece : { ...piece, into: given.id });
        }
        return given;
      });
      const given = kept.result;
      const edit: JobBody['edits'][number] =
        what === 'map' ? { kind: 'map', field: 'note', from: 'code', given } : { kind: 'put', field: 'note', given };
      const preview = await seconds(async () =>
        settled(service, await service.client.makePreview({ selection: { type: table }, edits: [edit] })),
      );
      if (preview.result.totals.will_change !== count)
        throw new Error(`${preview.result.totals.will_change} of ${count} will change.`);
      figures.push({ what, values: count, kept: kept.seconds, preview: preview.seconds });
    }
  }
  return figures;
}
