import {
  alongOf,
  conditionOf,
  identifier,
  join,
  keyColumns,
  keyIs,
  letterOf,
  raw,
  Scope,
  sql,
  tableOf,
  thawReads,
  typeNow,
  keyedBy,
  envOf,
  value,
  type Catalog,
  type CheckedPart,
  type KeyRange,
  type OrderPart,
  type Passing,
  type Planned,
  type RecordType,
  type Sql,
  type WorkOrder,
} from '@tantamos/core';
import { askOn, writtenBy, type Connection } from '../database/database';
import { areWhole } from '../journal/sortable';
import type { Pair } from '../previews/preview-row';
import { AlongBack, type AlongLeft } from './along-back';
import { PairCounts } from './pair-counts';
import { copyTable } from './copies';
import { aboutPerPiece, aboutPerShare, piecesOf, sharedOut, type Piece } from './pieces';
import { keyRanges } from './ranges';
import { freezeRows } from './statements/freeze';
import { readsWithin } from './statements/in-order';
import { Passings } from './passings';
import { clashes, handedOn, uniqueChanges } from './statements/unique';
import {
  chosenRows,
  everything,
  isFoundBySpot,
  letter,
  needsChoosing,
  partRows,
  plannedRows,
  type Cut,
} from './statements/rows';
import { frozenFalls } from './statements/falls';
import { freezeReferring } from './statements/references';
import { undoRows, type Taken } from './statements/undo';

/** What a preview is to freeze, and into what. */
export interface Freezing {
  readonly previewId: string;
  readonly batchSize: number;
  /** Called as pieces are done; throws to give up. */
  progress(done: number, of: number): void;
  /** Another connection under the same snapshot, whose transaction ends with this one's; null where none is free. */
  second(): Promise<Connection | null>;
}

export interface Frozen {
  /** What was to be frozen, with what is known of it only now. */
  readonly order: WorkOrder;
  readonly batches: number;
  readonly pairs: PairCounts;
}

/** From so many records on, another connection is asked for. */
const enoughForTwo = 50_000;
/** Waves of readers and read that are told apart; deeper chains are not changed in one go. */
const mostWaves = 2000;

/**
 * Works out the parts of an order one after another and freezes them, in the caller's transaction, under one snapshot.
 * What is worked out over a whole selection (places, samples, relatives, lists, an order of writing) stands in temporary
 * tables with the keys in columns of their own, so that joining it piece by piece is quick; they end with the transaction.
 */
export class Freezer {
  private batches = 0;
  private readonly pairs = new PairCounts();
  private readonly planned: (Planned & { readonly part: number })[] = [];
  private order!: WorkOrder;
  /** What goes along comes from the run that is taken back, not from the rows. */
  private isUndo = false;
  private tables = 0;
  /** The types of records that refer to what is changed. */
  private readonly referringTypes = new Map<string, RecordType>();
  /** Of each part, whether its keys are whole numbers. */
  private wholeKeys: readonly boolean[] = [];

  constructor(
    private readonly connection: Connection,
    private readonly freezing: Freezing,
  ) {}

  async freeze(parts: readonly CheckedPart[], order: WorkOrder): Promise<Frozen> {
    this.order = order;
    for (const { references } of parts)
      for (const { type } of references?.changes ?? []) this.referringTypes.set(type.id, type);
    this.wholeKeys = parts.map((part, i) => areWhole(order.parts[i]!, () => part.selection.type));
    // What another connection writes is not seen by this one: nothing more may come of it.
    const mayShare = (part: CheckedPart): boolean =>
      parts.length === 1 && !part.falls?.length && !part.references?.changes.length;
    for (const [i, part] of parts.entries()) {
      const frozen = order.parts[i]!;
      if (frozen.inOrder && part.act === 'update') await this.settled(part, frozen, i);
      else if (uniqueChanges(part).length > 0) await this.distinct(part, frozen, i);
      else if (needsChoosing(part)) await this.chosen(part, frozen, i, mayShare(part));
      else await this.ranged(part, frozen, i, mayShare(part));
      await this.fall(part, i);
      if (part.act === 'update') await this.referring(part.type, i);
      if (i < parts.length - 1) await this.plan(part, frozen, i);
    }
    return { order: this.order, batches: this.batches, pairs: this.pairs };
  }

