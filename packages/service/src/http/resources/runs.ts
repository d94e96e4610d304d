import type { JournalQuery, ListQuery, RetryBody, RunBatchView, StartRunBody, UndoBody } from '@tantamos/contract';
import { defaultSafety, fail, isOver, shortId, type Outcome } from '@tantamos/core';
import { mustBeAllowed } from '../../accounts/rights';
import { readJournal } from '../../journal/journal';
import type { Call, Handler } from '../handler';
import { sent } from '../handler';
import { sendEvents } from '../sse';
import { runView } from '../views';
import { mustHaveJournal } from '../../engine/runs';
import { sendJournal, settledView } from './previews';

/** More records than this are not tried again by key; the job itself is to be previewed anew. */
const mostRetried = 50_000;

export const runs: Handler<never, ListQuery> = async ({ services, query }) => {
  const before = query.before ?? null;
  if (before !== null && Number.isNaN(Date.parse(before)))
    fail('bad_request', 'before must be a moment.', { where: 'before' });
  const rows = await services.runs.list(query.limit ?? 50, before);
  return Promise.all(rows.map((r) => runView(services, r)));
};

export const startRun: Handler<StartRunBody> = async ({ services, person, body }) => {
  const preview = await services.previews.get(body.preview);
  mustBeAllowed(person, { act: 'start preview', owner: preview.made_by });
  const safety = { ...defaultSafety, ...preview.job.safety };
  // An undo is not asked about half way, unless the person says so.
  const askAfter = body.askAfter !== undefined ? body.askAfter : preview.kind === 'undo' ? null : safety.askAfter;
  const id = await services.runs.start(preview.id, person.id, {
    askAfter,
    expect: body.expect ?? null,
    atOnce: safety.atOnce,
    pace: safety.pace,
  });
  return runView(services, await services.runs.get(id));
};

export const run: Handler = async ({ services, params }) => runView(services, await services.runs.get(params.id!));

export const runEvents: Handler = async ({ services, params, req, res }) => {
  await sendEvents(req, res, {
    events: services.events,
    topic: `run ${params.id!}`,
    look: async () => runView(services, await services.runs.get(params.id!)),
    isLast: (r) => isOver(r.state),
  });
  return sent;
};

export const runRecords: Handler<never, JournalQuery> = async (call) => {
  const { services, params } = call;
  const r = await services.runs.get(params.id!);
  const { outcome } = call.query;
  if (outcome === 'will_change')
    fail('bad_request', 'In a run, what will change is called not_yet.', { where: 'outcome' });
  return sendJournal(call, await services.previews.get(r.preview), { run: r.id }, `run-${shortId(r.id)}`);
};

export const runBatches: Handler = async ({ services, params }) => {
  const r = await services.runs.get(params.id!);
  return services.database.rows<RunBatchView & Record<string, unknown>>(
    `select position, high - low as size, state, changed, edited_since + refused + in_use + gone as problems, finished_at as "finishedAt"
     from tantamos.run_batch where run = $1 order by position`,
    [r.id],
  );
};

export const pauseRun: Handler = (call) => steer(call, 'pause');
export const continueRun: Handler = (call) => steer(call, 'continue');
export const stopRun: Handler = (call) => steer(call, 'stop');

async function steer({ services, person, params }: Call, verb: 'pause' | 'continue' | 'stop') {
  const r = await services.runs.get(params.id!);
  mustBeAllowed(person, { act: 'steer run', owner: r.started_by });
  return runView(services, await services.runs[verb](r.id, person.id));
}

export const undoRun: Handler<UndoBody> = async ({ services, person, params, body }) => {
  const r = await services.runs.get(params.id!);
  if (!isOver(r.state)) mustBeAllowed(person, { act: 'steer run', owner: r.started_by });
  return settledView({ services, person }, await services.runs.undo(r.id, person, body.why));
};

export const retryRun: Handler<RetryBody> = async ({ services, person, params, body }) => {
  mustBeAllowed(person, { act: 'preview' });
  const r = await services.runs.get(params.id!);
  if (!isOver(r.state)) fail('wrong_state', 'The run is not over yet; what it leaves can be tried again then.');
  mustHaveJournal(r);
  const p = await services.previews.get(r.preview);
  const outcomes: Outcome[] = body.outcomes ?? ['edited_since', 'refused', 'in_use', 'not_yet'];
  const keys: string[] = [];
  for (const outcome of outcomes)
    for await (const row of readJournal(services.database, { run: r.id }, p.work_order, { outcome, after: null })) {
      keys.push(row.key);
      if (keys.length > mostRetried)
        fail('over_limit', `More than ${mostRetried} records were left; preview the job itself again.`);
    }
  if (keys.length === 0) fail('nothing_to_do', 'The run left no such records, so there is nothing to try again.');
  if (p.kind === 'undo')
    return settledView({ services, person }, await services.runs.undo(r.undo_of!, person, p.why ?? undefined));
  const job = { ...p.job, selection: { type: p.job.selection.type, keys }, why: p.why ?? undefined };
  return settledView({ services, person }, await services.previews.begin(job, person));
};
