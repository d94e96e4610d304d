import type { runRoutes, RunBatchView } from '@tantamos/contract';
import {
  fail,
  isOver,
  leftOfJob,
  outcomes,
  retried,
  safetyOf,
  shortId,
  troubles,
  type FirstWay,
  type Outcome,
} from '@tantamos/core';
import { sent, type Call, type Handlers } from '../http/handler';
import { sendEvents } from '../http/sse';
import { sendBefore } from '../journal/file';
import { wordsAsSeen } from '../journal/gate';
import { isKnown, mustKnow } from '../journal/known';
import { readJournal } from '../journal/journal';
import { sendJournal, settledView, stillThere } from '../previews/http';
import { runCauses } from './causes';
import { runCourse, runLog } from './course';
import { recheck } from '../rechecks/rechecks';
import { mustHaveJournal, type RunRow } from './runs';
import type { First } from './stretches';
import { undoWhich } from './undo';
import { runView } from './view';

/** More records than this are not tried again by key; the job itself is to be previewed anew. */
const mostRetried = 50_000;
/** Of each different from → to one, so many at most where nobody says how many. */
const usualSpread = 20;

export const runHandlers: Handlers<typeof runRoutes> = {
  async runs({ services, seen, query }) {
    const before = query.before ?? null;
    const rows = await services.runs.list(query.limit ?? 50, before, (r) => isKnown(r, seen));
    return Promise.all(rows.map((r) => runView(services, r, seen)));
  },

  async startRun({ services, seen, body, madeAs }) {
    const preview = await services.previews.get(body.preview);
    mustKnow(preview, seen, 'preview');
    seen.mustSteer(preview.made_by, 'preview');
    const types = preview.work_order.parts.map((part) => seen.catalog.type(part.type));
    const said = safetyOf(preview.job.safety ?? {}, types);
    // An undo is not asked about half way, has no goes and waits for no hours: who takes back means it now.
    const safety =
      preview.kind === 'undo'
        ? { ...said, askAfter: null, first: 'in_order' as const, perGo: null, hours: null }
        : said;
    const count = body.askAfter !== undefined ? body.askAfter : safety.askAfter;
    const way = body.first ?? safety.first;
    const first = body.firstKeys ? { keys: body.firstKeys } : firstOf(count, way);
    const id = await services.runs.start(preview.id, seen, { first, expect: body.expect ?? null, safety, madeAs });
    return runView(services, await services.runs.get(id), seen);
  },

  async run(call) {
    return runView(call.services, await knownRun(call), call.seen);
  },

  async runEvents(call) {
    const { services, params, req, res } = call;
    await sendEvents(req, res, {
      events: services.events,
      topic: `run ${params.id!}`,
      look: async () => {
        const now = await stillThere(call);
        return runView(services, await knownRun(now), now.seen);
      },
      isLast: (r) => isOver(r.state),
    });
    return sent;
  },

  async runRecords(call) {
    const r = await knownRun(call);
    const { outcome } = call.query;
    if (outcome !== undefined && !(outcomes as readonly string[]).includes(outcome))
      fail('bad_request', 'In a run, what will change is called not_yet.', { where: 'outcome' });
    const fileName = `run-${shortId(r.id)}`;
    if (call.query.image === 'before') {
      mustHaveJournal(r);
      const type = call.seen.catalog.type(r.type);
      // Some of its records may be withheld from the person: those are told by name alone, not loaded.
      if (type.limits?.source)
        fail('not_permitted', 'You see only some of these records, so this file is not for you.');
      if (call.query.format !== 'csv')
        fail('bad_request', 'What records were before is had as CSV.', { where: 'format' });
      await sendBefore(call.services.database, call.res, {
        run: r.id,
        order: r.work_order,
        type,
        fileName,
      });
      return sent;
    }
    return sendJournal(call, await call.services.previews.get(r.preview), { run: r.id }, fileName);
  },

  async runBatches(call) {
    const r = await knownRun(call);
    const rows = await call.services.database.rows<
      Omit<RunBatchView, 'finishedAt'> & { finished_at: Date | null } & Record<string, unknown>
    >(batchesOf, [r.id]);
    return rows.map(({ finished_at, ...b }) => ({ ...b, finishedAt: finished_at?.toISOString() ?? null }));
  },

  async runLog(call) {
    const r = await knownRun(call);
    const type = call.seen.catalog.find(r.type);
    const log = await runLog(call.services.database, r.id);
    return log.map((e) => ({ ...e, words: wordsAsSeen(e.words, type)! }));
  },

  async runCourse(call) {
    const r = await knownRun(call);
    return runCourse(call.services.database, r.id);
  },

  async runCauses(call) {
    const r = await knownRun(call);
    return r.journal_dropped_at === null ? runCauses(call.services.database, r, call.seen) : [];
  },

  async recheckRun(call) {
    return recheck(call.services, await knownRun(call), call.seen, call.body.on ?? null);
  },

  async changeRun(call) {
    const { services, seen, body } = call;
    const r = await knownRun(call);
    seen.mustSteer(r.started_by, 'run');
    // What a type allows at most holds here too.
    safetyOf(
      body,
      r.work_order.parts.map((part) => seen.catalog.type(part.type)),
    );
    return runView(services, await services.runs.change(r.id, body, seen.person.id), seen);
  },

  pauseRun: (call) => steer(call, 'pause'),
  continueRun: (call) => steer(call, 'continue'),
  stopRun: (call) => steer(call, 'stop'),

  async undoRun(call) {
    const { services, seen, body, madeAs } = call;
    const r = await knownRun(call);
    if (!isOver(r.state)) seen.mustSteer(r.started_by, 'run');
    const which = await undoWhich(services.compiler, r, seen, body);
    return settledView(call, await services.runs.undo(r.id, seen, { why: body.why, which, madeAs }));
  },

  async retryRun(call) {
    const { services, seen, body, madeAs } = call;
    const r = await knownRun(call);
    if (!isOver(r.state)) fail('wrong_state', 'The run is not over yet; what it leaves can be tried again then.');
    mustHaveJournal(r);
    const p = await services.previews.get(r.preview);
    const types = p.work_order.parts.map((part) => seen.catalog.type(part.type));
    const mustOverwrite = (): void => types.forEach((type) => seen.must('overwrite', type));
    if (body.outcomes?.includes('edited_since')) mustOverwrite();
    const mayOverwrite = types.every((type) => seen.rights.may('overwrite', type.id));
    const wanted: readonly Outcome[] = body.outcomes ?? retried.filter((o) => o !== 'edited_since' || mayOverwrite);
    const left = types.map((): string[] => []);
    let count = 0;
    for (const outcome of wanted)
      for await (const row of readJournal(services.database, { run: r.id }, p.work_order, { outcome, after: null })) {
        left[row.part]!.push(row.key);
        if (++count > mostRetried)
          fail('over_limit', `More than ${mostRetried} records were left; preview the job itself again.`);
      }
    if (count === 0 && !mayOverwrite && r.edited_since > 0) mustOverwrite();
    if (count === 0) fail('nothing_to_do', 'The run left no such records, so there is nothing to try again.');
    if (p.kind === 'undo')
      return settledView(
        call,
        await services.runs.undo(r.undo_of!, seen, { why: p.why ?? undefined, which: p.undo_which, madeAs }),
      );
    const job = { ...leftOfJob(p.job, p.work_order, (part) => left[part]!)!, why: p.why ?? undefined };
    return settledView(call, await services.previews.begin(job, seen, madeAs));
  },
};

/** The run that a call names, if the person may know of it. */
async function knownRun({ services, seen, params }: Pick<Call, 'services' | 'seen' | 'params'>): Promise<RunRow> {
  const r = await services.runs.get(params.id!);
  mustKnow(r, seen, 'run');
  return r;
}

/** Which are done first where nobody picks them: of each different from → to a number is not needed. */
function firstOf(count: number | null, way: FirstWay): First | null {
  if (count !== null) return { count, way };
  return way === 'spread' ? { count: usualSpread, way } : null;
}

async function steer(call: Call, verb: 'pause' | 'continue' | 'stop') {
  const { services, seen } = call;
  const r = await knownRun(call);
  seen.mustSteer(r.started_by, 'run');
  return runView(services, await services.runs[verb](r.id, seen.person.id), seen);
}

const batchesOf = `
  select position, high - low as size, state, changed, ${troubles.join(' + ')} as problems, finished_at
  from tantamos.run_batch where run = $1 order by position`;
