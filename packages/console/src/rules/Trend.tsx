import type { RuleView } from '@tantamos/contract';
import { number, valueText } from '../components/format';

const width = 96;
const height = 20;

/** How many broke a rule, day by day: a line for the eye, and what it says in words. */
export function Trend({ counts }: { counts: RuleView['counts'] }) {
  const [first, last] = [counts[0], counts.at(-1)];
  if (!first || !last || first === last) return <span className="text-quiet">–</span>;
  const most = Math.max(1, ...counts.map((c) => c.broken));
  const from = Date.parse(first.day);
  const span = Math.max(1, Date.parse(last.day) - from);
  const points = counts.map((c) => {
    const x = 2 + ((Date.parse(c.day) - from) / span) * (width - 4);
    return `${x.toFixed(1)},${(height - 2 - (c.broken / most) * (height - 4)).toFixed(1)}`;
  });
  const words = `${number(first.broken)} on ${valueText(first.day, 'date')}, ${number(last.broken)} on ${valueText(last.day, 'date')}`;
  return (
    <span className="inline-flex items-center" title={words}>
      <svg width={width} height={height} role="img" aria-label={words}>
        <polyline
          points={points.join(' ')}
          fill="none"
          stroke="currentColor"
          strokeWidth="1.5"
          className="text-accent"
        />
      </svg>
    </span>
  );
}
