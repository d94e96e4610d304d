import {
  alongOf,
  envOf,
  fail,
  sourceOf,
  thawMakes,
  thawReads,
  typeNow,
  typeWords,
  type Along,
  type Catalog,
  type Dealt,
  type OrderPart,
  type RecordType,
  type WorkOrder,
} from '@tantamos/core';
import { askPrepared, type Connection } from '../database/database';
import { asMade, createAlong, createRecords, notDealt, type Creating } from './statements/create';
import {
  blankField,
  deleteLocked,
  deleteMade,
  frozenAlong,
  keptByOthers,
  lockForDelete,
  lockMade,
  restoreField,
} from './statements/delete';
import type { Slice } from './statements/items';
import {
  storedOtherwise,
  updateCarefully,
  updateParked,
  type Applied,
  type Stored,
  type Updating,
} from './statements/update';

/** What became of the records of a slice in one attempt; places are counted in the batch. */
export interface Attempt {
  readonly changed: readonly number[];
  readonly edited: readonly number[];
  /** To be taken back, with all that was done for them, though no error said so. */
  readonly undone: readonly {
    readonly n: number;
    readonly outcome: 'refused' | 'edited_since';
    readonly cause: string;
  }[];
  readonly stored: readonly Pick<Stored, 'n' | 'altered'>[];
  /** Records made: their keys, and what they were as made. */
  readonly made: readonly Made[];
  /** The same of what was made or removed along, by the place of the order's `along`. */
  readonly along: ReadonlyMap<number, readonly Made[]>;
}

export interface Made {
  readonly n: number;
  readonly key: string;
  readonly as: string;
}

/** Carries out one act on the records of a slice, in the caller's transaction; a place that it tells nothing of was not seen. */
export interface Dealer {
  /** Whose records are changed, made or removed. */
  readonly type: RecordType;
  attempt(connection: Connection, slice: Slice): Promise<Attempt>;
}

const nothing: Attempt = { changed: [], edited: [], undone: [], stored: [], made: [], along: new Map() };

/**
 * Types, fields and trees of a part as the catalog has them now; other records are read as who made the preview may see them.
 * Throws `catalog_changed` where they are no longer there. */
export function updatingOf(order: WorkOrder, part: OrderPart, catalog: Catalog, reading: Catalog): Updating {
  const type = typeNow(catalog, part.type);
  for (const name of part.writes)
    if (!type.fields.some((f) => f.name === name))
      fail('catalog_changed', `${type.label} no longer have the field ${name}.`);
  return {
    type,
    reads: thawReads(part, reading),
    writes: part.writes,
    makes: thawMakes(part, reading),
    passing: part.passing ?? null,
    env: envOf(order),
  };
}

export function dealerOf(order: WorkOrder, part: OrderPart, catalog: Catalog, reading: Catalog): Dealer {
  const updating = updatingOf(order, part, catalog, reading);
  const along = alongOf(order)
    .filter((a) => order.parts[a.part] === part)
    .map(({ entry, at }) => ({ ...entry, at, type: typeNow(catalog, entry.type) }));
  switch (part.act) {
    case 'update':
      return new Accompanied(new UpdateDealer(updating), along);
    case 'create':
      return new Accompanied(
        new CreateDealer({ ...updating, source: sourceOf(part, catalog) }, dealtOf(part, catalog)),
        along,
      );
    case 'delete':
      return new DeleteDealer(updating, along);
  }
}

class UpdateDealer implements Dealer {
  constructor(private readonly part: Updating) {}
  get type(): RecordType {
    return this.part.type;
  }

  async attempt(connection: Connection, slice: Slice): Promise<Attempt> {
    const [applied] = await askPrepared<Applied>(connection, updateCarefully(this.part, slice));
    const { changed, same, edited } = applied!;
    if (this.part.passing?.how === 'around' && changed.length > 0) {
      const again = await askPrepared<{ n: number }>(connection, updateParked(this.part, { ...slice, only: changed }));
      const whole = new Set(again.map((r) => r.n));
      const lost = changed.filter((n) => !whole.has(n));
      if (lost.length > 0) return { ...nothing, edited, undone: lost.map((n) => refusal(n, leftAsItWas)) };
    }
    const written = new Set(changed);
    const ignored = same.filter((n) => !written.has(n));
    if (ignored.length > 0) return { ...nothing, edited, undone: ignored.map((n) => refusal(n, leftAsItWas)) };
    if (changed.length === 0) return { ...nothing, edited };
    // Also where nothing is known that would store another: it may have been made since the catalog was read.
    const stored = await askPrepared<Stored>(connection, storedOtherwise(this.part, { ...slice, only: changed }));
    const back = stored.filter((s) => s.put_back);
    if (back.length > 0)
      return {
        ...nothing,
        edited,
        undone: back.map(({ n }) => refusal(n, 'A trigger of the database put the old value back.')),
      };
    return { ...nothing, changed, edited, stored };
  }
}

