import {
  alongOf,
  envOf,
  fail,
  referencesTo,
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
import { createAlong, createRecords, notDealt, type Creating } from './statements/create';
import {
  clearReference,
  deleteLocked,
  deleteRelated,
  frozenAlong,
  keptByOthers,
  lockForDelete,
  lockMade,
  restoreReference,
} from './statements/delete';
import type { Slice } from './statements/items';
import { defaultReference, following, referredSince } from './statements/references';
import type { Stored } from './statements/stored';
import { updateCarefully, updateParked, type Updating } from './statements/update';
import { verified } from './statements/writing';

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
  /** Field → what the database stored, where that is not what was written. */
  readonly altered?: Readonly<Record<string, string | null>>;
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
  // What came to be so since the preview, such as a rewrite rule on the table, holds for each of its records.
  if (updating.type.notChangeable !== null) fail('not_changeable', updating.type.notChangeable);
  const along = alongOf(order)
    .filter((a) => order.parts[a.part] === part)
    .map(({ entry, at }) => ({ ...entry, at, type: typeNow(catalog, entry.type) }));
  switch (part.act) {
    case 'update': {
      mustReferAsFrozen(part, updating.type, catalog);
      const referring = along.flatMap((a) => (a.referenced === undefined ? [] : [{ ...a, referenced: a.referenced }]));
      const update = new UpdateDealer(updating);
      const act = referring.length > 0 ? new ReferencedDealer(update, updating, referring) : update;
      return new Accompanied(
        act,
        along.filter((a) => a.referenced === undefined),
      );
    }
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
    const first = await verified(connection, updateCarefully(this.part, slice));
    const { changed, same, edited } = first.written[0]!;
    const written = new Set(changed);
    const ignored = same.filter((n) => !written.has(n));
    if (ignored.length > 0) return undoing(edited, ignored, leftAsItWas);
    if (changed.length === 0) return { ...nothing, edited };
    let { stored } = first;
    if (this.part.passing?.how === 'around') {
      const again = await verified(connection, updateParked(this.part, { ...slice, only: changed }));
      const whole = new Set(again.written.map((r) => r.n));
      const lost = changed.filter((n) => !whole.has(n));
      if (lost.length > 0) return undoing(edited, lost, leftAsItWas);
      ({ stored } = again);
    }
    const gone = stored.filter((s) => !s.present).map((s) => s.n);
    if (gone.length > 0)
      return undoing(edited, gone, 'A trigger of the database deleted the record or gave it another key.');
    const back = stored.filter((s) => s.put_back).map((s) => s.n);
    if (back.length > 0) return undoing(edited, back, 'A trigger of the database put the old value back.');
    return { ...nothing, changed, edited, stored };
  }
}

/** Throws where a foreign key would by now do something to records that the preview did not freeze. */
function mustReferAsFrozen(part: OrderPart, type: RecordType, catalog: Catalog): void {
  for (const now of referencesTo(type, catalog, part.writes).changes) {
    const isFrozen = (a: Along): boolean => a.type === now.type.id && a.by === now.field.name && a.act === now.act;
    if (!part.along.some(isFrozen))
      fail(
        'catalog_changed',
        `${now.type.label} refer to ${type.label.toLowerCase()} by ${now.field.label.toLowerCase()}, and the database would change them too. They did not when this was previewed: preview it again.`,
      );
  }
}

/**
 * Changes values that other records refer to. The record is locked so that nothing new can refer to it, what refers to it is
 * cleared or set to its default first, and what follows must afterwards be exactly what was frozen.
 */
class ReferencedDealer implements Dealer {
  constructor(
    private readonly act: UpdateDealer,
    private readonly part: Updating,
    private readonly referring: readonly (AlongNow & { readonly referenced: string })[],
  ) {}
  get type(): RecordType {
    return this.act.type;
  }

