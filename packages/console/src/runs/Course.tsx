import type { RunCourse, RunView } from '@tantamos/contract';
import { isMoving } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { moment, number } from '../components/format';
import { queries } from '../queries';

const width = 360;
const height = 56;
/** Room for what is written at the left. */
const left = 2;

/** How many records a second, and how long a small write of others took beside it, over time. */
export function Course({ run: r }: { run: RunView }) {
  const course = useQuery({
    ...queries.runCourse(r.id, isMoving(r.state) ? Math.floor(r.workedMs / 3000) : r.state),
    enabled: r.batches > 1,
  });
  const { stretches: all = [], seconds = 1, usualMs = null } = course.data ?? {};
  // The last one is not over while it works.
  const stretches = isMoving(r.state) ? all.slice(0, -1) : all;
  if (stretches.length < 3) return null;
  const rates = stretches.map((s) => s.done / seconds);
  const waits = stretches.map((s) => s.canaryMs);
  return (
    <section className="space-y-2">
      <h2 className="text-xs font-semibold tracking-wide text-quiet uppercase">Over time</h2>
      <Line
        stretches={stretches}
        seconds={seconds}
        values={rates}
        title="Records a second"
        shown={(n) => number(Math.round(n))}
        // The average stands above, once on the page.
        average={false}
        filled
      />
      {waits.some((ms) => ms !== null) && (
        <Line
          stretches={stretches}
          seconds={seconds}
          values={waits}
          usual={usualMs}
          title="A small write beside it, ms"
          shown={(n) => n.toLocaleString('en-US', { maximumFractionDigits: 1 })}
        />
      )}
    </section>
  );
}

interface LineProps {
  stretches: RunCourse['stretches'];
  seconds: number;
  values: readonly (number | null)[];
  /** What it was before the run: a dashed line. */
  usual?: number | null;
  title: string;
  shown: (n: number) => string;
  average?: boolean;
  filled?: boolean;
}

function Line({ stretches, seconds, values, usual = null, title, shown, average = true, filled }: LineProps) {
  const known = values.filter((v) => v !== null);
  const most = Math.max(...known, usual ?? 0, 0.001);
  const from = Date.parse(stretches[0]!.at);
  const span = Math.max(1, Date.parse(stretches.at(-1)!.at) - from);
  const x = (at: string): number => left + ((Date.parse(at) - from) / span) * (width - 2 * left);
  const y = (v: number): number => height - 2 - (v / most) * (height - 6);
  // Between stretches in which nothing was done the line is broken.
  const lines = stretches.reduce<string[][]>((all, s, i) => {
    const value = values[i];
    const gap = i > 0 && Date.parse(s.at) - Date.parse(stretches[i - 1]!.at) > 3000 * seconds;
    if (value === null || value === undefined) return all;
    const point = `${x(s.at).toFixed(1)},${y(value).toFixed(1)}`;
    if (all.length === 0 || gap) return [...all, [point]];
    return [...all.slice(0, -1), [...all.at(-1)!, point]];
  }, []);
  const shortly = { seconds: span < 600_000 };
  const sum = known.reduce((a, b) => a + b, 0);
  const mean = average ? `average ${shown(sum / known.length)}, ` : '';
  const words = `${mean}highest ${shown(Math.max(...known))}${usual === null ? '' : `, before the run ${shown(usual)}`}`;
  return (
    <figure>
      <figcaption className="flex justify-between gap-3 text-xs">
        <span>{title}</span>
        <span className="text-quiet">{words}</span>
      </figcaption>
      <svg
        viewBox={`0 0 ${width} ${height}`}
        className="block h-14 w-full"
        role="img"
        aria-label={`${title}: ${words}`}
        preserveAspectRatio="none"
      >
        <line
          x1={0}
          x2={width}
          y1={height - 1}
          y2={height - 1}
          className="stroke-line-strong"
          vectorEffect="non-scaling-stroke"
        />
        {usual !== null && (
          <line
            x1={0}
            x2={width}
            y1={y(usual)}
            y2={y(usual)}
            className="stroke-pending"
            strokeDasharray="4 3"
            vectorEffect="non-scaling-stroke"
          />
        )}
        {lines.map((points) => (
          <g key={points[0]}>
            {filled && points.length > 1 && (
              <polygon
                points={`${points[0]!.split(',')[0]},${height - 1} ${points.join(' ')} ${points.at(-1)!.split(',')[0]},${height - 1}`}
                className="fill-accent-soft"
              />
            )}
            <polyline
              points={points.length > 1 ? points.join(' ') : `${points[0]} ${points[0]}`}
              fill="none"
              strokeWidth="1.5"
              strokeLinecap="round"
              className={filled ? 'stroke-accent' : 'stroke-ink'}
              vectorEffect="non-scaling-stroke"
            />
          </g>
        ))}
      </svg>
      <p className="flex justify-between text-xs text-quiet">
        <span>{moment(stretches[0]!.at, shortly)}</span>
        <span>{moment(stretches.at(-1)!.at, shortly)}</span>
      </p>
    </figure>
  );
}
