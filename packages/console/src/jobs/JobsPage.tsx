import type { DraftSummary } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { Plus } from 'lucide-react';
import { Link, useNavigate } from 'react-router';
import { api, queryClient } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { moment } from '../components/format';
import { Problems } from '../components/Problems';
import { Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import { useDraft } from '../job/DraftKeeper';
import { queries } from '../queries';
import { SavedJobs } from './SavedJobs';

/** Saved jobs, to be used again, and unfinished ones, to go back to; each window works on one of its own. */
export function JobsPage() {
  const navigate = useNavigate();
  const { id: here, open } = useDraft();
  const drafts = useQuery(queries.drafts());
  const go = useMutation({
    mutationFn: async (d: DraftSummary | null) => {
      await open(d?.id ?? null);
      return d;
    },
    onSuccess: (d) => navigate(d?.type ? `/records/${encodeURIComponent(d.type)}` : '/records'),
  });
  const drop = useMutation({
    mutationFn: async (id: string) => {
      if (id === here) await open(null);
      await api.dropDraft(id);
    },
    onSettled: () => queryClient.invalidateQueries(queries.drafts()),
  });
  if (drafts.isPending) return <Working what="Reading your unfinished jobs" />;
  if (drafts.isError) return <Trouble error={drafts.error} onRetry={() => void drafts.refetch()} />;
  const begin = (
    <Button onClick={() => go.mutate(null)} busy={go.isPending && go.variables === null}>
      <Plus className="size-4" aria-hidden="true" /> New job
    </Button>
  );
  return (
    <main className="h-full space-y-5 overflow-auto p-4">
      <section className="space-y-3">
        <div className="flex items-center justify-between gap-4">
          <h1 className="text-base font-semibold">Saved jobs</h1>
          <Link to="/rules" className="text-accent-strong underline underline-offset-2">
            Rules
          </Link>
        </div>
        <SavedJobs />
      </section>
      <div className="flex items-center justify-between gap-4">
        <h2 className="text-base font-semibold">Unfinished jobs</h2>
        {begin}
      </div>
      <Problems error={go.error ?? drop.error} />
      {drafts.data.length === 0 ? (
        <p className="border border-line bg-sheet p-4">
          None. What you begin under Records is kept here by itself, until it is dropped: which records, what to change,
          why.
        </p>
      ) : (
        <Table
          label="Unfinished jobs"
          heads={[
            { label: 'Job' },
            { label: 'Type' },
            { label: 'Last touched' },
            { label: 'What to do', hidden: true },
          ]}
        >
          {drafts.data.map((d) => (
            <tr key={d.id} className="hover:bg-paper">
              <td className={`${tableCell} w-full max-w-0 truncate`}>
                <button
                  type="button"
                  title={d.title}
                  className="max-w-full truncate text-left hover:text-accent hover:underline"
                  onClick={() => go.mutate(d)}
                >
                  {d.title}
                </button>
              </td>
              <td className={tableCell}>{d.typeLabel ?? <span className="text-quiet">none yet</span>}</td>
              <td className={tableCell}>{moment(d.savedAt)}</td>
              <td className={`${tableCell} text-right`}>
                {d.id === here && <span className="mr-3 text-quiet">open in this window</span>}
                <LinkButton aria-label={`Drop: ${d.title}`} onClick={() => drop.mutate(d.id)}>
                  Drop
                </LinkButton>
              </td>
            </tr>
          ))}
        </Table>
      )}
    </main>
  );
}
