import { raw, sql, value, type Sql } from '@tantamos/core';

/** What a lane asks for work by. */
export interface Asking {
  readonly run: string;
  readonly preview: string;
  readonly part: number;
  readonly lane: number;
  /** Version of the schema that this program knows. */
  readonly schema: number;
  /** Position that the lane begins at: it does what lies before it last. */
  readonly from: number;
}

/** A stretch that nobody has tried yet, as it stood when it was looked at: who takes it looks again. */
export interface Fresh {
  readonly position: number;
  /** Records that are to be dealt with. */
  readonly pending: number;
  /** It is all of a frozen batch, */
  readonly entire: boolean;
  /** and every record of it is to be dealt with. */
  readonly whole: boolean;
}

/** A lane looks ahead at so many stretches at a time. */
const aheadAtOnce = 16;

/**
 * The next stretch of the run's present part that a lane may take, held until the transaction ends; none where the run
 * has been told to pause or stop, or the stretch is beyond the border where it asks.
 *
 * Each lane begins at a place of its own, so that two of them seldom want the same row; what lies before it is looked at
 * when there is nothing further on. Either is one step through the index, however many stretches there are. `fresh`: only
 * what has not been tried; else what was left over too, when it is due. Records that must be written in order are the first
 * lane's, one stretch after another.
 */
export function claimed(asking: Asking, fresh: boolean): Sql {
  return sql`
    select ${claim} from tantamos.run cross join lateral (${fromHereOn(asking, fresh, 1, raw('for update of s skip locked'))}) s
    where ${isAtWork(asking)}`;
}

/** The same of a fresh stretch that is known by its position; none where another has taken it meanwhile. */
export function claimedAt(asking: Asking, position: Sql): Sql {
  return sql`
    select ${claim} from tantamos.run cross join lateral (
      select s.* from tantamos.run_batch s where ${isFree(asking, true)} and s.position = ${position} for update of s skip locked) s
    where ${isAtWork(asking)}`;
}

/** The fresh stretches that a lane comes to next, in that order, none of them held: rows of `Fresh`. */
export function freshAhead(asking: Asking): Sql {
  return sql`
    select s.position, s.not_yet as pending, s.high - s.low = b.size as entire, s.not_yet = b.size as whole
    from tantamos.run cross join lateral (${fromHereOn(asking, true, aheadAtOnce, raw(''))}) s
    join tantamos.batch b on b.preview = ${value(asking.preview)}::uuid and b.position = s.batch
    where ${isAtWork(asking)} order by s.position < ${value(asking.from)}::int, s.position`;
}

const claim =
  raw(`s.run, s.position, s.batch, s.low, s.high, s.state, s.tries, s.outcomes, s.causes, s.altered, s.made, s.made_as,
      s.not_yet as pending, run.preview`);

function isAtWork({ run, schema }: Asking): Sql {
  // Looked at in the claim itself: nobody who knows another schema writes by this one.
  return sql`run.id = ${value(run)}::uuid and run.state = 'running' and run.wakes_at is null
    and (select max(m.version) from tantamos.migration m) = ${value(schema)}::int`;
}

/** So many stretches from the lane's place on and, where there are none, so many before it. */
function fromHereOn(asking: Asking, fresh: boolean, most: number, held: Sql): Sql {
  const { from } = asking;
  const limit = sql`limit ${raw(String(most))}`;
  const some = (beyond: Sql): Sql => sql`select f.* from (
    select s.* from tantamos.run_batch s where ${isFree(asking, fresh)} and s.position ${beyond} order by s.position ${limit} ${held}) f`;
  return sql`${some(sql`>= ${value(from)}::int`)} union all ${some(sql`< ${value(from)}::int`)} ${limit}`;
}

function isFree({ run, part, lane }: Asking, fresh: boolean): Sql {
  const due = fresh
    ? sql`s.state = 'ready' and s.tries = 0`
    : sql`s.state <> 'done' and (s.not_before is null or s.not_before <= clock_timestamp())`;
  return sql`s.run = ${value(run)}::uuid and s.part = ${value(part)}::int
      and (run.ask_before is null or s.position < run.ask_before) and s.state <> 'done' and ${due}
      and (not s.in_order or (${value(lane)}::int = 0 and s.position = (
        select min(o.position) from tantamos.run_batch o where o.run = ${value(run)}::uuid and o.state <> 'done')))`;
}

/**
 * The part whose turn it is, where its stretches begin and end, whether they go one after another, and whether any of them is
 * due now: `part`, `first`, `last`, `in_order`, `due`.
 */
export const presentPart = `
  select n.part, min(s.position) as first, max(s.position) as last, bool_or(s.in_order) as in_order,
    bool_or(s.state <> 'done' and (s.not_before is null or s.not_before <= clock_timestamp())) as due
  from (select part from tantamos.run_batch where run = $1 and state <> 'done' order by position limit 1) n
  join tantamos.run_batch s on s.run = $1 and s.part = n.part group by n.part`;
