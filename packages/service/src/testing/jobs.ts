import type { JobBody, PreviewView, RecheckView, RunView } from '@tantamos/contract';
import { isMoving } from '@tantamos/core';
import { AnswerError, type Client } from '../../../client/src';

/** The job of the guide: drafts of one person in the north valley, to be confirmed. 200 match, 191 will change. */
export const northDrafts: JobBody = {
  selection: { type: 'bookings', filter: "status = 'draft' AND valley = 'north' AND owner = 'Ines Calloway'" },
  edits: [
    { kind: 'set', field: 'status', value: 'confirmed' },
    { kind: 'fill', field: 'region', value: 'Northern Hills' },
  ],
  safety: { batchSize: 100, askAfter: 5, pace: 100 },
  why: 'Spring round',
};

/** A job on bookings with these keys. */
export function onBookings(keys: readonly number[], edits: JobBody['edits'], more: Partial<JobBody> = {}): JobBody {
  return { selection: { type: 'bookings', keys: keys.map(String) }, edits, safety: { pace: 100 }, ...more };
}

export async function previewed(client: Client, job: JobBody): Promise<PreviewView> {
  return workedOut(client, client.makePreview(job));
}

/** What a run would put back, when it is worked out. */
export async function undone(
  client: Client,
  runId: string,
  body: Parameters<Client['undoRun']>[1] = {},
): Promise<PreviewView> {
  return workedOut(client, client.undoRun(runId, body));
}

/** What has become of what a run changed, when all is counted. */
export async function rechecked(client: Client, runId: string): Promise<RecheckView> {
  let now = await client.recheckRun(runId, {});
  while (now.at === null) now = await client.recheckRun(runId, { on: now.id });
  return now;
}

async function workedOut(client: Client, made: Promise<PreviewView>): Promise<PreviewView> {
  let p = await made;
  for await (const next of client.previewEvents(p.id)) p = next;
  if (p.state !== 'ready') throw new Error(`${p.state}: ${p.trouble}`);
  return p;
}

/** Starts the run of a preview and waits until it is over, or until it rests. */
export async function ran(
  client: Client,
  previewId: string,
  more: { askAfter?: number | null; expect?: number } = {},
): Promise<RunView> {
  return rested(client, (await client.startRun({ preview: previewId, ...more })).id);
}

export async function rested(client: Client, runId: string): Promise<RunView> {
  for await (const run of client.runEvents(runId)) if (!isMoving(run.state)) return run;
  return client.run(runId);
}

export async function done(client: Client, job: JobBody): Promise<RunView> {
  const p = await previewed(client, job);
  return ran(client, p.id, { askAfter: null, expect: p.totals.will_change });
}

/** The problem a call is answered with; fails when it is not. */
export async function refusedWith(call: Promise<unknown>): Promise<AnswerError['details']> {
  const answer = await call.then(
    () => undefined,
    (error: unknown) => error,
  );
  if (!(answer instanceof AnswerError)) throw new Error(answer === undefined ? 'It was not refused.' : String(answer));
  return answer.details;
}
