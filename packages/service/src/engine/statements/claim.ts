import { sql, value, type Sql } from '@tantamos/core';

/** What a lane asks for work by. */
export interface Asking {
  readonly run: string;
  readonly preview: string;
  readonly part: number;
  readonly lane: number;
  /** Position that the lane begins at: it does what lies before it last. */
  readonly from: number;
}

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
  const { run, part, lane, from } = asking;
  const due = fresh
    ? sql`s.state = 'ready' and s.tries = 0`
    : sql`s.state <> 'done' and (s.not_before is null or s.not_before <= clock_timestamp())`;
  const first = (beyond: Sql): Sql => sql`select f.* from (
    select s.* from tantamos.run_batch s
    where s.run = ${value(run)}::uuid and s.part = ${value(part)}::int and s.position ${beyond}
      and (run.ask_before is null or s.position < run.ask_before) and s.state <> 'done' and ${due}
      and (not s.in_order or (${value(lane)}::int = 0 and s.position = (
        select min(o.position) from tantamos.run_batch o where o.run = ${value(run)}::uuid and o.state <> 'done')))
    order by s.position limit 1 for update of s skip locked) f`;
  return sql`
    select s.run, s.position, s.batch, s.low, s.high, s.state, s.tries, s.outcomes, s.causes, s.altered, s.made, s.made_as,
      s.not_yet as pending, run.preview
    from tantamos.run cross join lateral (
      ${first(sql`>= ${value(from)}::int`)} union all ${first(sql`< ${value(from)}::int`)} limit 1) s
    where run.id = ${value(run)}::uuid and run.state = 'running' and run.wakes_at is null`;
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
