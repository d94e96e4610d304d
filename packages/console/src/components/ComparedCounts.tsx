import type { KeptCountsView } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { number } from './format';
import { Problems } from './Problems';
import { queries } from '../queries';

/** Counts that were kept, beside those of now. */
export function ComparedCounts({ kept }: { kept: KeptCountsView }) {
  const now = useQuery({ ...queries.comparedCounts(kept.id), retry: false });
  if (!now.data) return now.isError ? <Problems error={now.error} /> : <p className="text-quiet">Counting …</p>;
  const head = 'py-1 pr-4 font-medium';
  return (
    <table className="text-left">
      <caption className="sr-only">{kept.name}: before and now</caption>
      <thead>
        <tr>
          {kept.fields.map((f) => (
            <th key={f} className={head}>
              {f}
            </th>
          ))}
          {['before', 'now', 'change'].map((h) => (
            <th key={h} className={`${head} text-right`}>
              {h}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {now.data.rows.map((r, i) => (
          <tr key={i}>
            {r.values.map((v, j) => (
              <td key={j} className="border-t border-line py-1 pr-4">
                {v.label ?? v.value ?? <i className="text-quiet">blank</i>}
              </td>
            ))}
            <td className="border-t border-line py-1 pr-4 text-right">{number(r.before)}</td>
            <td className="border-t border-line py-1 pr-4 text-right">{number(r.now)}</td>
            <td
              className={`border-t border-line py-1 text-right ${r.now === r.before ? 'text-quiet' : 'font-medium text-accent-strong'}`}
            >
              {change(r.now - r.before)}
            </td>
          </tr>
        ))}
        <tr className="text-quiet">
          <td colSpan={kept.fields.length} className="border-t border-line-strong py-1">
            all
          </td>
          <td className="border-t border-line-strong py-1 pr-4 text-right">{number(now.data.total)}</td>
          <td className="border-t border-line-strong py-1 pr-4 text-right">{number(now.data.totalNow)}</td>
          <td className="border-t border-line-strong py-1 text-right">{change(now.data.totalNow - now.data.total)}</td>
        </tr>
      </tbody>
    </table>
  );
}

function change(n: number): string {
  return n === 0 ? '0' : `${n > 0 ? '+' : '−'}${number(Math.abs(n))}`;
}