  /** Freezes what takes a run back, from its parts and what takes each back. */
  async freezeUndo(
    runId: string,
    order: WorkOrder,
    { catalog, seen, all }: { readonly catalog: Catalog; readonly seen: Catalog; readonly all: Catalog },
    taken: Taken,
  ): Promise<Frozen & { readonly left: readonly AlongLeft[] }> {
    this.isUndo = true;
    this.order = order;
    this.wholeKeys = order.parts.map((part) => areWhole(part, () => typeNow(catalog, keyedBy(part))));
    const { batchSize, progress } = this.freezing;
    const mayShare = this.mayShareUndo(catalog, seen, taken);
    const stretches = await this.stretchesOf(runId, mayShare ? aboutPerShare : aboutPerPiece);
    const along = new AlongBack(this.connection, runId, order, all, taken);
    await along.look();
    let position = 0;
    const pieces = stretches.flatMap(({ part, changed, ...stretch }) => {
      // The order's parts take back the run's from the last to the first.
      const at = order.parts.length - 1 - part;
      const back = order.parts[at]!;
      const type = typeNow(catalog, back.type);
      // Nothing of it is taken back.
      if ((back.act === 'update' && back.writes.length === 0) || (taken.of && taken.of.type !== type.id)) return [];
      const undoing = {
        run: runId,
        part,
        type,
        back,
        reads: thawReads(back, catalog),
        env: envOf(order),
        taken,
        hindered: along.hindered,
        at,
      };
      const piece = { at, back, type, rows: undoRows(undoing, stretch, batchSize), position };
      position += Math.ceil(changed / batchSize);
      return [piece];
    });
    let done = 0;
    const writer = (connection: Connection | null) => async (piece: (typeof pieces)[number]) => {
      const { at, back, type, rows } = piece;
      const limit = back.act === 'update' && seen.find(type.id)?.limits?.changed(back.writes, raw('r'));
      const allowed = limit ? await this.withinRights(rows, type, limit) : rows;
      // Of all that a run changed it is known beforehand how many they are, and so where each stretch goes.
      const where = connection ? { connection, position: piece.position } : undefined;
      await this.write(at, type, back.writes, allowed, where);
      progress(++done, pieces.length);
    };
    const second = mayShare && pieces.length > 2 ? await this.freezing.second() : null;
    if (!second) for (const piece of pieces) await writer(null)(piece);
    else await sharedOut(pieces, Math.ceil(pieces.length / 2), writer(this.connection), writer(second));
    const left = await along.freeze(this.freezing.previewId);
    for (const [at, back] of order.parts.entries())
      if (back.act === 'update') await this.referring(typeNow(all, back.type), at, all);
    return { order: this.order, batches: this.batches, pairs: this.pairs, left };
  }

  /** May two connections work on what takes a run back? Not where more comes of what they write, or where it is not known how much that is. */
  private mayShareUndo(catalog: Catalog, seen: Catalog, taken: Taken): boolean {
    const isPlain = (back: OrderPart): boolean => {
      const type = typeNow(catalog, back.type);
      // Only where the database itself sees to it that a key is one record is it as many records as the run says.
      return type.hasPlaces && back.passing?.how !== 'around' && seen.find(type.id)?.limits == null;
    };
    return taken.of === null && alongOf(this.order).length === 0 && this.order.parts.every(isPlain);
  }

  /** Stretches of a run's positions of about so many records each, the last first, and how many records were changed in each. */
  private async stretchesOf(
    runId: string,
    about: number,
  ): Promise<readonly { part: number; from: number; to: number; changed: number }[]> {
    const { rows } = await this.connection.query<{ part: number; from: number; to: number; changed: number }>(
      `select part, min(position) as "from", max(position) + 1 as "to", sum(changed)::int as changed
       from (select part, position, changed, (position - min(position) over (partition by part)) / $2 as stretch
         from tantamos.run_batch where run = $1) s
       group by part, stretch order by part desc, stretch desc`,
      [runId, Math.max(1, Math.floor(about / this.freezing.batchSize))],
    );
    return rows;
  }

