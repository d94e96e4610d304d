import { setTimeout as sleep } from 'node:timers/promises';
import { ProblemError, type Plan } from '@tantamos/core';
import type { Logger } from 'pino';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Connection, Database } from '../database/database';
import { codeOf, isConflict, isLocked, isRefusal, outage } from '../database/refusal';
import { applyAllOrNothing, applyWithCare, claimBatch, type Patience } from './batch';
import type { Runs } from './runs';

/** How often the engine looks for runs that another process started or left behind, in ms. */
const lookEvery = 1000;
const longestWait = 30_000;
const lockSpace = 741_003;

/**
 * One snapshot a batch. Its commit does not wait for the disk: change, outcome and mark are one commit, so what a crash
 * of the database takes away is ready again as a whole. Every change of a run's state does wait, and with it all that
 * came before: a run that is said to be finished, paused or waiting is on disk. Measured on 250,000 records in batches of
 * 1,000, two lanes, beside a plain update: waiting at each batch 0.99, 1.13, 1.66 and, on a busy disk, 4.2 times its time;
 * without it 0.94, 1.08 and 1.15.
 */
const beginCarefully =
  'begin isolation level repeatable read; set constraints all immediate; set local synchronous_commit = off';
/** A swift batch gives up on a lock after 20 ms: then it is done with care. */
const beginSwiftly = `${beginCarefully}; set local lock_timeout = 20`;

interface ActiveRun {
  readonly id: string;
  readonly preview: string;
  readonly plan: Plan;
  readonly at_once: number;
  readonly pace: number;
}

/** Locked records are tried again after 0.5, 1, 2, 4, 8 and 15 s, about half a minute in all. */
export const usualPatience: Patience = { tries: 7, firstWait: 500 };

/**
 * Carries runs out in lanes. A lane holds an advisory lock of its run and number, so that lanes of any number of
 * processes together are never more than the run's *at once*; PostgreSQL is the only coordinator.
 */
