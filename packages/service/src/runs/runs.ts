import type { ListReportView } from '@tantamos/contract';
import {
  fail,
  isMoving,
  isOpen,
  isOver,
  opensAt,
  outcomeAfter,
  outcomes,
  ProblemError,
  runVerbs,
  stateWords,
  typeNow,
  verdicts,
  type Exceeded,
  type Hours,
  type RunState,
  type Safety,
  type StopIf,
  type Job,
  type Sentence,
  type RunVerb,
  type Totals,
  type WorkOrder,
} from '@tantamos/core';
import { setTimeout as sleep } from 'node:timers/promises';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Database } from '../database/database';
import type { Events } from '../database/events';
import { isMeasured, writeBefore } from '../engine/canary';
import { mustBeAlone } from './alone';
import { layOut, type First } from './stretches';
import { mustStart } from '../previews/may-start';
import type { Note, UndoWhich } from '../previews/preview-row';
import type { Previews } from '../previews/previews';
import { mustCarryOut } from '../rights/carry-out';
import type { Seen } from '../rights/seen';

export interface RunRow extends Totals {
  readonly id: string;
  readonly preview: string;
  readonly kind: 'edit' | 'undo';
  readonly undo_of: string | null;
  /** Runs that took this one back, newest first. */
  readonly undone_by: readonly {
    readonly run: string;
    readonly changed: number;
    readonly state: RunState;
    readonly whole: boolean;
  }[];
  readonly type: string;
  readonly work_order: WorkOrder;
  readonly job: Job;
  readonly undo_which: UndoWhich | null;
  /** Who made its preview. */
  readonly made_by: string;
  /** Where there are several parts. */
  readonly part_totals: readonly ({ readonly part: number } & Totals)[] | null;
  readonly along: readonly number[];
  readonly sentence: string;
  readonly named: Sentence | null;
  readonly row_limits: Readonly<Record<string, string>> | null;
  readonly why: string | null;
  readonly list_report: ListReportView | null;
  readonly notes: readonly Note[];
  readonly started_by: string;
  readonly started_by_name: string;
  readonly preview_by_name: string;
  readonly started_at: Date;
  readonly ended_at: Date | null;
  /** When its journal was dropped: journals are kept for so many months. */
  readonly journal_dropped_at: Date | null;
  readonly worked_ms: number;
  readonly state: RunState;
  readonly reason: string | null;
  readonly state_by_name: string | null;
  readonly state_at: Date;
  readonly at_once: number;
  readonly pace: number | null;
  readonly gives_way: boolean;
  readonly batch_size: number;
  readonly ask_after: number | null;
  readonly ask_before: number | null;
  readonly per_second: number | null;
  readonly per_go: number | null;
  readonly go_every: number | null;
  readonly hours: Hours | null;
  readonly stop_if: StopIf;
  readonly exceeded: Exceeded | null;
  readonly wakes_at: Date | null;
  readonly batches: number;
  readonly batches_done: number;
}

export interface StartOptions {
  /** Which are done first, and asked after. */
  readonly first: First | null;
  /** How many will change, as the person has read it; wanted above the type's bound. */
  readonly expect: number | null;
  readonly safety: Safety;
  /** The id it gets, if it is to have a certain one. */
  readonly madeAs?: string;
}

/** Any number will do as long as every Tantamos uses the same one. */
const startLock = 741_000_009;

/** Who says something to a run, and why. */
interface Said {
  readonly account: string | null;
  readonly reason: string | null;
  /** With `rest`: until when; null: until somebody says so. */
  readonly until?: Date | null;
  /** With `pause`: the limit that was exceeded. */
  readonly exceeded?: Exceeded;
  /** From when its hours are heeded again. */
  readonly hoursFrom?: Date;
}

/** How a run goes on; what is left out stays. */
export interface Pacing {
  readonly atOnce?: number;
  readonly pace?: number | null;
  readonly perSecond?: number | null;
}

/** How long a person's word is waited for: a pause or stop within its request, a stop before an undo; in ms. */
const waitForRest = 2000;
const waitForStop = 30_000;

