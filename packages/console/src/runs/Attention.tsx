import type { RunView } from '@tantamos/contract';
import { needsAttention, type Outcome } from '@tantamos/core';
import { useMutation } from '@tanstack/react-query';
import { CircleCheck, TriangleAlert } from 'lucide-react';
import { useNavigate } from 'react-router';
import { api } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { counted } from '../components/format';
import { Notes } from '../components/Notes';
import { Problems } from '../components/Problems';

/** Records that did not change and should have: how many, why, and what can be done. */
export function Attention({ run: r, onShow }: { run: RunView; onShow: (o: Outcome) => void }) {
  const navigate = useNavigate();
  const retry = useMutation({
    mutationFn: () => api.retryRun(r.id, {}),
    onSuccess: (p) => navigate(`/previews/${p.id}`),
  });
  const found = needsAttention.filter(({ outcome }) => r.totals[outcome] > 0);
  return (
    <section className="space-y-2">
      <h2 className="text-xs font-semibold tracking-wide text-quiet uppercase">Needs attention</h2>
      <Notes notes={r.notes} />
      {found.length + r.notes.length === 0 && (
        <p className="flex items-center gap-2">
          <CircleCheck className="size-4 text-accent" aria-hidden="true" /> Nothing.
        </p>
      )}
      {found.map(({ outcome: o, words }) => (
        <p key={o} className="flex gap-2 rounded border border-line bg-pending-soft px-2.5 py-2">
          <TriangleAlert className="mt-0.5 size-4 shrink-0 text-pending" aria-hidden="true" />
          <span>
            <b className="font-medium">{counted(r.totals[o], 'record')}</b> {words}{' '}
            <LinkButton onClick={() => onShow(o)}>Show</LinkButton>
          </span>
        </p>
      ))}
      {r.verbs.includes('retry') && (
        <Button busy={retry.isPending} onClick={() => retry.mutate()}>
          Try the rest again…
        </Button>
      )}
      <Problems error={retry.error} />
    </section>
  );
}
