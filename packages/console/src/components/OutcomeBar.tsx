import {
  outcomes,
  outcomeTone,
  outcomeWords,
  verdicts,
  type Tone,
  type Totals,
  type VerdictTotals,
} from '@tantamos/core';
import { number } from './format';

const looks: Record<Tone, string> = {
  done: 'bg-accent',
  calm: 'bg-line-strong',
  refused: 'bg-trouble',
  held: 'bg-pending-mark',
  lost: 'bg-ink',
  ahead: 'bg-line bg-[repeating-linear-gradient(135deg,transparent_0_4px,var(--line-strong)_4px_5px)]',
};

/** Totals as one segmented bar with the equation beneath: every record stands in exactly one part. */
export function OutcomeBar({ totals }: { totals: Totals | VerdictTotals }) {
  const counts: Readonly<Record<string, number>> = totals;
  const told = 'will_change' in totals ? verdicts : outcomes;
  const parts = told.filter((o) => counts[o]! > 0);
  return (
    <div className="space-y-2">
      <div className="flex h-3 gap-px overflow-hidden rounded-sm bg-line" aria-hidden="true">
        {parts.map((o) => (
          <div key={o} className={looks[outcomeTone(o)]} style={{ flexGrow: counts[o], minWidth: 3 }} />
        ))}
      </div>
      <p className="flex flex-wrap items-center gap-x-2 gap-y-1" data-testid="equation">
        <b className="font-semibold">{number(totals.matched)} matched</b> =
        {parts.map((o, i) => (
          <span key={o} className="flex items-center gap-1.5">
            {i > 0 && <span className="mr-0.5">+</span>}
            <span className={`inline-block size-2.5 rounded-xs ${looks[outcomeTone(o)]}`} aria-hidden="true" />
            {number(counts[o]!)} {outcomeWords(o)}
          </span>
        ))}
        {parts.length === 0 && ' 0'}
      </p>
    </div>
  );
}