  /** The same rows, of which those whose records may not be changed are not allowed. */
  private async withinRights(
    rows: Sql,
    type: RecordType,
    limit: { readonly allowed: Sql; readonly words: string },
  ): Promise<Sql> {
    const name = raw(`undo_${++this.tables}`);
    const table = sql`pg_temp.${name}`;
    await askOn(this.connection, sql`create temp table ${name} on commit drop as ${rows}`);
    await askOn(
      this.connection,
      sql`update ${table} u set verdict = ${letter('not_allowed')}, cause = ${value(limit.words)}::text
        from ${tableOf(type)} r where ${keyIs(type, raw('r'), raw('u.key'))} and u.verdict = ${letter('will_change')}
          and not (${limit.allowed})`,
    );
    return sql`select * from ${table}`;
  }

  /** Freezes what goes with the records of a delete: each with the first of those that it points at. */
  private async fall(part: CheckedPart, index: number): Promise<void> {
    const falls = part.falls ?? [];
    const at = (entry: number): number =>
      alongOf(this.order).filter((a) => a.part === index)[part.along.length + entry]!.at;
    for (const [i, fall] of falls.entries()) {
      const above = fall.under === null ? null : { at: at(fall.under), type: falls[fall.under]!.type };
      await askOn(this.connection, frozenFalls(this.freezing.previewId, index, part.type, fall, at(i), above));
    }
  }

  /** Freezes what refers to values that a part changes. */
  private async referring(type: RecordType, index: number, catalog?: Catalog): Promise<void> {
    for (const { part, entry, at } of alongOf(this.order)) {
      if (part !== index || entry.referenced === undefined) continue;
      const child = catalog ? typeNow(catalog, entry.type) : this.referringTypes.get(entry.type)!;
      const { by, act, referenced } = entry;
      await askOn(
        this.connection,
        freezeReferring(this.freezing.previewId, { type, index }, { by, act, referenced, at, type: child }),
      );
    }
  }

  /** A selection that can be cut by keys: each piece is found anew. Where the first tells that they are many, by two. */
  private async ranged(part: CheckedPart, frozen: OrderPart, index: number, mayShare: boolean): Promise<void> {
    const { batchSize, progress, second } = this.freezing;
    const [first, ...rest] = (await keyRanges(this.connection, part.selection)) as [KeyRange, ...KeyRange[]];
    let done = 0;
    const write = async (range: KeyRange, position: number, connection = this.connection): Promise<number> => {
      const rows = partRows(part, { by: 'key', range }, this.planned);
      const batches = await this.write(index, part.type, frozen.writes, rows, { connection, position });
      progress(++done, rest.length + 1);
      return batches;
    };
    let position = this.batches;
    let isGivenUp = false;
    const next = async (range: KeyRange): Promise<void> => {
      try {
        position += await write(range, position);
      } catch (error) {
        isGivenUp = true;
        throw error;
      }
    };
    await next(first);
    const about = this.batches * batchSize * rest.length;
    // Only of a plain table it is known that a key is one record, so that counting tells where batches go.
    const isShared = mayShare && part.selection.type.hasPlaces && rest.length > 1 && about >= enoughForTwo;
    const other = isShared ? await second() : null;
    if (!other) for (const range of rest) await next(range);
    else {
      const places = this.placesOf(part, rest, position, other, () => !isGivenUp);
      // What went wrong with it is met where it is needed.
      places.catch(() => {});
      await sharedOut(rest, 0, next, async (range) => {
        const { at, batches } = (await places).get(range)!;
        if ((await write(range, at, other)) !== batches)
          throw new Error('A range holds other records than were counted.');
      });
    }
  }

