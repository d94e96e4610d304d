import {
  fieldNow,
  identifier,
  join,
  keyColumns,
  keyIs,
  proof,
  raw,
  Scope,
  signature,
  sql,
  writtenTable,
  value,
  type Checked,
  type Env,
  type Becoming,
  type Field,
  type Passing,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { isAltered } from './altered';
import { claimedAt, type Asking, type Fresh } from './claim';
import { itemsOf, unpackedItems, type Slice } from './items';
import { isFoundBySpot, keyNames, letter, madeAgain, sameAs } from './rows';
import { storedOtherwise, type Stored } from './stored';
import { parkingOf } from './unique';
import type { Proven, Writing } from './writing';

/** A part made ready to be applied: its type and trees as the catalog of the moment has them. */
export interface Updating {
  readonly type: RecordType;
  readonly reads: readonly Checked[];
  readonly writes: readonly string[];
  /** What each of these becomes, where that can be worked out again of the record alone. */
  readonly makes: readonly Becoming<Checked>[] | null;
  /** Values pass from record to record: one is written after another, as they stand in the batch. */
  readonly passing: Passing | null;
  readonly env: Env;
}

/**
 * Joins are nested loops while these hold, so that records are written in the order in which they stand in the batch; what
 * is planned so says so, since a plan is kept by the words of its statement.
 */
export const oneAfterAnother = 'set enable_hashjoin = off; set enable_mergejoin = off; set enable_material = off';
export const inAnyOrder = 'reset enable_hashjoin; reset enable_mergejoin; reset enable_material';
const mark = ({ passing }: Updating): Sql => raw(passing ? '/* one after another */ ' : '');

/** What one statement did with a slice. Places are counted in the batch from 1; a place in none was locked, or is not there. */
export interface Applied {
  /** Written, each once. */
  readonly changed: readonly number[];
  /** There, and as the preview saw them: those not in `changed` were left as they were by a trigger or a row rule. */
  readonly same: readonly number[];
  /** There, but some value that the preview read or would write is another by now. */
  readonly edited: readonly number[];
}

/**
 * How a stretch is written in one statement, the quickest first. Measured in batches of 5,000, written with no check at all = 1.0:
 * - `proved` (1.09): what its records are, have and become is worked out again, and where it is what was frozen of all
 *   of them together, nothing that is frozen of each is looked at;
 * - `placed` (1.17): they are looked for where the preview found them, and compared one by one;
 * - `keyed`: the same, and they are looked for by their keys.
 */
export type Way = 'proved' | 'placed' | 'keyed';
export const ways: readonly Way[] = ['proved', 'placed', 'keyed'];

/**
 * How the transaction of each way begins. Who proves looks twice at the same records, and has to see the same; and looks for them
 * where they are however small the table is by now, since a plan is kept while it grows. Its one snapshot is of when it has the
 * table's lock, for which it may have waited (see `isAltered`); the other ways have a new one by then in any case.
 */
export function beginning(way: Way, { type }: Updating): string {
  if (way !== 'proved') return 'begin';
  const table = writtenTable(type).pieces.join('');
  return `begin isolation level repeatable read; lock table only ${table} in row exclusive mode; set local enable_seqscan = off`;
}

/** A way, and what of a stretch matters for it. */
export interface Swiftly extends Pick<Fresh, 'entire' | 'whole'> {
  readonly way: Way;
}

/** Can stretches of the part be written that way? */
export function goesBy({ type, makes, passing }: Updating, { way, entire }: Swiftly): boolean {
  if (way === 'proved') return makes !== null && passing === null && entire && type.isLockable && isFoundBySpot(type);
  return way === 'keyed' || type.hasPlaces;
}

/**
 * Claims the fresh stretch at `position`, writes its records, and marks all of it done. How many were written is the
 * statement's own count; whoever asks takes it back unless that is all of them. None is where the stretch is another's by now,
 * the table is not as the catalog says (`isAltered`), or somebody works alone (`gate`, an advisory lock that one who is alone holds).
 *
 * It is the statement that counts, because telling each record by `returning` takes 0.4 µs, a twentieth of all.
 *
 * Only for types that nothing of the database's own changes meanwhile: what is stored is not read back.
 */
export function updateSwiftly(part: Updating, asking: Asking, gate: Sql, position: Sql, how: Swiftly): Sql {
  const write = how.way === 'proved' ? allTogether(part, asking.preview, how) : oneByOne(part, asking.preview, how);
  return sql`
    ${mark(part)}with gate as materialized (select not ${isAltered(part.type, part.writes)} and ${gate} as open), claimed as materialized (
      select * from gate cross join lateral (${claimedAt(asking, position)}) c where gate.open
    ), marked as (
      update tantamos.run_batch s set outcomes = translate(s.outcomes, ${letter('not_yet')}, ${letter('changed')}), state = 'done', tries = 1,
        finished_at = clock_timestamp()
      from claimed c where s.run = ${value(asking.run)}::uuid and s.position = c.position
    )${write}`;
}

/** Writes those records of the stretch `claimed` that are there as the preview saw them. */
function oneByOne(part: Updating, preview: string, { way, whole }: Swiftly): Proven {
  const { type } = part;
  const places = way === 'placed';
  const scope = new Scope(type, part.env);
  const hash = signature(part.reads, scope);
  const joins = scope.joins();
  const key = keyIs(type, scope.root, raw('i.key'));
  const keyed = places ? sql`${scope.root}.ctid = i.spot and ${key}` : key;
  const items = unpackedItems(part.writes, preview, raw('claimed'), { places, whole });
  const direct = joins.pieces.length === 0;
  // An update cannot join anything to its own target, so where values are joined the record is read beside it.
  const found = direct
    ? sql`(${items}) i where ${keyed}`
    : sql`(${items}) i join ${scope.from()} on ${keyed} where ${sameRecord(type, raw('t'), scope.root)}`;
  return sql`
    update ${writtenTable(type)} ${direct ? scope.root : raw('t')} set ${sets(part, 'i')} from ${found} and ${hash} = i.signature`;
}

/**
 * Writes all that are to be dealt with of the stretch `claimed`, which is all of a batch, if together they are, have and become
 * what was frozen; else none. What is written is worked out again, which is the same as what was frozen: that is part of the
 * proof. Two looks at the same records must see the same (see `beginning`).
 */
function allTogether({ type, reads, writes, makes, env }: Updating, preview: string, { whole }: Swiftly): Proven {
  const scope = new Scope(type, env);
  const fields = writes.map((name) => fieldNow(type, name));
  const values = madeAgain(makes!, fields, scope);
  const there = sql`${scope.root}.ctid = any((select places from frozen)::tid[])`;
  const now = sql`select bit_xor(${proof(reads, values, scope)}) from ${writtenTable(type)} ${scope.root} where ${there}`;
  const made = join(
    writes.map((name, i) => sql`${identifier(name)} = ${values[i]!}`),
    ', ',
  );
  const pending = whole
    ? raw('h.places')
    : sql`array(select u.place from unnest(h.places, string_to_array((select b.verdicts from tantamos.batch b
        where b.preview = h.preview and b.position = h.position), null)) u(place, verdict) where u.verdict = ${letter('will_change')})`;
  return sql`, frozen as materialized (
      select ${pending} as places, h.proof from claimed c join tantamos.batch_place h on h.preview = ${value(preview)}::uuid and h.position = c.batch
    )
    update ${writtenTable(type)} ${scope.root} set ${made} where ${there} and (${now}) = (select proof from frozen)`;
}

/**
 * Writes the frozen values to those records of the slice whose signatures still match. Locked records are passed over, and
 * every record's fate is told. The lock on a row is never waited for; on what it points at, as long as `lock_timeout` says.
 *
 * The steps are put together from arrays, since the planner takes them for a handful of rows and would join a thousand
 * with a thousand in a loop (measured: ten times the run); locked rows are found again by their place in the table,
 * which no one can move meanwhile, rather than by the key (a tenth less).
 */
export function updateCarefully(part: Updating, slice: Slice): Writing<Applied, Stored> {
  const { type } = part;
  const scope = new Scope(type, part.env);
  const hash = signature(part.reads, scope);
  const ordered = part.passing ? raw('(select * from locked order by n)') : raw('locked');
  const write = sql`
    ${mark(part)}with locked as materialized (
      select item.*, ${join(keyNames(placeColumns(type, scope.root)), ', ')}, ${hash} = item.signature as same
      from (${itemsOf(part.writes, slice)}) item
      join ${scope.from()} on ${keyIs(type, scope.root, raw('item.key'))}
      for no key update of ${scope.root} skip locked
    ), written as (
      update ${writtenTable(type)} t set ${part.passing?.how === 'around' ? parked(part, part.passing.field) : sets(part, 'l')} from ${ordered} l
      where ${sameAs('l', placeColumns(type, raw('t')))} and l.same
      returning l.n
    )
    select array(select n::int from written) as changed, array(select n::int from locked where same) as same,
      array(select n::int from locked where not same) as edited`;
  const isParked = part.passing?.how === 'around';
  // Also where nothing is known that would store another: it may have been made since the catalog was read.
  const stored = ([applied]: readonly Applied[]): Sql | null =>
    isParked || applied!.changed.length === 0 ? null : storedOtherwise(part, { ...slice, only: applied!.changed });
  return { write, stored };
}

/** Has the records of the slice, which are held, give up the value that they pass on: blank or, where it may not be, one that none has. */
function parked({ type }: Updating, name: string): Sql {
  const field = type.fields.find((f) => f.name === name)!;
  const value = field.required ? parkingOf(field, writtenTable(type), raw('l.n')) : null;
  return sql`${identifier(name)} = ${value ?? raw('null')}`;
}

/** Writes the frozen values to records that have given up theirs in this transaction: `n` of each. */
export function updateParked(part: Updating, slice: Slice): Writing<{ n: number }, Stored> {
  const { type } = part;
  const t = raw('t');
  return {
    write: sql`update ${writtenTable(type)} t set ${sets(part, 'i')} from (${itemsOf(part.writes, slice)}) i
      where ${keyIs(type, t, raw('i.key'))} returning i.n::int as n`,
    stored: (written) => storedOtherwise(part, { ...slice, only: written.map((w) => w.n) }),
  };
}

/** What a record just read is found again by: its place in the table or, where there are none, its key. */
function placeColumns(type: RecordType, alias: Sql): readonly Sql[] {
  return type.hasPlaces ? [sql`${alias}.ctid`, sql`${alias}.tableoid`] : keyColumns(type, alias);
}

function sameRecord(type: RecordType, a: Sql, b: Sql): Sql {
  const other = placeColumns(type, b);
  return join(
    placeColumns(type, a).map((column, i) => sql`${column} = ${other[i]!}`),
    ' and ',
  );
}

function sets({ type, writes }: Updating, from: string): Sql {
  return join(
    writes.map((name, i) => {
      const field = type.fields.find((f) => f.name === name)!;
      return sql`${identifier(name)} = ${assigned(raw(`${from}.new_${i + 1}`), field)}`;
    }),
    ', ',
  );
}

/** A frozen text as a value for a field: one that is too long by now is refused, where a cast would cut it. */
export function assigned(text: Sql, { dbType }: Pick<Field, 'dbType'>): Sql {
  return dbType.startsWith('character') ? text : sql`${text}::${raw(dbType)}`;
}