export class Engine {
  private readonly lanes = new Map<string, Promise<void>>();
  /** Why a run makes no headway, as long as it does not. */
  private readonly hindrances = new Map<string, string>();
  private runs!: Runs;
  private stopped = false;
  private poke: () => void = () => {};
  private loop: Promise<void> = Promise.resolve();

  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    private readonly log: Logger,
    private readonly patience: Patience = usualPatience,
  ) {}

  start(runs: Runs): void {
    this.runs = runs;
    this.loop = this.look();
  }

  /** There may be work now. */
  wake(): void {
    this.poke();
  }

  hindrance(runId: string): string | null {
    return this.hindrances.get(runId) ?? null;
  }

  /** Ends after the batches under way; unfinished runs go on at the next start, here or elsewhere. */
  async close(): Promise<void> {
    this.stopped = true;
    this.poke();
    await this.loop;
    await Promise.all(this.lanes.values());
  }

  private async look(): Promise<void> {
    while (!this.stopped) {
      const woken = new Promise<void>((resolve) => (this.poke = resolve));
      try {
        for (const run of await this.activeRuns()) this.open(run);
      } catch (error) {
        if (outage(error) === null) this.log.error({ err: error }, 'engine could not look for runs');
      }
      const timer = new AbortController();
      await Promise.race([woken, sleep(lookEvery, undefined, { signal: timer.signal }).catch(() => {})]);
      timer.abort();
    }
  }

  private activeRuns(): Promise<ActiveRun[]> {
    return this.database.rows<ActiveRun>(
      `select run.id, run.preview, p.plan, run.at_once, run.pace
       from tantamos.run join tantamos.preview p on p.id = run.preview
       where run.state in ('queued', 'running') order by run.started_at`,
    );
  }

  private open(run: ActiveRun): void {
    for (let number = 0; number < run.at_once; number++) {
      const name = `${run.id}/${number}`;
      if (this.lanes.has(name)) continue;
      const lane = this.lane(run, number)
        .catch((error: unknown) => this.trouble(run, error))
        .finally(() => this.lanes.delete(name));
      this.lanes.set(name, lane);
    }
  }

  /** One lane: batch after batch until there is none for now, then the run is settled. */
  private async lane(run: ActiveRun, number: number): Promise<void> {
    const worked = await this.database.with(async (connection) => {
      const lock = [lockSpace, `${run.id}/${number}`];
      const { rows } = await connection.query<{ held: boolean }>(
        'select pg_try_advisory_lock($1, hashtext($2)) as held',
        lock,
      );
      if (!rows[0]!.held) return false;
      try {
        await connection.query(
          `update tantamos.run set state = 'running', resumed_at = clock_timestamp(), state_at = clock_timestamp() where id = $1 and state = 'queued'`,
          [run.id],
        );
        while (!this.stopped && (await this.step(connection, run)));
        return true;
      } finally {
        await connection.query('select pg_advisory_unlock($1, hashtext($2))', lock).catch(() => {});
      }
    });
    if (worked) await this.settle(run.id);
  }

  /** One batch in one transaction, first swiftly, and with care if anything is not as usual. False when none is ready. */
  private async step(connection: Connection, run: ActiveRun, careful = false): Promise<boolean> {
    const begun = performance.now();
    const work = { preview: run.preview, plan: run.plan, catalog: await this.catalogs.get(), patience: this.patience };
    try {
      await connection.query(careful ? beginCarefully : beginSwiftly);
      const claimed = await claimBatch(connection, run.id);
      if (!claimed) {
        await connection.query('rollback');
        return false;
      }
      if (careful) await applyWithCare(connection, work, claimed);
      else if (!(await applyAllOrNothing(connection, work, claimed))) {
        await connection.query('rollback');
        return this.step(connection, run, true);
      }
      await connection.query('commit');
      this.hindrances.delete(run.id);
    } catch (error) {
      await connection.query('rollback').catch(() => {});
      if (!careful && (isRefusal(error) || isLocked(error))) return this.step(connection, run, true);
      if (!isConflict(error)) throw error;
      return true;
    }
    const rest = ((performance.now() - begun) * (100 - run.pace)) / run.pace;
    if (rest >= 1) await sleep(Math.min(rest, longestWait));
    return true;
  }

  /** Where a run has come to when a lane finds nothing to do: finished, at the border where it asks, or waiting for locks. */
  private async settle(runId: string): Promise<void> {
    await this.runs.keepTotals(runId);
    const rest = await this.database.one<{
      state: string;
      before: number;
      after: number;
      changed: number;
      wait: number | null;
    }>(
      `select run.state, count(*) filter (where s.state <> 'done' and s.position < coalesce(run.ask_before, 2147483647))::int as before,
         count(*) filter (where s.state <> 'done')::int as after, coalesce(sum(s.changed), 0)::int as changed,
         (extract(epoch from min(s.not_before) filter (where s.state = 'tail') - clock_timestamp()) * 1000)::int as wait
       from tantamos.run join tantamos.run_batch s on s.run = run.id where run.id = $1 group by run.id`,
      [runId],
    );
    if (!rest || rest.state !== 'running') return;
    if (rest.before > 0) {
      // Another lane is at work, or locked records are not due yet: look again a little later.
      await Promise.race([sleep(Math.max(10, Math.min(rest.wait ?? 100, lookEvery))), this.loop]);
      this.wake();
      return;
    }
    // Another lane may say the same at the same time; the state table lets one of them through.
    if (rest.after === 0) await this.move(runId, 'finish', null);
    else await this.move(runId, 'ask', `You asked to look after the first ${rest.changed.toLocaleString('en-US')}.`);
  }

  private async move(runId: string, verb: 'finish' | 'ask', reason: string | null): Promise<void> {
    await this.runs.say(runId, verb, { account: null, reason }).catch((error: unknown) => {
      if (!(error instanceof ProblemError)) throw error;
    });
  }

  /** A lane failed outside any record: wait for the database to come back, or pause the run and say why. */
  private async trouble(run: ActiveRun, error: unknown): Promise<void> {
    const wait = outage(error);
    if (wait !== null) {
      this.hindrances.set(run.id, wait);
      if (!this.stopped) await sleep(2 * lookEvery);
      return;
    }
    this.log.error({ err: error, run: run.id }, 'lane failed');
    const known = error instanceof ProblemError || codeOf(error) !== '';
    const reason = known
      ? `It cannot go on: ${(error as Error).message}`
      : 'It cannot go on; the log of the service says why.';
    await this.runs.say(run.id, 'pause', { account: null, reason }).catch((err: unknown) => {
      this.log.error({ err, run: run.id }, 'run could not be paused');
    });
  }
}
