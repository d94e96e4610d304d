/** The states of a run (product words) and what may follow which. The database holds the same table as a trigger. */
export const runStates = [
  'queued',
  'running',
  'paused',
  'waiting_for_you',
  'waiting_until',
  'finished',
  'stopped',
] as const;
export type RunState = (typeof runStates)[number];

export type RunVerb = 'begin' | 'pause' | 'continue' | 'stop' | 'ask' | 'finish';

/** verb → states it may be said in → the state it leads to. */
export const runVerbs: Record<RunVerb, { readonly from: readonly RunState[]; readonly to: RunState }> = {
  begin: { from: ['queued'], to: 'running' },
  pause: { from: ['queued', 'running'], to: 'paused' },
  continue: { from: ['paused', 'waiting_for_you', 'waiting_until'], to: 'running' },
  stop: { from: ['queued', 'running', 'paused', 'waiting_for_you', 'waiting_until'], to: 'stopped' },
  ask: { from: ['running'], to: 'waiting_for_you' },
  finish: { from: ['running'], to: 'finished' },
};

const words: Record<RunState, string> = {
  queued: 'Queued',
  running: 'Running',
  paused: 'Paused',
  waiting_for_you: 'Waiting for you',
  waiting_until: 'Waiting until its time',
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