  async attempt(connection: Connection, slice: Slice): Promise<Attempt> {
    const locked = await askPrepared<{ n: number; same: boolean }>(connection, lockForDelete(this.part, slice));
    const edited = locked.filter((r) => !r.same).map((r) => r.n);
    const only = locked.filter((r) => r.same).map((r) => r.n);
    if (only.length === 0) return { ...nothing, edited };
    const here = { ...slice, only };
    const along = new Map<number, readonly Made[]>();
    for (const entry of this.referring) {
      const since = await askPrepared<{ n: number }>(connection, referredSince(this.part, here, entry));
      const cause = `${entry.type.label}: a record refers to it that did not when this was previewed.`;
      if (since.length > 0)
        return { ...nothing, edited, undone: since.map(({ n }) => ({ n, outcome: 'edited_since', cause })) };
    }
    for (const entry of this.referring) {
      const frozen = await askPrepared<Frozen>(connection, frozenAlong(here, entry.at));
      if (frozen.length === 0) continue;
      const done = await withRelated(connection, entry, frozen, here);
      if ('undone' in done) return { ...nothing, edited, undone: once(done.undone) };
      along.set(entry.at, done.made);
    }
    const done = await this.act.attempt(connection, here);
    if (done.undone.length > 0) return { ...done, edited: [...edited, ...done.edited] };
    const written = { ...slice, only: done.changed };
    for (const entry of this.referring.filter((e) => e.act === 'follow')) {
      const found = await askPrepared<{ n: number; key: string; made_as: string | null }>(
        connection,
        following(this.part, written, entry),
      );
      const wrong = found.filter((f) => f.made_as === null).map((f) => f.n);
      const cause = `${entry.type.label}: the references that the database updated are not those that were previewed.`;
      if (wrong.length > 0) return { ...nothing, edited, undone: once(wrong.map((n) => refusal(n, cause))) };
      if (found.length > 0)
        along.set(
          entry.at,
          found.map(({ n, key, made_as: as }) => ({ n, key, as: as! })),
        );
    }
    return { ...done, edited: [...edited, ...done.edited], along };
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
    const { written, stored } = await verified(connection, createRecords(this.part, slice));
    const edited = written.filter((r) => !r.same).map((r) => r.n);
    const missing = stored.filter((s) => s.made_as === null).map((s) => s.n);
    if (missing.length > 0) return undoing(edited, missing, notCreated);
    return {
      ...nothing,
      changed: stored.map((s) => s.n),
      edited,
      made: stored.map(({ n, key, made_as: as }) => ({ n, key, as: as! })),
      stored: stored.filter((s) => Object.keys(s.altered).length > 0),
    };
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
    const { written, stored } = await verified(connection, deleteLocked(this.part, here));
    const changed = new Set(written.map((r) => r.n));
    const left = only.filter((n) => !changed.has(n));
    if (left.length > 0) return undoing(edited, left, leftAsItWas);
    if (stored.length > 0)
      return undoing(
        edited,
        stored.map((s) => s.n),
        'A trigger of the database created the record again.',
      );
    return { ...nothing, changed: only, edited, along: removed.along };
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
    const along = new Map<number, readonly Made[]>(done.along);
    const keys = done.made.length > 0 ? done.made : await keysOfPlaces(connection, slice, done.changed);
    for (const entry of this.along.filter((a) => a.act === 'create')) {
      const { written, stored } = await verified(connection, createAlong(entry, here, keys));
      const owners = new Map(written.map((w) => [w.n, w.owner]));
      const created = stored.map((s) => ({ ...s, n: owners.get(s.n)! }));
      const missing = created.filter((s) => s.made_as === null).map((s) => s.n);
      if (missing.length > 0)
        return { ...done, undone: once(missing.map((n) => refusal(n, relatedNot(entry, 'created')))) };
      along.set(
        entry.at,
        created.map(({ n, key, made_as: as, altered }) => ({ n, key, as: as!, altered })),
      );
    }
    const removed = await removeAlong(connection, this.along, here);
    if ('undone' in removed) return { ...done, undone: removed.undone };
    for (const [at, some] of removed.along) along.set(at, some);
    return { ...done, along };
  }
}

const leftAsItWas = 'The database left the record as it was (a trigger or a row rule).';
const notCreated = 'The database did not create the record (a trigger or a row rule).';

function relatedNot({ type }: AlongNow, done: 'created' | 'deleted' | 'cleared' | 'restored'): string {
  const what = {
    created: 'did not create a record for it',
    deleted: 'kept a record that was to be deleted with it',
    cleared: 'kept the reference of a record to it',
    restored: 'did not restore the reference of a record to it',
  }[done];
  return `${type.label}: the database ${what} (a trigger or a row rule).`;
}

function changedSince({ type }: AlongNow): string {
  return `${type.label}: a record that belongs to it has been changed since.`;
}

function refusal(n: number, cause: string): Attempt['undone'][number] {
  return { n, outcome: 'refused', cause };
}

/** An attempt that comes to nothing because these records are refused. */
function undoing(edited: readonly number[], places: readonly number[], cause: string): Attempt {
  return { ...nothing, edited, undone: places.map((n) => refusal(n, cause)) };
}

type Frozen = { readonly n: number; readonly key: string; readonly made_as: string };
type Related = { readonly made: readonly Made[] } | { readonly undone: Attempt['undone'] };

/**
 * Deletes what belongs to the records of a slice or clears its reference, the deepest first, if all of it is just as it was
 * created or seen; or restores references that were cleared.
 */
