import type { JobBody, PreviewView, RunView } from '@tantamos/contract';
import { isMoving } from '@tantamos/core';
import { api } from '../app/api';

/** What became of a change of a few records, done at once. */
export interface SmallRun {
  readonly preview: PreviewView;
  /** Null where nothing would change. */
  readonly run: RunView | null;
}

/** Previews a small change and, where something would change, runs it to its end: the same preview, run and journal. */
export async function changeNow(job: JobBody): Promise<SmallRun> {
  return runNow(await previewNow(job));
}

/** A small change worked out, whole. */
export async function previewNow(job: JobBody): Promise<PreviewView> {
  return workedOut(await api.makePreview({ ...job, safety: { pace: 100 } }));
}

/** Takes a run back at once. */
export async function undoNow(run: string): Promise<SmallRun> {
  return runNow(await workedOut(await api.undoRun(run, {})));
}

/** Waits until it is; throws where it cannot be. */
export async function workedOut(made: PreviewView): Promise<PreviewView> {
  let preview = made;
  if (preview.state === 'working') for await (const next of api.previewEvents(preview.id)) preview = next;
  if (preview.state !== 'ready') throw new Error(preview.trouble ?? 'It could not be worked out.');
  return preview;
}

/** Runs a preview of few records to its end, if anything would change. */
export async function runNow(preview: PreviewView): Promise<SmallRun> {
  const { will_change: count } = preview.totals;
  if (count === 0) return { preview, run: null };
  let run = await api.startRun({ preview: preview.id, askAfter: null, expect: count });
  if (isMoving(run.state)) for await (const next of api.runEvents(run.id)) if (!isMoving((run = next).state)) break;
  return { preview, run };
}

/** What an undo of a small change has come to: “Restored.” only where all of it is. */
export function restoredWords({ preview, run }: SmallRun, number: (n: number) => string): string {
  const { matched } = preview.totals;
  const restored = (run?.totals.changed ?? 0) + (run ? run.totals.already_right : preview.totals.already_right);
  if (restored === matched) return 'Restored.';
  const left = matched - restored;
  return `${number(restored)} of ${number(matched)} restored. ${number(left)} ${left === 1 ? 'was' : 'were'} left: changed since, in use or refused.`;
}
