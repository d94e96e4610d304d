import type { KeptCountsView, TypeSummary } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { api, queryClient } from '../app/api';
import { LinkButton } from '../components/Button';
import { moment, number } from '../components/format';
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
          {shown && <Compared key={shown.id} kept={shown} />}
        </div>
      </div>
    </Sheet>
  );
}

function Compared({ kept }: { kept: KeptCountsView }) {
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
