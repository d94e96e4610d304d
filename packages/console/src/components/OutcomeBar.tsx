import { outcomeTone, type Addend, type Tone } from '@tantamos/core';
import { number } from './format';

const looks: Record<Tone, string> = {
  done: 'bg-accent',
  calm: 'bg-line-strong',
  refused: 'bg-trouble',
  held: 'bg-pending-mark',
  lost: 'bg-ink',
  ahead: 'bg-line bg-[repeating-linear-gradient(135deg,transparent_0_4px,var(--line-strong)_4px_5px)]',
};

/** What the matched records come to, as one segmented bar with the equation below it: every record is in exactly one part. */
export function OutcomeBar({ matched, addends }: { matched: number; addends: readonly Addend[] }) {
  return (
    <div className="space-y-2">
      <div className="flex h-3 gap-px overflow-hidden rounded-sm bg-line" aria-hidden="true">
        {addends.map(({ of, words, count }) => (
          <div key={words} className={looks[outcomeTone(of)]} style={{ flexGrow: count, minWidth: 3 }} />
        ))}
      </div>
      <p className="flex flex-wrap items-center gap-x-2 gap-y-1" data-testid="equation">
        <b className="font-semibold">{number(matched)} matched</b> =
        {addends.map(({ of, words, count }, i) => (
          <span key={words} className="flex items-center gap-1.5">
            {i > 0 && <span className="mr-0.5">+</span>}
            <span className={`inline-block size-2.5 rounded-xs ${looks[outcomeTone(of)]}`} aria-hidden="true" />
            {number(count)} {words}
          </span>
        ))}
        {addends.length === 0 && ' 0'}
      </p>
    </div>
  );
}
