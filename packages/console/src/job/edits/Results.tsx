import { Change } from '../../components/Change';
import type { Result } from './form';

/** What comes out for some records, or why nothing does. */
export function Results({ results }: { results: readonly Result[] }) {
  if (results.length === 0) return null;
  return (
    <dl aria-label="What comes out" className="space-y-0.5 rounded border border-line bg-sheet px-2 py-1.5 text-xs">
      {results.map(({ record, change, cause }) => (
        <div key={record} className="flex justify-between gap-3">
          <dt className="min-w-0 shrink truncate text-quiet">{record}</dt>
          <dd className={`text-right ${cause === null ? 'shrink-0' : 'text-trouble'}`}>
            {cause ?? (change && <Change old={change.old} now={change.new} kind={change.kind} />)}
          </dd>
        </div>
      ))}
    </dl>
  );
}
