import { outcomes, outcomeWords, type Outcome, type Totals } from '@tantamos/core';
import { number } from './format';

const looks: Record<Outcome, string> = {
  changed: 'bg-accent',
  already_right: 'bg-line-strong',
  not_allowed: 'bg-trouble',
  edited_since: 'bg-pending-mark',
  refused: 'bg-trouble',
  in_use: 'bg-pending-mark',
  gone: 'bg-ink',
  not_yet: 'bg-line bg-[repeating-linear-gradient(135deg,transparent_0_4px,var(--line-strong)_4px_5px)]',
};

/** Totals as one segmented bar with the equation beneath: every record stands in exactly one part. */
export function OutcomeBar({ totals, preview = false }: { totals: Totals; preview?: boolean }) {
  const parts = outcomes.filter((o) => totals[o] > 0);
  const words = (o: Outcome): string => (preview && o === 'not_yet' ? 'will change' : outcomeWords(o));
  const look = (o: Outcome): string => (preview && o === 'not_yet' ? looks.changed : looks[o]);
  return (
    <div className="space-y-2">
      <div className="flex h-3 gap-px overflow-hidden rounded-sm bg-line" aria-hidden="true">
        {parts.map((o) => (
          <div key={o} className={look(o)} style={{ flexGrow: totals[o], minWidth: 3 }} />
        ))}
      </div>
      <p className="flex flex-wrap items-center gap-x-2 gap-y-1" data-testid="equation">
        <b className="font-semibold">{number(totals.matched)} matched</b> =
        {parts.map((o, i) => (
          <span key={o} className="flex items-center gap-1.5">
            {i > 0 && <span className="mr-0.5">+</span>}
            <span className={`inline-block size-2.5 rounded-xs ${look(o)}`} aria-hidden="true" />
            {number(totals[o])} {words(o)}
          </span>
        ))}
        {parts.length === 0 && ' 0'}
      </p>
    </div>
  );
}
