import type { TypeSummary } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, queryClient } from '../app/api';
import { LinkButton } from '../components/Button';
import { ComparedCounts } from '../components/ComparedCounts';
import { moment } from '../components/format';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { queries } from '../queries';

interface Props {
  open: boolean;
  types: readonly TypeSummary[];
  onClose: () => void;
}

/** Counts that were kept, and what has become of them since: before a run and after it, for instance. */
export function CountsSheet({ open, types, onClose }: Props) {
  const [chosen, setChosen] = useState<string | null>(null);
  const kept = useQuery({ ...queries.counts(), enabled: open });
  const drop = useMutation({
    mutationFn: (id: string) => api.dropCounts(id),
    onSettled: () => {
      setChosen(null);
      return queryClient.invalidateQueries(queries.counts());
    },
  });
  const all = kept.data ?? [];
  const shown = all.find((c) => c.id === chosen) ?? all[0];
  return (
    <Sheet
      open={open}
      onClose={onClose}
      title="Kept counts"
      about="As they were when they were kept, beside those of now."
      width="w-220"
    >
      <div className="flex min-h-60 flex-1 overflow-hidden">
        <ul aria-label="Kept counts" className="w-64 shrink-0 overflow-auto border-r border-line p-2">
          {kept.isSuccess && all.length === 0 && (
            <li className="p-2 text-quiet">None yet. Keep them from a field’s values, or from two fields crossed.</li>
          )}
          {all.map((c) => (
            <li key={c.id} className={`rounded p-2 ${c.id === shown?.id ? 'bg-accent-soft' : ''}`}>
              <button type="button" className="block w-full text-left" onClick={() => setChosen(c.id)}>
                <b className="block font-medium">{c.name}</b>
                <span className="text-xs text-quiet">
                  {types.find((t) => t.id === c.type)?.label ?? c.type}, {moment(c.madeAt)}
                </span>
              </button>
              <LinkButton className="text-xs" aria-label={`Forget ${c.name}`} onClick={() => drop.mutate(c.id)}>
                Forget
              </LinkButton>
            </li>
          ))}
        </ul>
        <div className="min-w-0 flex-1 overflow-auto p-4" role="region" aria-label="Before and now" tabIndex={0}>
          <Problems error={kept.error ?? drop.error} />
          {shown && <ComparedCounts key={shown.id} kept={shown} />}
        </div>
      </div>
    </Sheet>
  );
}
