import {
  exceededOf,
  exceededWords,
  hoursWords,
  isOpen,
  opensAt,
  ProblemError,
  type Hours,
  type RunState,
  type Standing,
  type StopIf,
} from '@tantamos/core';
import type { Database } from '../database/database';
import type { Runs } from '../runs/runs';
import { isMeasured, writeOne } from './canary';
import type { LaneRun } from './lane';

/** A run that is at work, with what it is to be watched for. */
export interface WatchedRun extends LaneRun {
  readonly state: RunState;
  readonly batches: number;
  readonly hours: Hours | null;
  readonly hours_from: Date | null;
  readonly stop_if: StopIf;
  readonly wakes_at: Date | null;
}

/** While a run works, a small write is tried once in so many ms. */
const writeEvery = 900;
/** Of a small write that takes less than this before the run, so many ms are taken: the rest is noise. */
const leastUsual = 2;
/** Of so many small writes the median counts. */
const lastWrites = 5;
/** Sessions that have waited for less than this are not counted, in s. */
const longWait = 1;

/** Looks after runs that are at work: their hours, the limits at which they stop, and how long others wait meanwhile. */
export class Watchman {
  private readonly written = new Map<string, { at: number; ms: number | null }>();

  constructor(
    private readonly database: Database,
    private readonly runs: Runs,
  ) {}

  /** Lets those go on whose time has come. */
  async wakeThoseDue(): Promise<void> {
    const due = await this.database.rows<{ id: string }>(
      `select id from tantamos.run where state = 'waiting_until' and wakes_at <= clock_timestamp()`,
    );
    for (const { id } of due) await this.runs.say(id, 'wake', { account: null, reason: null }).catch(unlessSaid);
  }

  /** A look at a run that is running. True when nothing of it is to be begun now. */
  async look(run: WatchedRun): Promise<boolean> {
    if (run.wakes_at) return true;
    if (await this.isClosed(run)) return true;
    if (run.state === 'queued') return false;
    if (isMeasured(run)) await this.write(run);
    return this.stops(run);
  }

  /** Something was not as usual: looked at before the next batch is begun. */
  async afterTrouble(id: string): Promise<void> {
    const run = await this.database.one<{ id: string; stop_if: StopIf }>(
      `select id, stop_if from tantamos.run where id = $1 and state = 'running' and stop_if <> '{}'`,
      [id],
    );
    if (run) await this.stops(run);
  }

  private async isClosed({ id, hours, hours_from }: WatchedRun): Promise<boolean> {
    const now = Date.now();
    if (!hours || (hours_from && now < hours_from.getTime()) || isOpen(hours, now)) return false;
    const opens = opensAt(hours, now);
    if (opens === null) return false;
    await this.runs.closeUntil(id, new Date(opens), `It works only from ${hoursWords(hours)}.`);
    return true;
  }

  private async stops({ id, stop_if }: Pick<WatchedRun, 'id' | 'stop_if'>): Promise<boolean> {
    if (Object.values(stop_if).every((allowed) => allowed == null)) return false;
    const exceeded = exceededOf(stop_if, await this.standing(id, stop_if));
    if (!exceeded) return false;
    await this.runs
      .say(id, 'pause', { account: null, reason: `Stopped by its limit: ${exceededWords(exceeded)}`, exceeded })
      .catch(unlessSaid);
    return true;
  }

  private async standing(id: string, stopIf: StopIf): Promise<Standing> {
    const found = (await this.database.one<Omit<Standing, 'lag' | 'waiting'>>(standing, [id, lastWrites, leastUsual]))!;
    const ask = async (wanted: number | null | undefined, text: string, values: unknown[]): Promise<number | null> =>
      wanted == null ? null : ((await this.database.one<{ n: number | null }>(text, values))?.n ?? null);
    return {
      ...found,
      lag: await ask(stopIf.lag, furthestBehind, []),
      waiting: await ask(stopIf.waiting, waitingForUs, [longWait]),
    };
  }

  /** A small write now and then: how long it takes is kept. */
  private async write({ id }: WatchedRun): Promise<void> {
    const before = this.written.get(id);
    if (before && Date.now() - before.at < writeEvery) return;
    if (this.written.size > 100) this.written.clear();
    this.written.set(id, { at: Date.now(), ms: await writeOne(this.database, id, before?.ms ?? null) });
  }
}

/** A person may have said something at the same moment; the state table decides. */
function unlessSaid(error: unknown): void {
  if (!(error instanceof ProblemError)) throw error;
}

/** $1 run, $2 how many of the last writes, $3 what a write before the run is taken to have needed at least, in ms. */
const standing = `
  select coalesce(sum(refused + in_use), 0)::int as failures, coalesce(sum(edited_since), 0)::int as "editedSince",
    (select round((worked_ms + coalesce(extract(epoch from clock_timestamp() - resumed_at) * 1000, 0)) / 60000.0, 2)::float8
     from tantamos.run where id = $1) as minutes,
    (select case when count(*) >= 3 then (percentile_cont(0.5) within group (order by w.ms) / (
         select greatest($3::float8, percentile_cont(0.5) within group (order by b.ms)) from tantamos.canary b
         where b.run = $1 and b.before having count(b.ms) > 0))::float8 end
     from (select ms from tantamos.canary where run = $1 and not before and ms is not null order by at desc limit $2) w) as slowdown
  from tantamos.run_batch where run = $1`;

const furthestBehind = `select extract(epoch from max(replay_lag))::float8 as n from pg_stat_replication`;

const waitingForUs = `
  select count(*)::int as n from pg_stat_activity a
  where a.datname = current_database() and a.wait_event_type = 'Lock' and a.application_name not like 'tantamos%'
    and a.query_start < clock_timestamp() - make_interval(secs => $1)
    and exists (select from pg_stat_activity l where l.application_name like 'tantamos lane%' and l.pid = any(pg_blocking_pids(a.pid)))`;