  /**
   * Where the batches of each range begin, the first at `position`, and how many they are: counted beforehand, over another
   * connection, as long as that is of use.
   */
  private async placesOf(
    { selection }: CheckedPart,
    ranges: readonly KeyRange[],
    position: number,
    connection: Connection,
    isWanted: () => boolean,
  ): Promise<ReadonlyMap<KeyRange, { readonly at: number; readonly batches: number }>> {
    const scope = new Scope(selection.type, selection.env);
    const places = new Map<KeyRange, { at: number; batches: number }>();
    let at = position;
    for (const range of ranges) {
      if (!isWanted()) throw new Error('It was given up.');
      const condition = conditionOf(selection, scope, range);
      const [row] = await askOn<{ n: number }>(
        connection,
        sql`select count(*) as n from ${scope.from()} where ${condition}`,
      );
      const batches = Math.ceil(row!.n / this.freezing.batchSize);
      places.set(range, { at, batches });
      at += batches;
    }
    return places;
  }

  /** A selection that must be found as a whole; from then on two may work on it. */
  private async chosen(part: CheckedPart, frozen: OrderPart, index: number, mayShare: boolean): Promise<void> {
    const { batchSize, progress } = this.freezing;
    const chosen = raw(`pg_temp.chosen_${index}`);
    const rows = chosenRows(part, this.planned, this.dealt(part));
    const count = await this.table(chosen, rows, byPlace);
    const second = mayShare && count >= enoughForTwo ? await this.freezing.second() : null;
    const pieces = piecesOf(count, batchSize, second ? aboutPerShare : aboutPerPiece);
    const ends =
      isFoundBySpot(part.selection.type) || part.order
        ? new Map<number, string>()
        : await this.keysAt(
            chosen,
            pieces.flatMap(({ low, high }) => [low + 1, high]),
          );
    const before = this.batches;
    let done = 0;
    const writer =
      (connection: Connection) =>
      async ({ low, high }: Piece): Promise<void> => {
        const [first, last] = [ends.get(low + 1), ends.get(high)];
        const cut: Cut = { by: 'place', chosen, low, high, ...(first && last ? { ends: { first, last } } : {}) };
        const at = { connection, position: before + low / batchSize };
        await this.write(index, part.type, frozen.writes, partRows(part, cut, this.planned), at);
        progress(++done, pieces.length);
      };
    const write = writer(this.connection);
    await foundFirst(this.connection, async () => {
      if (!second) for (const piece of pieces) await write(piece);
      else {
        const half = Math.ceil(pieces.length / 2);
        await askOn(second, sql`create temp table ${bare(chosen)} on commit drop as ${rows} with no data`);
        const isThere = copyTable(this.connection, second, chosen, pieces[half]!.low).then(() =>
          indexed(second, chosen, byPlace),
        );
        // What went wrong with it is met where it is needed.
        isThere.catch(() => {});
        // This one goes on as soon as it has sent what the other is to have.
        await foundFirst(second, () =>
          sharedOut(pieces, half, write, (piece) => isThere.then(() => writer(second)(piece))),
        );
      }
    });
  }

  /** The keys that `by` of those records has that an earlier part will change; null where it does not matter. */
  private dealt({ dealt }: CheckedPart): Sql | null {
    if (!dealt) return null;
    const planned = this.planned.find((p) => p.part === dealt.part)!;
    const t = raw('dealt');
    return sql`select ${t}.${identifier(dealt.by)} from ${planned.table} p join ${tableOf(planned.type)} ${t}
      on ${join(
        keyColumns(planned.type, t).map((k, i) => sql`${k} = p.${raw(`k${i + 1}`)}`),
        ' and ',
      )}`;
  }

  /** The first field of the key, as a text, of those at some places of a worked-out selection. */
  private async keysAt(chosen: Sql, places: readonly number[]): Promise<ReadonlyMap<number, string>> {
    const rows = await askOn<{ n: number; key: string }>(
      this.connection,
      sql`select n, k1::text as key from ${chosen} where n = any(${value(places)}::bigint[])`,
    );
    return new Map(rows.map((r) => [r.n, r.key]));
  }