/** What the records that are made rest on having been done before, and of which type that was. */
function dealtOf({ dealt }: OrderPart, catalog: Catalog): { dealt: Dealt; of: RecordType } | null {
  return dealt ? { dealt, of: typeNow(catalog, dealt.type) } : null;
}

class CreateDealer implements Dealer {
  constructor(
    private readonly part: Creating,
    private readonly rests: { readonly dealt: Dealt; readonly of: RecordType } | null,
  ) {}
  get type(): RecordType {
    return this.part.type;
  }

  async attempt(connection: Connection, slice: Slice): Promise<Attempt> {
    if (this.rests) {
      const { dealt, of } = this.rests;
      const none = await askPrepared<{ n: number }>(connection, notDealt(dealt, of, slice));
      const cause = `None of the ${typeWords(of)} that it is made for was changed.`;
      if (none.length > 0) return { ...nothing, undone: none.map(({ n }) => ({ n, outcome: 'edited_since', cause })) };
    }
    const rows = await askPrepared<{ n: number; same: boolean; key: string | null }>(
      connection,
      createRecords(this.part, slice),
    );
    const edited = rows.filter((r) => !r.same).map((r) => r.n);
    const drawn = rows.flatMap((r) => (r.same ? [{ n: r.n, key: r.key! }] : []));
    const { made, missing } = await readBack(connection, this.type, drawn);
    if (missing.length > 0) return { ...nothing, edited, undone: missing.map((n) => refusal(n, notMade)) };
    const changed = made.map((m) => m.n);
    if (changed.length === 0 || this.part.writes.length === 0) return { ...nothing, changed, edited, made };
    const here = { ...slice, only: changed };
    const stored = await askPrepared<Stored>(connection, storedOtherwise(this.part, here, made));
    return { ...nothing, changed, edited, made, stored };
  }
}

/** Deletes, and beforehand what was made along; never by the database's own cascade. */
class DeleteDealer implements Dealer {
  constructor(
    private readonly part: Updating,
    private readonly along: readonly AlongNow[],
  ) {}
  get type(): RecordType {
    return this.part.type;
  }

  async attempt(connection: Connection, slice: Slice): Promise<Attempt> {
    const locked = await askPrepared<{ n: number; same: boolean }>(connection, lockForDelete(this.part, slice));
    const edited = locked.filter((r) => !r.same).map((r) => r.n);
    const only = locked.filter((r) => r.same).map((r) => r.n);
    if (only.length === 0) return { ...nothing, edited };
    const here = { ...slice, only };
    const removed = await removeAlong(connection, this.along, here);
    if ('undone' in removed) return { ...nothing, edited, undone: removed.undone };
    const kept = await askPrepared<{ n: number; cause: string }>(connection, keptByOthers(this.part, here));
    if (kept.length > 0) return { ...nothing, edited, undone: kept.map(({ n, cause }) => refusal(n, cause)) };
    const gone = await askPrepared<{ n: number }>(connection, deleteLocked(this.part, here));
    const changed = gone.map((r) => r.n);
    const left = only.filter((n) => !changed.includes(n));
    if (left.length > 0) return { ...nothing, edited, undone: left.map((n) => refusal(n, leftAsItWas)) };
    return { ...nothing, changed, edited, along: removed.along };
  }
}

interface AlongNow extends Omit<Along, 'type'> {
  readonly at: number;
  readonly type: RecordType;
}

/** Another act, and what is made or removed along with each record that it was done to, in the same transaction. */
class Accompanied implements Dealer {
  constructor(
    private readonly act: Dealer,
    private readonly along: readonly AlongNow[],
  ) {}
  get type(): RecordType {
    return this.act.type;
  }