/** Starts runs and moves them from state to state. What the lanes do meanwhile is the engine's. */
export class Runs {
  constructor(
    private readonly database: Database,
    private readonly catalogs: CatalogStore,
    private readonly previews: Previews,
    private readonly events: Events,
    /** Called when there may be work for lanes. */
    private readonly wake: () => void,
  ) {}

  /** Starts the one run of a preview; throws with the reason when it may not be started. Returns the run's id. */
  async start(previewId: string, seen: Seen, options: StartOptions): Promise<string> {
    const preview = await this.previews.get(previewId);
    const catalog = await this.catalogs.get();
    const { first, safety } = options;
    mustStart(preview, typeNow(seen.catalog, preview.type), seen, options.expect);
    const runId = await this.database.transaction('read committed', async (connection) => {
      // Two starts of one preview take turns here; the second finds the run of the first.
      await connection.query('select from tantamos.preview where id = $1 for update', [previewId]);
      // Who must be alone sees every run that was started before.
      await connection.query(`select pg_advisory_xact_lock${safety.alone ? '' : '_shared'}($1)`, [startLock]);
      const { rows } = await connection.query<{ id: string }>(
        `insert into tantamos.run (id, preview, started_by, at_once, pace, ask_after, per_second, per_go, go_every, hours, stop_if,
           matched, ${verdicts.map(outcomeAfter).join(', ')})
         select coalesce($6, tantamos.new_id()), id, $2, $3, $4, $5, $7, $8, $9, $10, $11, matched, ${verdicts.join(', ')}
         from tantamos.preview where id = $1 and state = 'ready'
         on conflict (preview) do nothing returning id`,
        [
          previewId,
          seen.person.id,
          safety.atOnce,
          safety.pace,
          first && ('count' in first ? first.count : first.keys.length),
          options.madeAs ?? null,
          safety.perSecond,
          safety.perGo,
          safety.goEvery,
          safety.hours && JSON.stringify(safety.hours),
          JSON.stringify(safety.stopIf),
        ],
      );
      const id =
        rows[0]?.id ?? fail('preview_started', 'This preview has been started already; one preview starts one run.');
      if (safety.alone) await mustBeAlone(connection, id, previewId);
      const of = { run: id, preview: previewId, order: preview.work_order, catalog };
      const border = await layOut(connection, of, first);
      await connection.query(
        `update tantamos.run set border = case when $2::int is null then 'go' else 'first' end,
           keys = tantamos.order_of_keys(id),
           ask_before = coalesce($2, case when per_go is not null then tantamos.next_border(id, per_go) end)
         where id = $1`,
        [id, border],
      );
      await connection.query(addEvent, [id, seen.person.id, 'start', null]);
      return id;
    });
    if (isMeasured({ batches: preview.batches, stop_if: safety.stopIf }))
      // It has been started: what is measured beside it is not worth failing for.
      await writeBefore(this.database, runId).catch(() => {});
    this.wake();
    return runId;
  }

  async get(id: string): Promise<RunRow> {
    const text = `${selectRuns(liveTotals)} where run.id = $1`;
    const row = await this.database.oneAgain<RunRow>('run', text, [id]);
    return row ?? fail('not_found', 'There is no such run.');
  }

  /** Those that are known, newest first; `before` is the start of the last one of the page before. */
  async list(limit: number, before: string | null, isKnown: (r: RunRow) => boolean): Promise<RunRow[]> {
    const known: RunRow[] = [];
    for (let from: string | Date | null = before; known.length < limit;) {
      const rows: RunRow[] = await this.database.rows<RunRow>(
        `${selectRuns(liveTotals)} where $2::timestamptz is null or run.started_at < $2 order by run.started_at desc limit $1`,
        [limit, from],
      );
      known.push(...rows.filter(isKnown));
      if (rows.length < limit) break;
      from = rows.at(-1)!.started_at;
    }
    return known.slice(0, limit);
  }

  /** Told to pause, and waited for a moment until no batch is under way any more. */
  pause(id: string, account: string): Promise<RunRow> {
    return this.sayAndRest(id, 'pause', account);
  }

