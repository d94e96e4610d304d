import {
  envOf,
  fail,
  thawReads,
  typeNow,
  type Act,
  type Catalog,
  type OrderPart,
  type RecordType,
  type Trigger,
  type WorkOrder,
} from '@tantamos/core';
import type { Connection } from '../database/database';
import { ask } from './batch';
import type { Slice } from './statements/items';
import { storedOtherwise, updateCarefully, type Applied, type Stored, type Updating } from './statements/update';

/** What became of the records of a slice in one attempt; places are counted in the batch. */
export interface Attempt {
  readonly changed: readonly number[];
  readonly edited: readonly number[];
  /** To be taken back: the database undid or ignored it without an error. */
  readonly refused: readonly { readonly n: number; readonly cause: string }[];
  readonly stored: readonly Pick<Stored, 'n' | 'altered'>[];
  /** Records made: their keys, and what they were as made. */
  readonly made: readonly { readonly n: number; readonly key: string; readonly as: string }[];
}

/** Carries out one act on the records of a slice, in the caller's transaction; a place that it tells nothing of was not seen. */
export interface Dealer {
  /** Whose records are changed, made or removed. */
  readonly type: RecordType;
  attempt(connection: Connection, slice: Slice): Promise<Attempt>;
}

const nothing: Attempt = { changed: [], edited: [], refused: [], stored: [], made: [] };

/** Types, fields and trees of a part as the catalog has them now; throws `catalog_changed` where they are no longer there. */
export function updatingOf(order: WorkOrder, part: OrderPart, catalog: Catalog): Updating {
  const type = typeNow(catalog, part.type);
  for (const name of part.writes)
    if (!type.fields.some((f) => f.name === name))
      fail('catalog_changed', `${type.label} no longer have the field ${name}.`);
  return { type, reads: thawReads(part, catalog), writes: part.writes, env: envOf(order) };
}

export function dealerOf(order: WorkOrder, part: OrderPart, catalog: Catalog): Dealer {
  switch (part.act) {
    case 'update':
      return new UpdateDealer(updatingOf(order, part, catalog));
    case 'create':
    case 'delete':
      throw new Error('not yet');
  }
}

class UpdateDealer implements Dealer {
  private readonly hasTriggers: boolean;
  constructor(private readonly part: Updating) {
    this.hasTriggers = firing(part.type, 'update', part.writes).length > 0;
  }
  get type(): RecordType {
    return this.part.type;
  }

  async attempt(connection: Connection, slice: Slice): Promise<Attempt> {
    const [applied] = await ask<Applied>(connection, updateCarefully(this.part, slice));
    const { changed, same, edited } = applied!;
    const written = new Set(changed);
    const ignored = same.filter((n) => !written.has(n));
    if (ignored.length > 0)
      return { ...nothing, edited, refused: ignored.map((n) => ({ n, cause: 'The database left the record as it was (a trigger or a row rule).' })) };
    if (!this.hasTriggers || changed.length === 0) return { ...nothing, changed, edited };
    const stored = await ask<Stored>(connection, storedOtherwise(this.part, { ...slice, only: changed }));
    const back = stored.filter((s) => s.put_back);
    if (back.length > 0)
      return { ...nothing, edited, refused: back.map(({ n }) => ({ n, cause: 'A trigger of the database put the old value back.' })) };
    return { ...nothing, changed, edited, stored };
  }
}

/** The triggers that will fire at an act on these fields. */
export function firing(type: RecordType, act: Act, writes: readonly string[]): readonly Trigger[] {
  const event = act === 'create' ? 'insert' : act;
  return type.triggers.filter(
    (t) => t.at.includes(event) && (act !== 'update' || t.onFields === null || t.onFields.some((f) => writes.includes(f))),
  );
}