  /** Values of which each may be there once: all are worked out before it is known which are twice, and which pass on. */
  private async distinct(part: CheckedPart, frozen: OrderPart, index: number): Promise<void> {
    const rows = await this.workedOut(part, index);
    const placed = await new Passings(this.connection, part, index, rows, this.freezing.batchSize).placed();
    if (placed.passing) this.passes(index, placed.passing);
    await this.writeInPlace(part, frozen, index, placed.rows, placed.last);
  }

  /** Says of a part that its values pass from record to record: one lane writes it, in order. */
  private passes(index: number, passing: Passing): void {
    const parts = this.order.parts.map((p, i) => (i === index ? { ...p, inOrder: true, passing } : p));
    this.order = { ...this.order, parts };
  }

  /** Records that read others of the same part: all are worked out before their order of writing is known. */
  private async settled(part: CheckedPart, frozen: OrderPart, index: number): Promise<void> {
    const rows = await this.workedOut(part, index);
    const count = await this.sort(part, rows, index);
    await this.writeInPlace(part, frozen, index, raw(`pg_temp.sorted_${index}`), count);
  }

  /** A part's rows as a table, those of one value too many marked. */
  private async workedOut(part: CheckedPart, index: number): Promise<Sql> {
    const rows = raw(`pg_temp.rows_${index}`);
    let cut = everything;
    if (needsChoosing(part)) {
      const chosen = raw(`pg_temp.chosen_${index}`);
      cut = { by: 'place', chosen, low: 0, high: await this.table(chosen, chosenRows(part, this.planned), raw('(n)')) };
    }
    await this.table(rows, partRows(part, cut, this.planned), raw('(k1)'));
    for (const i of uniqueChanges(part))
      for (const statement of clashes(part, i, rows)) await askOn(this.connection, statement);
    return rows;
  }

  /** Writes rows that have their places as `at_last`, from 1 on. */
  private async writeInPlace(
    part: CheckedPart,
    frozen: OrderPart,
    index: number,
    rows: Sql,
    count: number,
  ): Promise<void> {
    await this.inPieces(piecesOf(count, this.freezing.batchSize), async ({ low, high }) => {
      const piece = sql`select *, at_last - ${value(low)} as n from ${rows} where at_last > ${value(low)} and at_last <= ${value(high)}`;
      await this.write(index, part.type, frozen.writes, piece);
    });
  }

  /** Readers before what they read; those that read each other in a circle are not allowed. */
  private async sort(part: CheckedPart, rows: Sql, index: number): Promise<number> {
    const reads = raw(`pg_temp.reads_${index}`);
    const left = `pg_temp.left_${index}`;
    const waves = `pg_temp.waves_${index}`;
    await this.connection.query(`create temp table reads_${index} (reader bigint, read bigint) on commit drop`);
    for (const statement of readsWithin(part, rows, reads)) await askOn(this.connection, statement);
    for (const i of uniqueChanges(part))
      await askOn(this.connection, sql`insert into ${reads} ${handedOn(part, i, rows)}`);
    await this.connection.query(`
      create index on pg_temp.reads_${index} (read); create index on pg_temp.reads_${index} (reader);
      create temp table left_${index} on commit drop as select reader as n from pg_temp.reads_${index} union select read from pg_temp.reads_${index};
      create unique index on ${left} (n);
      create temp table waves_${index} (n bigint primary key, wave integer not null) on commit drop;
      analyze pg_temp.reads_${index}; analyze ${left}`);
    const take = async (wave: number, from: 'reader' | 'read'): Promise<number> => {
      const other = from === 'read' ? 'reader' : 'read';
      const { rowCount } = await this.connection.query(`
        with taken as (delete from ${left} l where not exists (
            select from pg_temp.reads_${index} e join ${left} o on o.n = e.${other} where e.${from} = l.n and o.n <> l.n)
          returning n)
        insert into ${waves} select n, ${wave} from taken`);
      return rowCount ?? 0;
    };
    let wave = 1;
    while (wave < mostWaves && (await take(wave, 'read')) > 0) wave++;
    // What circles read can still be written, after all others.
    for (let back = 0; back < mostWaves && (await take(2 * mostWaves - back, 'reader')) > 0;) back++;
    await this.connection.query(`
      update pg_temp.rows_${index} r set verdict = '${letterOf('not_allowed')}',
        cause = 'It reads a record that reads it in turn (a circle), so no order of writing them is right.'
      from ${left} l where l.n = r.n`);
    await this.connection.query(`
      create temp table sorted_${index} on commit drop as
      select r.*, row_number() over (order by coalesce(w.wave, 0), r.n) as at_last
      from pg_temp.rows_${index} r left join ${waves} w on w.n = r.n`);
    await this.connection.query(`alter table pg_temp.sorted_${index} drop column n; analyze pg_temp.sorted_${index}`);
    const { rows: counted } = await this.connection.query<{ n: number }>(
      `select count(*) as n from pg_temp.sorted_${index}`,
    );
    return counted[0]!.n;
  }

