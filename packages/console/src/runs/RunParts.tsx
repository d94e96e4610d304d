import type { RunView } from '@tantamos/contract';
import { number } from '../components/format';

/** What each part of a run has come to; nothing where the totals say it all. */
export function RunParts({ parts }: Pick<RunView, 'parts'>) {
  if (parts.length < 2) return null;
  return (
    <ul className="flex flex-wrap gap-x-5 gap-y-1" aria-label="Parts of the run">
      {parts.map((part, i) => (
        <li key={i}>
          <span className="text-quiet">{i + 1}.</span> {part.label}: {number(part.totals.changed)} of{' '}
          {number(part.totals.matched)} {part.done}
        </li>
      ))}
    </ul>
  );
}