  /** The same for good. */
  stop(id: string, account: string): Promise<RunRow> {
    return this.sayAndRest(id, 'stop', account);
  }

  async continue(id: string, account: string): Promise<RunRow> {
    const { hours, state } = await this.get(id);
    // Who lets it go on outside its hours means it until they come again.
    const opens = hours && state === 'waiting_until' && !isOpen(hours, Date.now()) ? opensAt(hours, Date.now()) : null;
    const hoursFrom = opens === null ? undefined : new Date(opens);
    const run = await this.say(id, 'continue', { account, reason: null, hoursFrom });
    this.wake();
    return run;
  }

  /** Changes how a run goes on. */
  async change(id: string, to: Pacing, account: string): Promise<RunRow> {
    const moved = await this.database.one<{ id: string }>(
      `update tantamos.run set at_once = coalesce($2, at_once), pace = case when $6 then $3 else pace end,
         per_second = case when $5 then $4 else per_second end
       where id = $1 and ended_at is null returning id`,
      [id, to.atOnce ?? null, to.pace ?? null, to.perSecond ?? null, to.perSecond !== undefined, to.pace !== undefined],
    );
    if (!moved) fail('wrong_state', 'The run is over, so its pace is of no use any more.');
    await this.database.rows(addEvent, [id, account, 'change', paceWords(to)]);
    this.events.send(`run ${id}`);
    this.wake();
    return this.get(id);
  }

  /** Nothing more is begun before `until`; the last lane out says that it rests. */
  async closeUntil(id: string, until: Date, reason: string): Promise<void> {
    await this.database.rows(
      `update tantamos.run set wakes_at = $2, reason = $3 where id = $1 and state in ('queued', 'running') and wakes_at is null`,
      [id, until, reason],
    );
    this.events.send(`run ${id}`);
  }

  /** Begins a preview that puts back what a run changed. A run still under way is stopped first, and waited for. */
  async undo(
    id: string,
    seen: Seen,
    { why, which, madeAs }: { why?: string; which: UndoWhich | null; madeAs?: string },
  ): Promise<string> {
    let run = await this.get(id);
    mustCarryOut('undo', run.work_order.parts, seen);
    // A part is taken back without ending the rest, so nothing may be under way.
    if (which !== null && isMoving(run.state))
      fail('wrong_state', 'The run is at work: pause it first, then take a part of it back.');
    if (which === null && !isOver(run.state)) {
      // Somebody else may say so at the same moment.
      await this.say(id, 'stop', { account: seen.person.id, reason: null }).catch((error: unknown) => {
        if (!(error instanceof ProblemError)) throw error;
      });
      run = await this.rested(id, waitForStop);
      if (!isOver(run.state))
        fail('wrong_state', 'The run is still ending the batches it has begun; undo it when it has stopped.');
    }
    mustHaveJournal(run);
    if (run.changed === 0) fail('nothing_to_undo', 'This run changed nothing, so there is nothing to put back.');
    const undone = run.undone_by.find((u) => u.whole && u.changed >= run.changed);
    if (undone) fail('already_undone', 'This run has been undone already: everything it changed was put back.');
    const under = run.undone_by.find((u) => !isOver(u.state));
    if (under) fail('already_undone', 'An undo of this run is under way.');
    return this.previews.beginUndo(id, await this.previews.get(run.preview), {
      seen,
      why,
      madeAs,
      which,
    });
  }

  /** Tells every run that is at work to pause. */
  async pauseAll(reason: string): Promise<void> {
    const rows = await this.database.rows<{ id: string }>(
      `select id from tantamos.run where state in ('queued', 'running', 'waiting_until')`,
    );
    for (const { id } of rows) await this.say(id, 'pause', { account: null, reason });
  }