  /** What later parts must reckon with. */
  private async plan(part: CheckedPart, frozen: OrderPart, index: number): Promise<void> {
    if (part.act === 'create') return;
    const table = raw(`pg_temp.planned_${index}`);
    const writes = part.act === 'delete' ? [] : frozen.writes;
    await this.table(table, plannedRows(this.freezing.previewId, index, part.type, writes), raw('(k1)'));
    this.planned.push({ part: index, type: part.type, table, fields: part.act === 'delete' ? null : writes });
  }

  /** A temporary table of rows, indexed and analysed; how many there are. */
  private async table(name: Sql, rows: Sql, index: Sql): Promise<number> {
    const count = await writtenBy(this.connection, sql`create temp table ${bare(name)} on commit drop as ${rows}`);
    await indexed(this.connection, name, index);
    return count;
  }

  private async inPieces(pieces: readonly Piece[], work: (piece: Piece) => Promise<void>): Promise<void> {
    for (const [i, piece] of pieces.entries()) {
      await work(piece);
      this.freezing.progress(i + 1, pieces.length);
    }
  }

  /** Freezes rows: as the batches that follow, or from a position on over a connection. How many batches they are. */
  private async write(
    part: number,
    type: RecordType,
    fields: readonly string[],
    rows: Sql,
    { connection, position } = { connection: this.connection, position: this.batches },
  ): Promise<number> {
    const { previewId, batchSize } = this.freezing;
    const along = alongOf(this.order)
      .filter((a) => !this.isUndo && a.part === part && a.entry.act === 'create')
      .map(({ at, entry }) => ({ at, fields: entry.writes }));
    const places = this.order.parts[part]!.act === 'update' && type.hasPlaces;
    // Of what is deleted every value goes: nobody counts them.
    const isDelete = this.order.parts[part]!.act === 'delete';
    const counted = fields.map((field) => (isDelete ? [] : this.pairs.counted(part, field)));
    const statement = freezeRows(rows, fields, {
      previewId,
      part,
      firstPosition: position,
      batchSize,
      whole: this.wholeKeys[part]!,
      along,
      places,
      counted,
    });
    const told = await askOn<Omit<Pair, 'part' | 'field'> & { field: string | null }>(connection, statement);
    const batches = told.find((row) => row.field === null)!.count;
    this.batches += batches;
    for (const [i, field] of fields.entries()) {
      const found = told.flatMap((row) => (row.field === field ? [{ ...row, part, field }] : []));
      this.pairs.add(part, field, found, counted[i]!);
    }
    return batches;
  }
}

const byPlace = raw('using brin (n) with (pages_per_range = 8)');

/** A temporary table's name as it is made. */
function bare(name: Sql): Sql {
  return raw(name.pieces.join('').replace('pg_temp.', ''));
}

async function indexed(connection: Connection, table: Sql, index: Sql): Promise<void> {
  await askOn(connection, sql`create index on ${table} ${index}`);
  await askOn(connection, sql`analyze ${table}`);
}

/** What was found comes first, then what is joined to it: looked up one by one, it is not to wait for joins of its own. */
async function foundFirst(connection: Connection, work: () => Promise<void>): Promise<void> {
  await connection.query('set local join_collapse_limit = 1');
  await work();
  await connection.query('set local join_collapse_limit to default');
}