async function removeAlong(
  connection: Connection,
  along: readonly AlongNow[],
  slice: Slice,
): Promise<{ along: Map<number, readonly Made[]> } | { undone: Attempt['undone'] }> {
  const removed = new Map<number, readonly Made[]>();
  for (const entry of along.filter((a) => a.act !== 'create').reverse()) {
    const frozen = await askPrepared<Frozen>(connection, frozenAlong(slice, entry.at));
    if (frozen.length === 0) continue;
    const done = await withRelated(connection, entry, frozen, slice);
    if ('undone' in done) return { undone: once(done.undone) };
    removed.set(entry.at, done.made);
  }
  return { along: removed };
}

async function withRelated(
  connection: Connection,
  entry: AlongNow,
  all: readonly Frozen[],
  slice: Slice,
): Promise<Related> {
  // Of a reference that is cleared only that field counts: another of its fields may be cleared for another record.
  const only = entry.act === 'delete' ? null : entry.by;
  const allKeys = all.map((f) => f.key);
  const now = await askPrepared<{ key: string; made_as: string; cause: string | null }>(
    connection,
    lockMade(entry.type, allKeys, only),
  );
  const found = new Map(now.map((r) => [r.key, r]));
  // What a run created and somebody has deleted since hinders nothing.
  const frozen = entry.created ? all.filter((f) => found.has(f.key)) : all;
  const wrong = frozen.filter((f) => found.get(f.key)?.made_as !== f.made_as);
  if (wrong.length > 0)
    return { undone: wrong.map(({ n }) => ({ n, outcome: 'edited_since', cause: changedSince(entry) })) };
  const keys = frozen.map((f) => f.key);
  const asFrozen = frozen.map(({ n, key, made_as: as }): Made => ({ n, key, as }));
  const ownersOf = (some: readonly { readonly key: string }[]): readonly number[] => {
    const kept = new Set(some.map((s) => s.key));
    return frozen.filter((f) => kept.has(f.key)).map((f) => f.n);
  };
  switch (entry.act) {
    case 'delete': {
      const referenced = frozen.filter((f) => found.get(f.key)!.cause);
      if (referenced.length > 0) return { undone: referenced.map(({ n, key }) => refusal(n, found.get(key)!.cause!)) };
      const { stored } = await verified(connection, deleteRelated(entry.type, keys));
      if (stored.length > 0) return { undone: ownersOf(stored).map((n) => refusal(n, relatedNot(entry, 'deleted'))) };
      return { made: asFrozen };
    }
    case 'blank': {
      const { stored } = await verified(connection, clearReference(entry.type, entry.by, keys));
      if (stored.length > 0) return { undone: ownersOf(stored).map((n) => refusal(n, relatedNot(entry, 'cleared'))) };
      const blank = await askPrepared<{ key: string; made_as: string }>(
        connection,
        lockMade(entry.type, keys, entry.by),
      );
      const as = new Map(blank.map((b) => [b.key, b.made_as]));
      return { made: frozen.map(({ n, key }) => ({ n, key, as: as.get(key)! })) };
    }
    case 'restore': {
      const { stored } = await verified(connection, restoreReference(entry.type, entry.by, slice, entry.at));
      const left = stored.filter((s) => s.made_as === null || (s.value === null && !s.is_written));
      if (left.length > 0) return { undone: left.map(({ n }) => refusal(n, relatedNot(entry, 'restored'))) };
      return {
        made: stored.map(({ n, key, made_as: as, value, is_written: isWritten }) => ({
          n,
          key,
          as: as!,
          ...(isWritten ? {} : { altered: { [entry.by]: value } }),
        })),
      };
    }
    case 'default': {
      const { stored } = await verified(connection, defaultReference(entry.type, entry.by, keys));
      if (stored.length > 0) return { undone: ownersOf(stored).map((n) => refusal(n, relatedNot(entry, 'cleared'))) };
      return { made: await asNow(connection, entry, frozen) };
    }
    case 'follow':
      // They are held as they are; the database writes them with the record itself.
      return { made: asFrozen };
    case 'create':
      throw new Error('What is created is not removed.');
  }
}

/** What these references are now, once they were written. */
async function asNow(
  connection: Connection,
  { type, by }: AlongNow,
  frozen: readonly Frozen[],
): Promise<readonly Made[]> {
  const keys = frozen.map((f) => f.key);
  const now = await askPrepared<{ key: string; made_as: string }>(connection, lockMade(type, keys, by));
  const as = new Map(now.map((r) => [r.key, r.made_as]));
  return frozen.map(({ n, key }) => ({ n, key, as: as.get(key)! }));
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
