import { stateWords, type RunState } from '@tantamos/core';
import { CircleCheck, CircleDashed, CirclePause, CircleStop, Hand, Hourglass, LoaderCircle } from 'lucide-react';

const marks = {
  queued: [CircleDashed, 'text-quiet'],
  running: [LoaderCircle, 'text-accent'],
  pausing: [LoaderCircle, 'text-pending'],
  paused: [CirclePause, 'text-pending'],
  waiting_for_you: [Hand, 'text-pending'],
  waiting_until: [Hourglass, 'text-pending'],
  stopping: [LoaderCircle, 'text-trouble'],
  finished: [CircleCheck, 'text-accent'],
  stopped: [CircleStop, 'text-trouble'],
} as const satisfies Record<RunState, unknown>;

/** A run's state by sign and word. */
export function StateMark({ state }: { state: RunState }) {
  const [Sign, look] = marks[state];
  return (
    <span className="inline-flex items-center gap-1.5 align-middle">
      <Sign className={`size-4 shrink-0 ${look}`} aria-hidden="true" />
      {stateWords(state)}
    </span>
  );
}
