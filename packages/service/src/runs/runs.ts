import type { ListReportView } from '@tantamos/contract';
import {
  fail,
  isOver,
  outcomeAfter,
  outcomes,
  ProblemError,
  runVerbs,
  stateWords,
  keyedBy,
  typeNow,
  verdicts,
  type OrderPart,
  type RunState,
  type Job,
  type RunVerb,
  type Totals,
  type WorkOrder,
} from '@tantamos/core';
import { setTimeout as sleep } from 'node:timers/promises';
import type { CatalogStore } from '../catalog/catalog-store';
import type { Connection, Database } from '../database/database';
import type { Events } from '../database/events';
import { isWhole } from '../journal/sortable';
import { mustStart } from '../previews/may-start';
import type { Note } from '../previews/preview-row';
import type { Previews } from '../previews/previews';
import { mustCarryOut } from '../rights/carry-out';
import type { Seen } from '../rights/seen';

export interface RunRow extends Totals {
  readonly id: string;
  readonly preview: string;
  readonly kind: 'edit' | 'undo';
  readonly undo_of: string | null;
  /** Runs that took this one back, newest first. */
  readonly undone_by: readonly { readonly run: string; readonly changed: number; readonly state: RunState }[];
  readonly type: string;
  readonly work_order: WorkOrder;
  readonly job: Job;
  /** Who made its preview. */
  readonly made_by: string;
  readonly along: readonly number[];
  readonly sentence: string;
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
  readonly pace: number;
  readonly batch_size: number;
  readonly ask_after: number | null;
  readonly ask_before: number | null;
  readonly batches: number;
  readonly batches_done: number;
}