  /** Says a verb to a run: one step of the state table, or `wrong_state` with the state it is in. */
  async say(id: string, verb: RunVerb, by: Said): Promise<RunRow> {
    const moved = await this.database.one<{ id: string }>(
      `update tantamos.run set state = $2::jsonb ->> state, reason = coalesce($3, case when $6 then reason end),
         state_by = coalesce($4, case when $6 then state_by end), state_at = clock_timestamp(),
         worked_ms = worked_ms + coalesce((extract(epoch from clock_timestamp() - resumed_at) * 1000)::bigint, 0),
         resumed_at = case when $2::jsonb ->> state in ('running', 'pausing', 'stopping') then clock_timestamp() end,
         ask_before = case when $5 and come.to_it then case when per_go is not null then tantamos.next_border(id, per_go) end else ask_before end,
         border = case when $5 and come.to_it then 'go' else border end,
         wakes_at = case when $7 then $8::timestamptz when $2::jsonb ->> state in ('running', 'paused', 'stopped') then null else wakes_at end,
         stop_if = case when $5 and exceeded is not null then stop_if - (exceeded ->> 'limit') else stop_if end,
         exceeded = case when $9::jsonb is not null then $9 when $6 then exceeded end,
         hours_from = coalesce($10::timestamptz, hours_from),
         ended_at = case when $2::jsonb ->> state in ('finished', 'stopped') then clock_timestamp() end
       from (select not exists (select from tantamos.run_batch b where b.run = r.id and b.state <> 'done' and b.position < r.ask_before) as to_it
         from tantamos.run r where r.id = $1) come
       where id = $1 and $2::jsonb ? state returning id`,
      // What a person has said stays said when the last lane is out.
      [
        id,
        JSON.stringify(runVerbs[verb]),
        by.reason,
        by.account,
        verb === 'continue' || verb === 'wake',
        verb === 'settle',
        verb === 'rest',
        by.until ?? null,
        by.exceeded ? JSON.stringify(by.exceeded) : null,
        by.hoursFrom ?? null,
      ],
    );
    if (!moved) {
      const run = await this.get(id);
      fail('wrong_state', `The run is ${stateWords(run.state).toLowerCase()}, so it cannot be told to ${verb}.`);
    }
    await this.database.rows(addEvent, [id, by.account, verb, by.reason]);
    await this.keepTotals(id);
    if (verb === 'finish' || verb === 'stop' || verb === 'settle') await this.forgetPlaces(id);
    this.events.sendNow(`run ${id}`);
    // Lanes that rest are to hear of it.
    if (verb === 'pause' || verb === 'stop') this.wake();
    return this.get(id);
  }

  /** Keeps what was done about runs by no person. */
  async note(ids: readonly string[], words: string): Promise<void> {
    for (const id of ids) {
      await this.database.rows(addEvent, [id, null, 'took_over', words]);
      this.events.send(`run ${id}`);
    }
    this.wake();
  }

  /** Makes those that have ended quick to search by record, as long as there are such. */
  async indexNext(): Promise<void> {
    for (;;) {
      const next = await this.database.one<{ id: string }>(
        `select id from tantamos.run where keys = 'mixed' and ended_at is not null order by ended_at limit 1`,
      );
      if (!next) return;
      await this.database.rows('select tantamos.index_run($1)', [next.id]);
    }
  }

  /** Writes the sums of the batches into the run's row, where a constraint says that they add up. */
  async keepTotals(id: string): Promise<void> {
    await this.database.rows(
      `update tantamos.run set ${outcomes.map((o) => `${o} = t.${o}`).join(', ')}, part_totals = tantamos.part_totals($1)
       from (${sumBatches} where run = $1) t where id = $1`,
      [id],
    );
  }

  /** Where records were found is of no use once the run is over. */
  private async forgetPlaces(id: string): Promise<void> {
    await this.database.rows(
      `delete from tantamos.batch_place using tantamos.run
       where run.id = $1 and run.preview = batch_place.preview and run.state in ('finished', 'stopped')`,
      [id],
    );
  }

  private async sayAndRest(id: string, verb: 'pause' | 'stop', account: string): Promise<RunRow> {
    await this.say(id, verb, { account, reason: null });
    return this.rested(id, waitForRest);
  }

  /** The run when it is no longer pausing or stopping, or after `ms`. */
  private async rested(id: string, ms: number): Promise<RunRow> {
    for (const end = Date.now() + ms; ; await sleep(25)) {
      const row = await this.database.one<{ state: RunState }>('select state from tantamos.run where id = $1', [id]);
      if ((row?.state !== 'pausing' && row?.state !== 'stopping') || Date.now() > end) return this.get(id);
    }
  }
}

