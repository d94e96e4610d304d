import type { SavedJobBody, SavedJobsFileBody, SavedJobView } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { useNavigate, useSearchParams } from 'react-router';
import { api, queryClient } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { FileMove } from '../components/FileMove';
import { moment } from '../components/format';
import { Problems } from '../components/Problems';
import { Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import { everything, partsFrom } from '../job/draft';
import { useDraft } from '../job/DraftKeeper';
import { wholeFrom } from '../job/whole';
import { queries } from '../queries';

const UseJob = lazy(() => import('./UseJob'));
const JobVersions = lazy(() => import('./JobVersions'));
const heads = ['Job', 'Folder', 'Asks for', 'Last used', 'What to do'].map((label) => ({
  label,
  hidden: label === 'What to do',
}));

/** Jobs under names: used again, with what they ask for. */
export function SavedJobs() {
  const saved = useQuery(queries.savedJobs());
  // The job that is used stands in the address: it can be linked to.
  const [asked, setAsked] = useSearchParams();
  const use = saved.data?.find((j) => j.name === asked.get('use')) ?? null;
  const setUse = (job: SavedJobView | null): void => setAsked(job ? { use: job.name } : {}, { replace: true });
  const [versions, setVersions] = useState<SavedJobView | null>(null);
  if (saved.isPending) return <Working what="Reading the saved jobs" />;
  if (saved.isError) return <Trouble error={saved.error} onRetry={() => void saved.refetch()} />;
  return (
    <>
      {saved.data.length === 0 ? (
        <p className="border border-line bg-sheet p-4">
          None yet. Compose a job under Records, then <b className="font-medium">Save…</b> keeps it under a name: which
          records, what to change, and what is to be asked for each time.
        </p>
      ) : (
        <Table label="Saved jobs" heads={heads}>
          {saved.data.map((job) => (
            <Line key={job.id} job={job} onUse={() => setUse(job)} onVersions={() => setVersions(job)} />
          ))}
        </Table>
      )}
      <div className="max-w-xl">
        <FileMove<SavedJobsFileBody>
          href="/api/saved-jobs-file"
          onTake={async (file, taken, names) => {
            const saved = await api.importJobs({ file, taken, names });
            await jobsChanged();
            return saved.map((j) => j.name);
          }}
        />
      </div>
      <Suspense>
        {use && <UseJob job={use} onClose={() => setUse(null)} />}
        {versions && <JobVersions job={versions} onClose={() => setVersions(null)} />}
      </Suspense>
    </>
  );
}

function Line({ job, onUse, onVersions }: { job: SavedJobView; onUse: () => void; onVersions: () => void }) {
  const open = useOpened();
  const [dropping, setDropping] = useState(false);
  const drop = useMutation({ mutationFn: () => api.dropSavedJob(job.name), onSettled: jobsChanged });
  const shared = job.open
    ? 'open to all'
    : job.people.length > 0
      ? `shared with ${job.people.join(', ')}`
      : 'only mine';
  return (
    <tr className="hover:bg-paper">
      <td className={`${tableCell} w-full max-w-0`}>
        <p className="truncate">
          <b className="font-medium">{job.name}</b>{' '}
          <span className="text-quiet">
            {job.mine ? shared : `by ${job.owner}`}
            {job.note ? `: ${job.note}` : ''}
          </span>
        </p>
        <p className="truncate pb-1 text-xs text-quiet" title={job.sentence}>
          {job.sentence}
        </p>
        {job.trouble !== null && <p className="pb-1 whitespace-normal text-trouble">Needs a look: {job.trouble}</p>}
        <Problems error={drop.error} />
      </td>
      <td className={tableCell}>{job.folder ?? <span className="text-quiet">none</span>}</td>
      <td className={tableCell}>
        {job.inputs.map((i) => i.name).join(', ') || <span className="text-quiet">nothing</span>}
      </td>
      <td className={tableCell}>
        {job.usedAt === null ? (
          <span className="text-quiet">never</span>
        ) : (
          <span title={`by ${job.usedBy ?? 'somebody'}`}>{moment(job.usedAt)}</span>
        )}
      </td>
      <td className={`${tableCell} space-x-3 text-right`}>
        <Button disabled={job.trouble !== null} aria-label={`Use ${job.name}`} onClick={onUse}>
          Use…
        </Button>
        <LinkButton aria-label={`Open ${job.name} as a new job`} onClick={() => void open(job)}>
          Open
        </LinkButton>
        <LinkButton aria-label={`Versions of ${job.name}`} onClick={onVersions}>
          Versions
        </LinkButton>
        {job.mayChange &&
          (dropping ? (
            <Button
              grave
              autoFocus
              busy={drop.isPending}
              onClick={() => drop.mutate()}
              onBlur={() => setDropping(false)}
            >
              Delete it and its versions
            </Button>
          ) : (
            <LinkButton aria-label={`Delete ${job.name}`} onClick={() => setDropping(true)}>
              Delete
            </LinkButton>
          ))}
      </td>
    </tr>
  );
}

/** Opens what a saved job says as an unfinished one of its own, with its columns and order. */
function useOpened() {
  const navigate = useNavigate();
  const { draft, open, change } = useDraft();
  return async ({ job, look, type }: SavedJobView): Promise<void> => {
    await open(null);
    const { edits, why = '', writeAgain = false, safety = {}, selection } = job as SavedJobBody['job'];
    change({
      ...everything,
      ...partsFrom(selection as Parameters<typeof partsFrom>[0]),
      type,
      edits: edits,
      ...wholeFrom(job as SavedJobBody['job']),
      why,
      writeAgain,
      safety,
      panel: true,
      views: { ...draft.views, ...(look.columns || look.sort ? { [type]: { ...draft.views[type], ...look } } : {}) },
    });
    await navigate(`/records/${encodeURIComponent(type)}`);
  };
}

const jobsChanged = (): Promise<void> => queryClient.invalidateQueries(queries.savedJobs());
