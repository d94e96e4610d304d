import type { RunView } from '@tantamos/contract';
import { doneShort, shortId } from '@tantamos/core';
import type { ReactNode } from 'react';
import { Link } from 'react-router';
import { moment, number } from '../components/format';
import { StateMark } from './StateMark';

interface Line {
  readonly run: RunView;
  /** How many of its records fit what was looked for; null: that was not asked. */
  readonly matching: number | null;
  /** What stands beneath it. */
  readonly more?: ReactNode;
}

/** Runs, a line each, their sentences whole: those that look alike are told apart by what they say, why, and their ids. */
export function RunsTable({ lines }: { lines: readonly Line[] }) {
  const asked = lines.some((l) => l.matching !== null);
  return (
    <table className="w-full border-separate border-spacing-0 border border-line bg-sheet">
      <thead className="bg-sunken">
        <tr>
          {['State', 'Job', ...(asked ? ['Fitting'] : []), 'Done', 'Matched', 'Started', 'By'].map((h) => (
            <th
              key={h}
              className={`${cell} h-9 font-medium ${numeric.includes(h) ? 'text-right' : 'text-left'} ${narrow.includes(h) ? '' : 'max-md:hidden'}`}
            >
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {lines.map(({ run: r, matching, more }) => (
          <tr key={r.id} className="align-top hover:bg-paper">
            <td className={cell}>
              <StateMark state={r.state} />
            </td>
            <td className={`${cell} w-full whitespace-normal! wrap-anywhere`}>
              <Link to={`/runs/${r.id}`} className="line-clamp-3 hover:text-accent hover:underline" title={r.sentence}>
                {r.sentence}
              </Link>
              <span className="block text-xs text-quiet">
                {shortId(r.id)}
                {r.why && <> · Why: {r.why}</>}
                <span className="md:hidden">
                  {' '}
                  · {doneShort(r.parts, number)} of {number(r.totals.matched)}, {moment(r.startedAt)} by {r.startedBy}
                </span>
              </span>
              {more}
            </td>
            {asked && <td className={`${cell} text-right font-medium max-md:hidden`}>{number(matching ?? 0)}</td>}
            <td className={`${cell} text-right max-md:hidden`}>{doneShort(r.parts, number)}</td>
            <td className={`${cell} text-right text-quiet max-md:hidden`}>{number(r.totals.matched)}</td>
            <td className={`${cell} max-md:hidden`}>{moment(r.startedAt)}</td>
            <td className={`${cell} max-md:hidden`}>{r.startedBy}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const cell = 'border-b border-line px-3 py-1.5 whitespace-nowrap';
const numeric = ['Done', 'Matched', 'Fitting'];
/** What a phone has room for; the rest stands beneath the job. */
const narrow = ['State', 'Job'];
