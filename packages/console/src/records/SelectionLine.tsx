import type { TypeSummary } from '@tantamos/contract';
import { useQueries } from '@tanstack/react-query';
import { ChevronRight, X } from 'lucide-react';
import { api } from '../app/api';
import { number } from '../components/format';
import { conditionsOf, joinConditions } from './conditions';

interface Props {
  type: TypeSummary;
  filter: string;
  picked: number;
  onFilter: (filter: string) => void;
  onClearPicked: () => void;
  onOpen: () => void;
}

/** One chip a stage, left to right, each with the count that is left after it. */
export function SelectionLine({ type, filter, picked, onFilter, onClearPicked, onOpen }: Props) {
  const conditions = conditionsOf(filter);
  const stages = ['', ...conditions.map((_, i) => joinConditions(conditions.slice(0, i + 1)))];
  const counts = useQueries({
    queries: stages.map((upTo) => ({
      queryKey: ['count', type.id, upTo],
      queryFn: ({ signal }: { signal: AbortSignal }) =>
        api.find(type.id, { filter: upTo, limit: 0, count: 'exact' as const }, signal),
      retry: false,
    })),
  });
  const without = (i: number): string => joinConditions(conditions.filter((_, j) => j !== i));
  // The stage that emptied the set is where to look.
  const empties = counts.findIndex((c) => c.data?.numberMatched === 0);
  return (
    <ol aria-label="Selection" className="flex min-h-8 flex-wrap items-center gap-1">
      {stages.map((_, i) => (
        <li key={i} className="flex items-center gap-1">
          {i > 0 && <ChevronRight className="size-3.5 text-quiet" aria-hidden="true" />}
          <span
            className={`flex h-7 items-center rounded border ${i === empties && i > 0 ? 'border-trouble bg-trouble-soft' : 'border-line bg-sheet'}`}
          >
            {i === 0 ? (
              <span className="px-2">{type.label}</span>
            ) : (
              <button
                type="button"
                onClick={onOpen}
                title="Open in the filter"
                className="max-w-80 truncate px-2 font-mono text-xs hover:text-accent"
              >
                {conditions[i - 1]}
              </button>
            )}
            <Count count={counts[i]?.data?.numberMatched} failed={counts[i]?.isError} />
            {i > 0 && (
              <Remove label={`Remove the condition ${conditions[i - 1]}`} onClick={() => onFilter(without(i - 1))} />
            )}
          </span>
        </li>
      ))}
      {picked > 0 && (
        <li className="flex items-center gap-1">
          <ChevronRight className="size-3.5 text-quiet" aria-hidden="true" />
          <span className="flex h-7 items-center rounded border border-accent bg-accent-soft">
            <span className="px-2">picked</span>
            <Count count={picked} />
            <Remove label="Clear the picked records" onClick={onClearPicked} />
          </span>
        </li>
      )}
    </ol>
  );
}

function Count({ count, failed }: { count?: number | null; failed?: boolean }) {
  return (
    <span className={`pr-2 font-medium ${count == null ? 'text-quiet' : ''}`}>
      {failed ? '?' : count == null ? '…' : number(count)}
    </span>
  );
}

function Remove({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button
      type="button"
      aria-label={label}
      onClick={onClick}
      className="grid h-full w-6 place-items-center rounded-r border-l border-line text-quiet hover:text-trouble"
    >
      <X className="size-3.5" aria-hidden="true" />
    </button>
  );
}
