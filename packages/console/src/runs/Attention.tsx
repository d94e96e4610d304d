import type { CauseView, RunView } from '@tantamos/contract';
import { needsAttention, outcomeWords, type Outcome } from '@tantamos/core';
import { useMutation, useQuery } from '@tanstack/react-query';
import { CircleCheck, TriangleAlert } from 'lucide-react';
import { useNavigate } from 'react-router';
import { api } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { counted, number } from '../components/format';
import { Notes } from '../components/Notes';
import { Problems } from '../components/Problems';
import { queries } from '../queries';
import type { Draft } from '../job/draft';
import { useNewJob } from '../job/useNewJob';

/** Records that did not change and should have: how many, why, and what can be done. */
export function Attention({ run: r, onShow }: { run: RunView; onShow: (o: Outcome, cause: string | null) => void }) {
  const navigate = useNavigate();
  const retry = useMutation({
    mutationFn: () => api.retryRun(r.id, {}),
    onSuccess: (p) => navigate(`/previews/${p.id}`),
  });
  const left = needsAttention.filter(({ outcome }) => r.totals[outcome] > 0);
  const causes = useQuery({
    ...queries.runCauses(r.id, left.map(({ outcome }) => r.totals[outcome]).join()),
    enabled: left.length > 0,
  });
  return (
    <section className="space-y-2">
      <h2 className="text-xs font-semibold tracking-wide text-quiet uppercase">Needs attention</h2>
      <Notes notes={r.notes} />
      {left.length + r.notes.length === 0 && (
        <p className="flex items-center gap-2">
          <CircleCheck className="size-4 text-accent" aria-hidden="true" /> Nothing.
        </p>
      )}
      {left.length > 0 && (
        <ul className="space-y-2">
          {(causes.data ?? []).map((c) => (
            <Cause key={`${c.outcome} ${c.cause}`} run={r} cause={c} onShow={() => onShow(c.outcome, c.cause)} />
          ))}
        </ul>
      )}
      {r.verbs.includes('retry') && (
        <Button busy={retry.isPending} onClick={() => retry.mutate()}>
          Try the rest again…
        </Button>
      )}
      <Problems error={retry.error} />
    </section>
  );
}

function Cause({ run: r, cause: c, onShow }: { run: RunView; cause: CauseView; onShow: () => void }) {
  const open = useNewJob();
  const mend = useMutation({ mutationFn: async () => open(await jobOfLeft(r, c)) });
  return (
    <li className="flex gap-2 rounded border border-line bg-pending-soft px-2.5 py-2">
      <TriangleAlert className="mt-0.5 size-4 shrink-0 text-pending" aria-hidden="true" />
      <div className="min-w-0 space-y-0.5">
        <p className="wrap-anywhere">
          <b className="font-medium">{counted(c.count, 'record')}</b> {outcomeWords(c.outcome)}
          {c.cause !== null && `: ${c.cause}`}
        </p>
        <p className="text-quiet">{c.next}</p>
        {c.said && (
          <details>
            <summary className="cursor-pointer text-quiet">The words of the database</summary>
            <p className="pt-1 font-mono text-xs wrap-anywhere">
              {c.said}
              {c.code && ` (${c.code})`}
            </p>
          </details>
        )}
        <p className="flex flex-wrap gap-x-4">
          <LinkButton onClick={onShow}>Show {c.count === 1 ? 'it' : `these ${number(c.count)}`}</LinkButton>
          {c.steps.includes('mend') && r.kind === 'edit' && r.types.length === 1 && r.verbs.includes('retry') && (
            <LinkButton onClick={() => mend.mutate()}>Mend by a further edit…</LinkButton>
          )}
          {c.other && (
            <LinkButton onClick={() => void open(c.other!)}>
              {c.count === 1 ? 'Open the record that has it' : 'Open one that has it'}
            </LinkButton>
          )}
        </p>
        <Problems error={mend.error} />
      </div>
    </li>
  );
}

/** Records whose keys are picked one by one; of more all that came to the same outcome are taken. */
const mostPicked = 500;

/** The same edits, on records that were left for this reason: a job to which more can be said. */
async function jobOfLeft(r: RunView, { outcome, cause, count }: CauseView): Promise<Partial<Draft> & { type: string }> {
  const { job } = await api.preview(r.preview);
  const filter = `in_run('${r.id}', '${outcome}')`;
  const isFew = cause !== null && count <= mostPicked;
  const left = isFew ? await api.runRecords(r.id, { outcome, cause, limit: mostPicked }) : { records: [] };
  return {
    type: r.type,
    filter,
    picked: left.records.map((record) => record.key),
    edits: job?.act ? [] : (job?.edits ?? []),
    why: r.why ?? '',
    panel: true,
  };
}
