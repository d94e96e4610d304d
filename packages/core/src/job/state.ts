/**
 * The states of a run (product words). `pausing` and `stopping`: a person has said so, and batches under way are being
 * ended; only when no lane holds anything any more is it `paused` or `stopped`.
 */
export const runStates = [
  'queued',
  'running',
  'pausing',
  'paused',
  'waiting_for_you',
  'waiting_until',
  'stopping',
  'finished',
  'stopped',
] as const;
export type RunState = (typeof runStates)[number];

export type RunVerb = 'begin' | 'pause' | 'continue' | 'stop' | 'ask' | 'rest' | 'wake' | 'finish' | 'settle';

/** verb → state it may be said in → the state it leads to. The database holds the same steps. */
export const runVerbs: Record<RunVerb, Partial<Record<RunState, RunState>>> = {
  begin: { queued: 'running' },
  pause: { queued: 'paused', running: 'pausing', waiting_until: 'paused' },
  continue: { pausing: 'running', paused: 'running', waiting_for_you: 'running', waiting_until: 'running' },
  stop: {
    queued: 'stopped',
    running: 'stopping',
    pausing: 'stopping',
    paused: 'stopped',
    waiting_for_you: 'stopped',
    waiting_until: 'stopped',
  },
  // The rest are the engine's own, said by the last lane out.
  ask: { running: 'waiting_for_you' },
  rest: { running: 'waiting_until' },
  wake: { waiting_until: 'running' },
  finish: { running: 'finished', pausing: 'finished', stopping: 'finished' },
  settle: { pausing: 'paused', stopping: 'stopped' },
};

/** Is there anything to be said in this state with this verb? */
export function maySay(verb: RunVerb, state: RunState): boolean {
  return runVerbs[verb][state] !== undefined;
}

const words: Record<RunState, string> = {
  queued: 'Queued',
  running: 'Running',
  pausing: 'Pausing',
  paused: 'Paused',
  waiting_for_you: 'Waiting for you',
  waiting_until: 'Waiting until its time',
  stopping: 'Stopping',
  finished: 'Finished',
  stopped: 'Stopped',
};
export function stateWords(state: RunState): string {
  return words[state];
}

/** True when nothing more will happen in the run. */
export function isOver(state: RunState): boolean {
  return state === 'finished' || state === 'stopped';
}

/** True while lanes may hold something. */
export function isMoving(state: RunState): boolean {
  return ['queued', 'running', 'pausing', 'stopping'].includes(state);
}