/** Which records a run changed, and what they were, is not known for good where journals are kept for some months. */
export function mustHaveJournal(run: Pick<RunRow, 'journal_dropped_at'>): void {
  if (run.journal_dropped_at !== null) fail('journal_dropped', droppedWords(run.journal_dropped_at));
}

export function droppedWords(at: Date): string {
  return `The journal of this run was dropped on ${at.toISOString().slice(0, 10)}, as journals are kept no longer here: how many records it changed is known, which ones is not.`;
}

const sumBatches = `
  select ${outcomes.map((o) => `coalesce(sum(${o}), 0)::int8 as ${o}`).join(', ')}
  from tantamos.run_batch`;

/** Counted anew while it moves; once it is over as it was kept, since its journal may have been dropped. */
const liveTotals = `
  select * from (${sumBatches} where run_batch.run = run.id) live where run.ended_at is null
  union all select ${outcomes.map((o) => `run.${o}`).join(', ')}
  where run.ended_at is not null`;

const selectRuns = (totals: string): string => `
  select run.id, run.preview, p.kind, p.undo_of, p.type, p.sentence, p.named, p.row_limits, p.why, p.list_report,
    run.notes, run.journal_dropped_at, run.started_by, a.name as started_by_name, run.started_at, run.ended_at, run.state, run.reason,
    s.name as state_by_name, run.state_at, run.at_once, run.pace, run.gives_way, run.ask_after, run.ask_before, run.per_second, run.per_go, run.go_every,
    run.hours, run.stop_if, run.exceeded, run.wakes_at, p.batch_size, run.matched,
    case when jsonb_array_length(p.work_order -> 'parts') < 2 then null
      when run.ended_at is null then tantamos.part_totals(run.id) else run.part_totals end as part_totals,
    t.*, b.*, p.work_order, p.job, p.undo_which, p.made_by, (select name from tantamos.account where id = p.made_by) as preview_by_name,
    array(select coalesce((select sum(cardinality(owners)) from tantamos.run_along l where l.run = run.id and l.along = n), 0)
      from generate_series(0, cardinality(p.along) - 1) n order by n)::int[] as along,
    run.worked_ms + coalesce((extract(epoch from clock_timestamp() - run.resumed_at) * 1000)::int8, 0) as worked_ms,
    (select coalesce(jsonb_agg(jsonb_build_object('run', u.id, 'changed', c.changed, 'state', u.state, 'whole', up.undo_which is null) order by u.started_at desc), '[]')
     from tantamos.run u join tantamos.preview up on up.id = u.preview
     cross join lateral (select case when u.ended_at is not null then u.changed
       else (select coalesce(sum(changed), 0) from tantamos.run_batch where run = u.id) end as changed) c
     where up.undo_of = run.id
       and not exists (select from tantamos.preview again join tantamos.run ar on ar.preview = again.id and ar.changed > 0
         where again.undo_of = u.id)) as undone_by
  from tantamos.run
  join tantamos.preview p on p.id = run.preview
  join tantamos.account a on a.id = run.started_by
  left join tantamos.account s on s.id = run.state_by
  cross join lateral (${totals}) t
  cross join lateral (select count(*)::int as batches, count(*) filter (where state = 'done')::int as batches_done
    from tantamos.run_batch where run_batch.run = run.id) b`;

/** $1 run, $2 who, $3 what, $4 in which words. */
const addEvent = 'insert into tantamos.run_event (run, by, what, words) values ($1, $2, $3, $4)';

function paceWords({ atOnce, pace, perSecond }: Pacing): string {
  return [
    ...(atOnce === undefined ? [] : [`${atOnce} at once`]),
    ...(pace === undefined ? [] : [pace === null ? 'less while others write' : `${pace} % of the time`]),
    ...(perSecond === undefined
      ? []
      : [
          perSecond === null
            ? 'as many a second as there is time for'
            : `${perSecond.toLocaleString('en-US')} a second at most`,
        ]),
  ].join(', ');
}
