import { setTimeout as sleep } from 'node:timers/promises';
import { isOver, ProblemError, type Catalog, type RunState, type WorkOrder } from '@tantamos/core';
import type { Logger } from 'pino';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Database } from '../database/database';
import type { Events } from '../database/events';
import { whyOutdated } from '../database/migrate';
import { isTakenAway, outage } from '../database/refusal';
import { AllAlike, type Patience } from './batch';
import { Lane, type LaneRun, type RightsOfRun } from './lane';
import type { Accounts } from '../accounts/accounts';
import { mustCarryOut } from '../rights/carry-out';
import type { Gate } from '../rights/gate';
import type { Seen } from '../rights/seen';
import type { Runs } from '../runs/runs';
import { Watchman, type WatchedRun } from './watchman';
import { noteStoredOtherwise } from './stored-otherwise';

/** How often the engine looks for runs that another process started or left behind, in ms. */
const lookEvery = 1000;
/** How long a process waits before it takes another lane of the same run, in ms. */
const betweenLanes = 15;
/** How long the rights of a run are taken as good without asking again, in ms. */
const rightsKnownFor = 500;

/** Locked records are tried again after 0.5, 1, 2, 4, 8 and 15 s, about half a minute in all. */
export const usualPatience: Patience = { tries: 7, firstWait: 500 };

/**
 * Carries runs out in lanes. A lane holds advisory locks of its run and number, so that lanes of any number of processes
 * together are never more than the run's *at once*; PostgreSQL is the only coordinator. Whoever finds that no lane is in
 * the run any more says what has become of it.
 */