  async attempt(connection: Connection, slice: Slice): Promise<Attempt> {
    const done = await this.act.attempt(connection, slice);
    if (this.along.length === 0 || done.undone.length > 0 || done.changed.length === 0) return done;
    const here = { ...slice, only: done.changed };
    const along = new Map<number, readonly Made[]>();
    const keys = done.made.length > 0 ? done.made : await keysOfPlaces(connection, slice, done.changed);
    for (const entry of this.along.filter((a) => a.act === 'create')) {
      const drawn = await askPrepared<{ n: number; key: string }>(connection, createAlong(entry, here, keys));
      const { made, missing } = await readBack(connection, entry.type, drawn);
      if (missing.length > 0) return { ...done, undone: missing.map((n) => refusal(n, notMade)) };
      along.set(entry.at, made);
    }
    const removed = await removeAlong(connection, this.along, here);
    if ('undone' in removed) return { ...done, undone: removed.undone };
    for (const [at, some] of removed.along) along.set(at, some);
    return { ...done, along };
  }
}

const leftAsItWas = 'The database left the record as it was (a trigger or a row rule).';
const notMade = 'The database did not make the record (a trigger or a row rule).';
const changedSince = 'What was made along with it, or points at it, has been changed since.';

function refusal(n: number, cause: string): Attempt['undone'][number] {
  return { n, outcome: 'refused', cause };
}

/** What has just been made, as the database has it; `missing` are the places whose record is not there under its key. */
async function readBack(
  connection: Connection,
  type: RecordType,
  drawn: readonly { readonly n: number; readonly key: string }[],
  only: string | null = null,
): Promise<{ made: Made[]; missing: number[] }> {
  if (drawn.length === 0) return { made: [], missing: [] };
  const rows = await askPrepared<{ key: string; made_as: string }>(
    connection,
    asMade(
      type,
      drawn.map((d) => d.key),
      only,
    ),
  );
  const as = new Map(rows.map((r) => [r.key, r.made_as]));
  return {
    made: drawn.flatMap(({ n, key }) => (as.has(key) ? [{ n, key, as: as.get(key)! }] : [])),
    missing: drawn.filter(({ key }) => !as.has(key)).map(({ n }) => n),
  };
}

/**
 * Removes or blanks what points at the records of a slice, the deepest first, if all of it is just as it was made or seen;
 * or gives back what was blanked.
 */
async function removeAlong(
  connection: Connection,
  along: readonly AlongNow[],
  slice: Slice,
): Promise<{ along: Map<number, readonly Made[]> } | { undone: Attempt['undone'] }> {
  const removed = new Map<number, readonly Made[]>();
  for (const entry of along.filter((a) => a.act !== 'create').reverse()) {
    const frozen = await askPrepared<{ n: number; key: string; made_as: string }>(
      connection,
      frozenAlong(slice, entry.at),
    );
    if (frozen.length === 0) continue;
    const keys = frozen.map((f) => f.key);
    // Of what is blanked only the field that points counts: another of its fields may be blanked for another record.
    const only = entry.act === 'delete' ? null : entry.by;
    const now = await askPrepared<{ key: string; made_as: string; cause: string | null }>(
      connection,
      lockMade(entry.type, keys, only),
    );
    const found = new Map(now.map((r) => [r.key, r]));
    const wrong = frozen.filter((f) => found.get(f.key)?.made_as !== f.made_as);
    if (wrong.length > 0)
      return { undone: once(wrong.map(({ n }) => ({ n, outcome: 'edited_since', cause: changedSince }))) };
    if (entry.act === 'delete') {
      const pointed = frozen.filter((f) => found.get(f.key)?.cause);
      if (pointed.length > 0) return { undone: once(pointed.map(({ n, key }) => refusal(n, found.get(key)!.cause!))) };
      await askPrepared(connection, deleteMade(entry.type, keys));
      removed.set(
        entry.at,
        frozen.map(({ n, key, made_as }) => ({ n, key, as: made_as })),
      );
      continue;
    }
    const statement =
      entry.act === 'blank'
        ? blankField(entry.type, entry.by, keys)
        : restoreField(entry.type, entry.by, slice, entry.at);
    await askPrepared(connection, statement);
    removed.set(entry.at, (await readBack(connection, entry.type, frozen, entry.by)).made);
  }
  return { along: removed };
}

/** One entry a record, however much of what goes along with it is wrong. */
function once(undone: Attempt['undone']): Attempt['undone'] {
  return [...new Map(undone.map((u) => [u.n, u])).values()];
}

async function keysOfPlaces(
  connection: Connection,
  slice: Slice,
  places: readonly number[],
): Promise<{ n: number; key: string }[]> {
  const { rows } = await connection.query<{ n: number; key: string }>({
    name: 'keys of places',
    text: `select p as n, b.keys[p] as key from tantamos.batch b, unnest($3::int[]) p where preview = $1 and position = $2`,
    values: [slice.previewId, slice.batch, places],
  });
  return rows;
}
