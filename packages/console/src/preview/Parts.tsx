import type { PreviewView } from '@tantamos/contract';
import { partWords } from '@tantamos/core';
import { capital, number } from '../components/format';

/** What each part of a job comes to; nothing where the totals say all there is. */
export function Parts({ parts }: Pick<PreviewView, 'parts'>) {
  if (parts.length === 1 && parts[0]!.act === 'update') return null;
  return (
    <table className="w-full" aria-label="Parts of the job">
      <thead className="text-xs text-quiet">
        <tr>
          <th className="text-left font-normal">One after the other</th>
          <th className="pl-2 text-right font-normal">Will be done</th>
          <th className="pl-2 text-right font-normal">Right</th>
          <th className="pl-2 text-right font-normal">Not allowed</th>
        </tr>
      </thead>
      <tbody>
        {parts.map((part, i) => (
          <tr key={i} className="border-t border-line align-top">
            <td className="py-1 pr-2">
              {parts.length > 1 && <span className="text-quiet">{i + 1}. </span>}
              {capital(partWords(part))}
            </td>
            <td className="py-1 pl-2 text-right font-medium">{number(part.totals.will_change)}</td>
            <td className="py-1 pl-2 text-right">{number(part.totals.already_right)}</td>
            <td className="py-1 pl-2 text-right">{number(part.totals.not_allowed)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