export interface StartOptions {
  readonly askAfter: number | null;
  /** How many will change, as the person has read it; wanted above the type's bound. */
  readonly expect: number | null;
  readonly atOnce: number;
  readonly pace: number;
  /** The id it gets, if it is to have a certain one. */
  readonly madeAs?: string;
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
    mustStart(preview, typeNow(seen.catalog, preview.type), seen, options.expect);
    const runId = await this.database.transaction('read committed', async (connection) => {
      // Two starts of one preview take turns here; the second finds the run of the first.
      await connection.query('select from tantamos.preview where id = $1 for update', [previewId]);
      const { rows } = await connection.query<{ id: string }>(
        `insert into tantamos.run (id, preview, started_by, at_once, pace, ask_after, matched, ${verdicts.map(outcomeAfter).join(', ')})
         select coalesce($6, tantamos.new_id()), id, $2, $3, $4, $5, matched, ${verdicts.join(', ')}
         from tantamos.preview where id = $1 and state = 'ready'
         on conflict (preview) do nothing returning id`,
        [previewId, seen.person.id, options.atOnce, options.pace, options.askAfter, options.madeAs ?? null],
      );
      const id =
        rows[0]?.id ?? fail('preview_started', 'This preview has been started already; one preview starts one run.');
      const split =
        options.askAfter === null ? null : await findSplit(connection, previewId, options.askAfter, preview.work_order);
      for (const [i, part] of preview.work_order.parts.entries()) {
        const whole = part.ofRows === true || isWhole(typeNow(catalog, keyedBy(part)));
        await insertBatches(connection, { run: id, preview: previewId, part, index: i, whole }, split);
      }
      if (split) await connection.query('update tantamos.run set ask_before = $2 where id = $1', [id, split.border]);
      return id;
    });
    this.wake();
    return runId;
  }

  async get(id: string): Promise<RunRow> {
    const row = await this.database.one<RunRow>(`${selectRuns(liveTotals)} where run.id = $1`, [id]);
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
    const run = await this.say(id, 'continue', { account, reason: null });
    this.wake();
    return run;
  }

  /** Begins a preview that puts back what a run changed. A run still under way is stopped first, and waited for. */
  async undo(id: string, seen: Seen, why: string | undefined, madeAs?: string): Promise<string> {
    let run = await this.get(id);
    mustCarryOut('undo', run.work_order.parts, seen);
    if (!isOver(run.state)) {
      // Somebody else may say so at the same moment.
      await this.say(id, 'stop', { account: seen.person.id, reason: null }).catch((error: unknown) => {
        if (!(error instanceof ProblemError)) throw error;
      });
      this.wake();
      run = await this.rested(id, waitForStop);
      if (!isOver(run.state))
        fail('wrong_state', 'The run is still ending the batches it has begun; undo it when it has stopped.');
    }
    mustHaveJournal(run);
    if (run.changed === 0) fail('nothing_to_undo', 'This run changed nothing, so there is nothing to put back.');
    const undone = run.undone_by.find((u) => u.changed >= run.changed);
    if (undone) fail('already_undone', 'This run has been undone already: everything it changed was put back.');
    const under = run.undone_by.find((u) => !isOver(u.state));
    if (under) fail('already_undone', 'An undo of this run is under way.');
    return this.previews.beginUndo(id, await this.previews.get(run.preview), {
      account: seen.person.id,
      why,
      madeAs,
    });
  }

  /** Tells every run that is at work to pause. */
  async pauseAll(reason: string): Promise<void> {
    const rows = await this.database.rows<{ id: string }>(
      `select id from tantamos.run where state in ('queued', 'running')`,
    );
    for (const { id } of rows) await this.say(id, 'pause', { account: null, reason });
  }

  /** Says a verb to a run: one step of the state table, or `wrong_state` with the state it is in. */
  async say(id: string, verb: RunVerb, by: { account: string | null; reason: string | null }): Promise<RunRow> {
    const moved = await this.database.one<{ id: string }>(
      `update tantamos.run set state = $2::jsonb ->> state, reason = coalesce($3, case when $6 then reason end),
         state_by = coalesce($4, case when $6 then state_by end), state_at = clock_timestamp(),
         worked_ms = worked_ms + coalesce((extract(epoch from clock_timestamp() - resumed_at) * 1000)::bigint, 0),
         resumed_at = case when $2::jsonb ->> state in ('running', 'pausing', 'stopping') then clock_timestamp() end,
         ask_before = case when $5 then null else ask_before end,
         ended_at = case when $2::jsonb ->> state in ('finished', 'stopped') then clock_timestamp() end
       where id = $1 and $2::jsonb ? state returning id`,
      // What a person has said stays said when the last lane is out.
      [id, JSON.stringify(runVerbs[verb]), by.reason, by.account, verb === 'continue', verb === 'settle'],
    );
    if (!moved) {
      const run = await this.get(id);
      fail('wrong_state', `The run is ${stateWords(run.state).toLowerCase()}, so it cannot be told to ${verb}.`);
    }
    await this.keepTotals(id);
    if (verb === 'finish' || verb === 'stop' || verb === 'settle') await this.forgetPlaces(id);
    this.events.send(`run ${id}`);
    return this.get(id);
  }

  /** Writes the sums of the batches into the run's row, where a constraint says that they add up. */
  async keepTotals(id: string): Promise<void> {
    await this.database.rows(
      `update tantamos.run set ${outcomes.map((o) => `${o} = t.${o}`).join(', ')}
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
    this.wake();
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

interface Split {
  readonly batch: number;
  readonly at: number;
  /** Position of the first stretch after the border. */
  readonly border: number;
}

/** Where the first `count` records that will change end; null when there are no more than that. */
async function findSplit(
  connection: Connection,
  previewId: string,
  count: number,
  { parts }: WorkOrder,
): Promise<Split | null> {
  const { rows } = await connection.query<{ position: number; verdicts: string; before: number }>(
    `select position, verdicts, before from (
       select position, verdicts, will_change, sum(will_change) over (order by position) - will_change as before
       from tantamos.batch where preview = $1) b
     where before < $2 and before + will_change >= $2`,
    [previewId, count],
  );
  const found = rows[0];
  if (!found) return null;
  let at = 0;
  for (let left = count - Number(found.before); left > 0; at++) if (found.verdicts[at] === 'n') left--;
  // What goes round in a circle is not cut.
  const whole = at === found.verdicts.length || parts.some((p) => p.passing?.how === 'around');
  return { batch: found.position, at: whole ? 0 : at, border: found.position + 1 };
}

/** One stretch a batch, in order; the batch with the border in it becomes two. A stretch with nothing to do is done. */
async function insertBatches(
  connection: Connection,
  of: { run: string; preview: string; part: OrderPart; index: number; whole: boolean },
  split: Split | null,
) {
  await connection.query(
    `insert into tantamos.run_batch (run, position, part, in_order, batch, low, high, type, outcomes, made, made_as, state,
       finished_at, key_low, key_high)
     select $1, s.position, $7, $8, s.batch, s.low, s.high, $3, o.outcomes,
       case when $9 then array_fill(null::text, array[s.high - s.low]) end,
       case when $9 then array_fill(null::bigint, array[s.high - s.low]) end,
       case when tantamos.letters(o.outcomes, 'n') = 0 then 'done' else 'ready' end,
       case when tantamos.letters(o.outcomes, 'n') = 0 then clock_timestamp() end, k.low, k.high
     from (
       select position + (cut and position > $5)::int as position, position as batch, 0 as low,
         case when cut and position = $5 then $6 else size end as high, verdicts, keys
       from tantamos.batch cross join (select $6 > 0 as cut) c where preview = $2 and part = $7
       union all
       select position + 1, position, $6, size, verdicts, keys from tantamos.batch
       where preview = $2 and part = $7 and position = $5 and $6 > 0
     ) s
     cross join lateral (select substr(s.verdicts, s.low + 1, s.high - s.low) as outcomes) o
     cross join lateral (
       select case when $4 then tantamos.sortable(min(case when $4 then key::bigint end)::text, true) else min(key collate "C") end as low,
         case when $4 then tantamos.sortable(max(case when $4 then key::bigint end)::text, true) else max(key collate "C") end as high
       from unnest(s.keys[s.low + 1:s.high]) key) k`,
    [
      of.run,
      of.preview,
      keyedBy(of.part),
      of.whole,
      split?.batch ?? -1,
      split?.at ?? 0,
      of.index,
      of.part.inOrder,
      of.part.act === 'create',
    ],
  );
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
  select run.id, run.preview, p.kind, p.undo_of, p.type, p.sentence, p.why, p.list_report,
    run.notes, run.journal_dropped_at, run.started_by, a.name as started_by_name, run.started_at, run.ended_at, run.state, run.reason,
    s.name as state_by_name, run.state_at, run.at_once, run.pace, run.ask_after, run.ask_before, p.batch_size, run.matched,
    t.*, b.*, p.work_order, p.job, p.made_by, (select name from tantamos.account where id = p.made_by) as preview_by_name,
    array(select coalesce((select sum(cardinality(owners)) from tantamos.run_along l where l.run = run.id and l.along = n), 0)
      from generate_series(0, cardinality(p.along) - 1) n order by n)::int[] as along,
    run.worked_ms + coalesce((extract(epoch from clock_timestamp() - run.resumed_at) * 1000)::int8, 0) as worked_ms,
    (select coalesce(jsonb_agg(jsonb_build_object('run', u.id, 'changed', c.changed, 'state', u.state) order by u.started_at desc), '[]')
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