export class Engine {
  private readonly lanes = new Map<string, { lane: Lane; ended: Promise<void> }>();
  /** Why a run makes no headway, as long as it does not, and how often it was tried since. */
  private readonly hindrances = new Map<string, { why: string; tries: number }>();
  private readonly rights = new Map<string, { at: number; catalog: Catalog; rights: ReturnType<RightsOfRun> }>();
  private runs!: Runs;
  private watchman!: Watchman;
  private stopped = false;
  private poke: () => void = () => {};
  private loop: Promise<void> = Promise.resolve();
  private indexing: Promise<void> | null = null;

  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    private readonly accounts: Accounts,
    private readonly gate: Gate,
    private readonly events: Events,
    private readonly log: Logger,
    private readonly patience: Patience = usualPatience,
  ) {}

  start(runs: Runs): void {
    this.runs = runs;
    this.watchman = new Watchman(this.database, runs);
    // Other processes say when there is work: it is shared from the start.
    this.events.on('work', () => this.rouse());
    this.loop = this.look();
  }

  /** There may be work now, or a person's word to heed. */
  wake(): void {
    this.events.send('work');
    this.rouse();
  }

  private rouse(): void {
    this.poke();
    for (const { lane } of this.lanes.values()) lane.rouse();
  }

  hindrance(runId: string): string | null {
    return this.hindrances.get(runId)?.why ?? null;
  }

  /** How many lanes of a run this process carries. */
  lanesOf(runId: string): number {
    return this.of(runId).length;
  }

  private of(runId: string) {
    return [...this.lanes].flatMap(([name, lane]) => (name.startsWith(runId) ? [lane] : []));
  }

  /** Ends after the batches under way; unfinished runs go on at the next start, here or elsewhere. */
  async close(): Promise<void> {
    this.stopped = true;
    for (const { lane } of this.lanes.values()) lane.leave();
    this.poke();
    await this.loop;
    await this.indexing;
    await Promise.all([...this.lanes.values()].map(({ ended }) => ended));
  }

  private async look(): Promise<void> {
    while (!this.stopped) {
      const woken = new Promise<void>((resolve) => (this.poke = resolve));
      try {
        await this.quietly(() => this.watchman.wakeThoseDue(), undefined);
        this.index();
        const active = await this.activeRuns();
        const outdated = active.length > 0 ? await whyOutdated(this.database) : null;
        for (const run of active) {
          if (outdated !== null) {
            this.holdBack(run, outdated);
            continue;
          }
          for (const { lane } of this.of(run.id)) lane.heed(run);
          const atWork = run.state === 'queued' || run.state === 'running';
          const closed = atWork && (await this.quietly(() => this.watchman.look(run), false, run.id));
          // A run that is queued begins all the same, and rests at once.
          if (atWork && (!closed || run.state === 'queued')) await this.open(run);
          else if (this.lanesOf(run.id) === 0) await this.settle(run.id);
        }
      } catch (error) {
        if (outage(error) === null && !isTakenAway(error))
          this.log.error({ err: error }, 'engine could not look for runs');
      }
      const timer = new AbortController();
      await Promise.race([woken, sleep(lookEvery, undefined, { signal: timer.signal }).catch(() => {})]);
      timer.abort();
    }
  }

  /** Begins nothing more of a run: the schema is another by now. */
  private holdBack(run: LaneRun, why: string): void {
    for (const { lane } of this.of(run.id)) lane.leave();
    this.hindrances.set(run.id, { why, tries: 0 });
    this.events.send(`run ${run.id}`);
  }

  /** What cannot be watched keeps no run from going on: what troubles the database its lanes meet too, and say so. */
  private async quietly<T>(watch: () => Promise<T>, otherwise: T, run?: string): Promise<T> {
    try {
      return await watch();
    } catch (error) {
      if (outage(error) === null && !isTakenAway(error))
        this.log.error({ err: error, run }, 'run could not be watched');
      return otherwise;
    }
  }

  /** Runs that have ended are made quick to search, one after another, beside all else. */
  private index(): void {
    this.indexing ??= this.quietly(() => this.runs.indexNext(), undefined).finally(() => (this.indexing = null));
  }

  private activeRuns(): Promise<WatchedRun[]> {
    return this.database.rows(
      `select run.id, run.preview, run.state, p.work_order as order, run.at_once, run.pace, run.per_second,
         run.hours, run.hours_from, run.stop_if, run.wakes_at, p.batch_size, p.batches, p.kind, p.made_by, run.started_by
       from tantamos.run join tantamos.preview p on p.id = run.preview
       where run.state in ('queued', 'running', 'pausing', 'stopping') order by run.started_at`,
    );
  }

  /** One lane at once, a further one a little later: where several processes live, each gets some. */
  private async open(run: LaneRun): Promise<void> {
    const mine = (number: number): boolean => this.lanes.has(`${run.id}/${number}`);
    const free = Array.from({ length: run.at_once }, (_, n) => n).filter((n) => !mine(n));
    const first = free.length === run.at_once ? Math.floor(Math.random() * free.length) : 0;
    for (const [i, number] of [...free.slice(first), ...free.slice(0, first)].entries()) {
      const name = `${run.id}/${number}`;
      if (i > 0) await sleep(betweenLanes);
      // Lanes have so many connections; what there is none for now has its turn when one is free.
      if (this.lanes.has(name) || this.stopped || this.lanes.size >= this.database.mostLanes) continue;
      const lane = new Lane(
        this.database,
        this.catalogs,
        (of) => this.rightsOf(of),
        this.patience,
        run,
        number,
        () => this.headway(run.id),
        () => this.watchman.afterTrouble(run.id),
      );
      const ended = lane
        .work()
        .then((worked) => (worked ? this.settle(run.id) : undefined))
        .catch((error: unknown) => this.trouble(run, error))
        // What cannot even be said is tried again at the next look.
        .catch((err: unknown) => this.log.error({ err, run: run.id }, 'run could not be settled'))
        .finally(() => this.lanes.delete(name));
      this.lanes.set(name, { lane, ended });
    }
  }

  /** A right that has been taken away, or an account that may no longer act, is missing from the next batch on: the run pauses and says so. */
  private async rightsOf(run: LaneRun): ReturnType<RightsOfRun> {
    const known = this.rights.get(run.id);
    const catalog = await this.catalogs.get();
    if (known?.catalog === catalog && Date.now() - known.at < rightsKnownFor) return known.rights;
    const of = async (id: string): Promise<Seen> => this.gate.of(await this.accounts.acting(id));
    const read = async (): ReturnType<RightsOfRun> => {
      const writer = await of(run.started_by);
      mustCarryOut(run.kind, run.order.parts, writer);
      return { reader: run.made_by === run.started_by ? writer : await of(run.made_by), writer };
    };
    const rights = read();
    rights.catch(() => this.rights.delete(run.id));
    this.rights.set(run.id, { at: Date.now(), catalog, rights });
    return rights;
  }

  private headway(runId: string): void {
    this.hindrances.delete(runId);
    this.events.send(`run ${runId}`);
  }

  /**
   * What a run has come to when a lane finds nothing more to do, or leaves because it was told to: said by the last one out,
   * who alone can hold all of the run.
   */
  private async settle(runId: string): Promise<void> {
    const wait = await this.database.with(async (connection) => {
      const { rows } = await connection.query<{ held: boolean }>(
        'select pg_try_advisory_lock(hashtextextended($1, 1)) as held',
        [runId],
      );
      if (!rows[0]!.held) return lookEvery / 10;
      try {
        return await this.settleAlone(runId);
      } finally {
        await connection.query('select pg_advisory_unlock(hashtextextended($1, 1))', [runId]).catch(() => {});
      }
    });
    if (wait === null || this.stopped) return;
    // Another lane is at work, or locked records are not due yet: look again a little later.
    await Promise.race([sleep(Math.max(10, Math.min(wait, lookEvery))), this.loop]);
    this.poke();
  }

  /** Ms after which to look again; null when there is nothing more to be done for now. */
  private async settleAlone(runId: string): Promise<number | null> {
    this.rights.delete(runId);
    await this.runs.keepTotals(runId);
    const rest = await this.database.one<{
      state: RunState;
      before: number;
      after: number;
      changed: number;
      wait: number | null;
      preview: string;
      order: WorkOrder;
      border: 'first' | 'go';
      go_every: number | null;
      wakes_at: Date | null;
      reason: string | null;
    }>(
      `select run.state, count(*) filter (where s.state <> 'done' and s.position < coalesce(run.ask_before, 2147483647))::int as before,
         count(*) filter (where s.state <> 'done')::int as after, coalesce(sum(s.changed), 0)::int as changed,
         (extract(epoch from min(s.not_before) filter (where s.state = 'tail') - clock_timestamp()) * 1000)::int as wait,
         run.preview, p.work_order as order, run.border, run.go_every, run.wakes_at, run.reason
       from tantamos.run join tantamos.preview p on p.id = run.preview join tantamos.run_batch s on s.run = run.id
       where run.id = $1 group by run.id, p.id`,
      [runId],
    );
    if (!rest || isOver(rest.state)) return null;
    if (rest.after === 0) {
      await noteStoredOtherwise(this.database, await this.catalogs.get(), runId, rest.order);
      await this.say(runId, 'finish', null);
    } else if (rest.state === 'pausing' || rest.state === 'stopping') await this.say(runId, 'settle', null);
    else if (rest.state !== 'running') return null;
    else if (rest.wakes_at) await this.say(runId, 'rest', rest.reason, rest.wakes_at);
    else if (rest.before > 0) return rest.wait ?? 0;
    else await this.atBorder(runId, rest);
    return null;
  }

  /** What was to be done before going on is done. */
  private async atBorder(
    runId: string,
    { border, go_every, changed }: { border: 'first' | 'go'; go_every: number | null; changed: number },
  ): Promise<void> {
    const number = changed.toLocaleString('en-US');
    if (border === 'first') await this.say(runId, 'ask', `You asked to look after the first ${number}.`);
    else if (go_every === null)
      await this.say(runId, 'ask', `This go is done, ${number} changed in all. The next begins when you say so.`);
    else {
      const minutes = go_every === 1 ? 'a minute' : `${go_every} minutes`;
      const until = new Date(Date.now() + go_every * 60_000);
      await this.say(
        runId,
        'rest',
        `This go is done, ${number} changed in all. The next begins after ${minutes}.`,
        until,
      );
    }
  }

  private async say(
    runId: string,
    verb: 'finish' | 'ask' | 'rest' | 'settle',
    reason: string | null,
    until?: Date,
  ): Promise<void> {
    // A person may have said something at the same moment; the state table decides.
    await this.runs.say(runId, verb, { account: null, reason, until }).catch((error: unknown) => {
      if (!(error instanceof ProblemError)) throw error;
    });
  }

  /** A lane failed outside any record: wait for the database to come back, or pause the run and say why. */
  private async trouble(run: LaneRun, error: unknown): Promise<void> {
    const wait = outage(error);
    if (wait !== null) {
      const tries = (this.hindrances.get(run.id)?.tries ?? 0) + 1;
      this.hindrances.set(run.id, { why: wait, tries });
      this.events.send(`run ${run.id}`);
      // A single connection that was cut is no reason to wait long.
      if (!this.stopped) await Promise.race([sleep(Math.min(2 * lookEvery, 50 * 2 ** tries)), this.loop]);
      this.rouse();
      return;
    }
    const known = error instanceof ProblemError || error instanceof AllAlike;
    if (!known) this.log.error({ err: error, run: run.id }, 'lane failed');
    const reason =
      known || 'severity' in (error as object)
        ? `It cannot go on: ${(error as Error).message}`
        : 'It cannot go on; the log of the service says why.';
    await this.runs.say(run.id, 'pause', { account: null, reason }).catch((err: unknown) => {
      if (!(err instanceof ProblemError)) this.log.error({ err, run: run.id }, 'run could not be paused');
    });
    await this.settle(run.id);
  }
}
