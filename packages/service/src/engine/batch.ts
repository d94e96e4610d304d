import {
  keyAmong,
  keyColumns,
  keyText,
  letterOf,
  raw,
  sql,
  tableOf,
  type Catalog,
  type Limits,
  type OrderPart,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { askPrepared, type Connection } from '../database/database';
import { blameOf, isAboutShape, isAboutValues, refusalOf, refusalWords, type Refusal } from '../database/refusal';
import type { Attempt, Dealer, Made } from './dealer';
import type { Slice } from './statements/items';
import { lockableKeys, presentKeys } from './statements/probe';

export interface RunBatchRow {
  readonly run: string;
  readonly preview: string;
  readonly position: number;
  readonly batch: number;
  readonly low: number;
  readonly high: number;
  readonly state: 'ready' | 'tail';
  readonly tries: number;
  readonly outcomes: string;
  readonly causes: Record<string, string> | null;
  readonly altered: Record<string, Record<string, string | null>> | null;
  readonly made: (string | null)[] | null;
  readonly made_as: (string | null)[] | null;
}

/** The part that a batch belongs to, as far as it matters here. */
export interface Work {
  readonly part: OrderPart;
  /** Type of the frozen keys. */
  readonly source: RecordType | null;
  readonly catalog: Catalog;
  readonly dealer: Dealer;
  /** Which records whoever started the run may change; null: all. */
  readonly limits: Limits | null;
  readonly patience: Patience;
}

/** How often records that somebody has locked are tried again, and how long after, in ms. */
export interface Patience {
  readonly tries: number;
  readonly firstWait: number;
  /** No: a run whose pace nobody has said goes on as if nobody else were there. */
  readonly givesWay?: false;
}

const changed = letterOf('changed');
const edited_since = letterOf('edited_since');
const not_yet = letterOf('not_yet');
const gone = letterOf('gone');
const in_use = letterOf('in_use');
const refused = letterOf('refused');
const notAllowed = letterOf('not_allowed');

/** While rows are held, other locks are waited for this long: the first time, every further time, and in all (ms). */
const firstLockWait = 20;
const furtherLockWait = 5;
const longestLockWait = 150;
/** Savepoints that write, in one transaction: beyond some sixty PostgreSQL's snapshots get slow for everybody. */
const mostSavepoints = 50;
/** So many records that fail alike, one by one, with nothing done in between, are not the records' fault. */
const manyAlike = 20;

/** Every record fails in the same way: the run pauses and says so. */
export class AllAlike extends Error {}

/** Applies a claimed stretch in the usual case that nothing is in the way. False where it is: the caller rolls back. */
export async function applyWhole(connection: Connection, work: Work, row: RunBatchRow): Promise<boolean> {
  const fate = new Fate(row);
  const places = fate.pending();
  if ((await beyondRights(connection, work, row, places)).places.length > 0) return false;
  const done = await work.dealer.attempt(connection, sliceOf(row, places));
  if (done.undone.length > 0 || done.changed.length !== places.length) return false;
  fate.take(done);
  await fate.finish(connection, { left: 0, waits: false }, work.patience);
  return true;
}

/**
 * Applies a claimed stretch with care: tells for every record what became of it, passes over what is locked, and isolates
 * what the database refuses by halving. What there is no time for in this transaction is left for the next.
 */
export async function applyWithCare(
  connection: Connection,
  work: Work,
  row: RunBatchRow,
  conflictsAreLocks: boolean,
): Promise<void> {
  const { dealer, patience, source } = work;
  const fate = new Fate(row);
  const unseen: number[] = [];
  const locked: number[] = [];
  const postponed: number[] = [];
  let waited = 0;
  let savepoints = 0;
  let alike = { code: '', count: 0 };

  const attempt = async (atoms: readonly Atom[]): Promise<void> => {
    const places = atoms.flat();
    if (places.length === 0) return;
    if (savepoints >= mostSavepoints || waited >= longestLockWait) return void postponed.push(...places);
    savepoints++;
    await connection.query('savepoint attempt');
    try {
      const done = await dealer.attempt(connection, sliceOf(row, places));
      if (done.undone.length > 0) {
        // It is taken back with all that triggers did for it, and the rest done without it.
        await connection.query('rollback to savepoint attempt');
        for (const { n, outcome, cause } of done.undone) fate.mark([n - row.low], letterOf(outcome), cause);
        const out = new Set(done.undone.map((r) => r.n - row.low));
        return await attempt(atoms.map((atom) => atom.filter((p) => !out.has(p))));
      }
      await connection.query('release savepoint attempt');
      alike = { code: '', count: 0 };
      fate.take(done);
      const seen = new Set([...done.changed, ...done.edited].map((n) => n - row.low));
      unseen.push(...places.filter((place) => !seen.has(place)));
    } catch (error) {
      // What is wrong with the tables is wrong with every record.
      if (isAboutShape(error)) throw error;
      let blame = blameOf(error);
      // Somebody who changes the same again and again is in the way like one who has it locked.
      if (blame === 'conflict' && conflictsAreLocks) blame = 'lock';
      if (blame === 'session' || blame === 'conflict' || blame === 'bug') throw error;
      await connection.query('rollback to savepoint attempt');
      if (blame === 'lock') {
        waited += savepoints === 1 ? firstLockWait : furtherLockWait;
        await connection.query(`set local lock_timeout = ${furtherLockWait}`);
      }
      if (places.length === 1) {
        if (blame === 'lock') return void locked.push(...places);
        if (blame === 'unknown' && !isAboutValues(error)) alike = counted(alike, error);
        const words = refusalWords(error, dealer.type);
        fate.refusedFor(words, refusalOf(error));
        return fate.mark(places, refused, words);
      }
      // What only goes together and does not go is told of each.
      if (atoms.length === 1) return await attempt(places.map((p) => [p]));
      const middle = atoms.length >> 1;
      await attempt(atoms.slice(0, middle));
      // In order: nothing is done before what reads it.
      if (work.part.inOrder && locked.length + postponed.length > 0) postponed.push(...atoms.slice(middle).flat());
      else await attempt(atoms.slice(middle));
    }
  };

  const counted = (before: typeof alike, error: unknown): typeof alike => {
    const { code = '', message } = error as { code?: string; message: string };
    const now = { code, count: before.code === code ? before.count + 1 : 1 };
    if (now.count >= manyAlike) throw new AllAlike(`every record fails alike: ${message}`);
    return now;
  };

  const beyond = await beyondRights(connection, work, row, fate.pending());
  fate.mark(beyond.places, notAllowed, beyond.words);
  let pending = fate.pending();
  if (work.part.inOrder) {
    const first = await untilLocked(connection, work, row, fate);
    locked.push(...first.locked);
    postponed.push(...first.after);
    pending = first.before;
  }
  const atoms = await atomsOf(connection, work, row, fate.pending());
  const whole = atoms.filter((atom) => atom.every((p) => pending.includes(p)));
  const kept = new Set([...whole.flat(), ...locked, ...postponed]);
  postponed.push(...pending.filter((p) => !kept.has(p)));
  await connection.query(`set local lock_timeout = ${firstLockWait}`);
  await attempt(whole);
  if (source && unseen.length > 0) {
    const found = await classify(connection, source, row, fate, unseen);
    // What can be locked by now is tried again with the rest.
    locked.push(...found.locked, ...found.free);
  }
  const givenUp = locked.length > 0 && row.tries + 1 >= patience.tries;
  if (givenUp) fate.mark(locked, in_use, 'It, or what it points at, was locked by somebody else to the end.');
  const left = postponed.length + (givenUp ? 0 : locked.length);
  await fate.finish(
    connection,
    { left, waits: !givenUp && (locked.length > 0 || waited >= longestLockWait) },
    patience,
  );
}

/** Places that are only written together: nearly always one. */
type Atom = readonly number[];

/** Those of these places whose values go round in a circle stand together. */
async function atomsOf(
  connection: Connection,
  { part: { passing } }: Work,
  row: RunBatchRow,
  places: readonly number[],
): Promise<readonly Atom[]> {
  if (passing?.how !== 'around') return places.map((p) => [p]);
  const { rows } = await connection.query<{ old: (string | null)[]; new: (string | null)[] }>(
    `select old[$3 + 1:$4] as old, new[$3 + 1:$4] as new from tantamos.batch_value
     where preview = $1 and position = $2 and field = $5`,
    [row.preview, row.batch, row.low, row.high, passing.field],
  );
  const { old, new: fresh } = rows[0]!;
  const holder = new Map(places.map((p) => [old[p - 1], p]));
  const next = (p: number): number | undefined => holder.get(fresh[p - 1] ?? null);
  const ringOf = new Map<number, Atom>();
  const seen = new Set<number>();
  for (const start of places) {
    const way: number[] = [];
    let at: number | undefined = start;
    for (; at !== undefined && !seen.has(at); at = next(at)) {
      seen.add(at);
      way.push(at);
    }
    // Nobody waits for two, and nobody is waited for by two: who comes back comes back to where it began.
    if (at === start) for (const p of way) ringOf.set(p, way);
  }
  return places.flatMap((p) => {
    const ring = ringOf.get(p);
    if (!ring) return [[p]];
    return ring[0] === p ? [ring] : [];
  });
}

/** Of these places, those whose records whoever started the run may not change, as things are now. */
async function beyondRights(
  connection: Connection,
  { limits, source, part }: Work,
  row: RunBatchRow,
  places: readonly number[],
): Promise<{ places: readonly number[]; words: string }> {
  const r = raw('r');
  const limit = limits?.changed(part.writes, r);
  if (!limit || !source || places.length === 0) return { places: [], words: '' };
  const keys = await keysAt(connection, row, places);
  const beyond = await keysFound(
    connection,
    sql`select ${keyText(keyColumns(source, r))} as key from ${tableOf(source)} r
      where ${keyAmong(source, r, keys)} and not (${limit.allowed})`,
  );
  return { places: places.filter((_, i) => beyond.has(keys[i]!)), words: limit.words };
}

/** In order: only what comes before the first record that somebody has locked; what comes after it may be read by it. */
async function untilLocked(connection: Connection, { source }: Work, row: RunBatchRow, fate: Fate) {
  const { locked } = await classify(connection, source!, row, fate, fate.pending());
  const border = locked.length > 0 ? Math.min(...locked) : Infinity;
  const pending = fate.pending();
  return {
    before: pending.filter((p) => p < border),
    locked: pending.filter((p) => p === border),
    after: pending.filter((p) => p > border),
  };
}

/**
 * Marks, of these places, what is gone and what a row rule keeps from being changed; tells which of the rest somebody has
 * locked, and which are free (and held from now on).
 */
async function classify(
  connection: Connection,
  source: RecordType,
  row: RunBatchRow,
  fate: Fate,
  places: readonly number[],
): Promise<{ locked: number[]; free: number[] }> {
  const keys = await keysAt(connection, row, places);
  const present = await keysFound(connection, presentKeys(source, keys));
  fate.mark(
    places.filter((_, i) => !present.has(keys[i]!)),
    gone,
  );
  const locked: number[] = [];
  const free: number[] = [];
  const probe = async (some: readonly number[]): Promise<void> => {
    if (some.length === 0) return;
    const wanted = some.map((i) => keys[i]!);
    await connection.query('savepoint probe');
    try {
      const lockable = await keysFound(connection, lockableKeys(source, wanted));
      await connection.query('release savepoint probe');
      fate.mark(
        some.filter((i) => !lockable.has(keys[i]!)).map((i) => places[i]!),
        refused,
        'A row rule of the database does not let this record be changed.',
      );
      free.push(...some.filter((i) => lockable.has(keys[i]!)).map((i) => places[i]!));
    } catch (error) {
      if (blameOf(error) !== 'lock') throw error;
      await connection.query('rollback to savepoint probe');
      if (some.length === 1) return void locked.push(places[some[0]!]!);
      const middle = some.length >> 1;
      await probe(some.slice(0, middle));
      await probe(some.slice(middle));
    }
  };
  await probe(keys.flatMap((key, i) => (present.has(key) ? [i] : [])));
  return { locked, free };
}

async function keysFound(connection: Connection, statement: Sql): Promise<Set<string>> {
  return new Set((await askPrepared<{ key: string }>(connection, statement)).map((r) => r.key));
}

/** What becomes of the records of a stretch; places are counted in it from 1. */
class Fate {
  private readonly outcomes: string[];
  private readonly causes: Record<string, string>;
  private readonly altered: Record<string, Record<string, string | null>>;
  private readonly made: (string | null)[] | null;
  private readonly madeAs: (string | null)[] | null;
  private readonly along = new Map<number, Made[]>();
  private readonly refusals = new Map<string, Refusal>();
  constructor(private readonly row: RunBatchRow) {
    this.outcomes = [...row.outcomes];
    this.causes = { ...row.causes };
    this.altered = { ...row.altered };
    this.made = row.made && [...row.made];
    this.madeAs = row.made_as && [...row.made_as];
  }

  pending(): number[] {
    return this.outcomes.flatMap((letter, i) => (letter === not_yet ? [i + 1] : []));
  }

  mark(places: readonly number[], letter: string, cause?: string): void {
    for (const place of places) {
      this.outcomes[place - 1] = letter;
      if (cause === undefined) Reflect.deleteProperty(this.causes, place);
      else this.causes[place] = cause;
    }
  }

  /** Keeps what the database itself said, of each reason once. */
  refusedFor(words: string, refusal: Refusal): void {
    this.refusals.set(words, refusal);
  }

  /** Keeps what an attempt did that nothing was refused of. */
  take({ changed: done, edited, stored, made, along }: Attempt): void {
    const { low } = this.row;
    const place = (n: number): number => n - low;
    this.mark(done.map(place), changed);
    this.mark(edited.map(place), edited_since);
    for (const { n, altered } of stored)
      for (const [field, value] of Object.entries(altered)) (this.altered[field] ??= {})[place(n)] = value;
    for (const { n, key, as } of made) {
      this.made![place(n) - 1] = key;
      this.madeAs![place(n) - 1] = as;
    }
    for (const [at, some] of along) this.along.set(at, [...(this.along.get(at) ?? []), ...some]);
  }

  /** `left`: records still to be dealt with; `waits`: they are waited for, so the try counts. */
  async finish(connection: Connection, rest: { left: number; waits: boolean }, patience: Patience): Promise<void> {
    const json = (object: object): string | null => (Object.keys(object).length > 0 ? JSON.stringify(object) : null);
    const { run, position, tries } = this.row;
    const values = [
      run,
      position,
      this.outcomes.join(''),
      json(this.causes),
      json(this.altered),
      rest.left > 0 ? 'tail' : 'done',
      rest.left > 0 && rest.waits ? patience.firstWait * 2 ** tries : 0,
      rest.waits ? 1 : 0,
      this.made,
      this.madeAs,
    ];
    await connection.query({ name: 'finish', text: finishBatch, values });
    for (const [words, { kind, code, said, taken }] of this.refusals)
      await connection.query({
        name: 'keep refusal',
        text: keepRefusal,
        values: [run, words, kind, code, said, taken && JSON.stringify(taken)],
      });
    for (const [at, some] of this.along)
      await connection.query({
        name: 'keep along',
        text: keepAlong,
        values: [
          run,
          position,
          at,
          some.map((m) => m.n),
          some.map((m) => m.key),
          some.map((m) => m.as),
          alteredOf(some),
        ],
      });
  }
}
const finishBatch = `
  update tantamos.run_batch set outcomes = $3, causes = $4, altered = $5, state = $6,
    tries = greatest(tries + $8::int, 1), made = $9, made_as = $10,
    not_before = case when $6 = 'tail' then clock_timestamp() + make_interval(secs => $7::float8 / 1000) end,
    finished_at = clock_timestamp()
  where run = $1 and position = $2`;

/** Of so many different reasons the words of the database are kept: where each is another, a few tell what it is. */
const mostRefusals = 200;
const keepRefusal = `
  insert into tantamos.run_refusal (run, reason, kind, code, said, taken)
  select $1, tantamos.reason_of($2), $3, $4, $5, $6::jsonb
  where (select count(*) from tantamos.run_refusal where run = $1) < ${mostRefusals}
  on conflict do nothing`;

const keepAlong = `
  insert into tantamos.run_along as a (run, position, along, owners, keys, made_as, altered) values ($1, $2, $3, $4, $5, $6, $7)
  on conflict (run, position, along) do update set owners = a.owners || excluded.owners, keys = a.keys || excluded.keys,
    made_as = a.made_as || excluded.made_as, altered = coalesce(a.altered || excluded.altered, a.altered, excluded.altered)`;

/** So many keys are kept as examples of what the database stored otherwise. */
const mostExamples = 20;

/** Of related records that hold something else than was written: how many by field, with examples; null where none. */
function alteredOf(some: readonly Made[]): string | null {
  const fields = new Map<string, { count: number; keys: string[] }>();
  for (const { key, altered = {} } of some)
    for (const field of Object.keys(altered)) {
      const of = fields.get(field) ?? { count: 0, keys: [] };
      of.count += 1;
      if (of.keys.length < mostExamples) of.keys.push(key);
      fields.set(field, of);
    }
  const found = [...fields].map(([field, of]) => ({ field, ...of }));
  return found.length > 0 ? JSON.stringify(found) : null;
}

async function keysAt(connection: Connection, row: RunBatchRow, places: readonly number[]): Promise<string[]> {
  const { rows } = await connection.query<{ keys: string[] }>(
    `select array(select b.keys[p + $3] from unnest($4::int[]) with ordinality u(p, n) order by n) as keys
     from tantamos.batch b where preview = $1 and position = $2`,
    [row.preview, row.batch, row.low, places],
  );
  return rows[0]!.keys;
}

function sliceOf({ preview, batch, low, high }: RunBatchRow, places: readonly number[]): Slice {
  return { previewId: preview, batch, low, high, only: places.map((place) => place + low) };
}
