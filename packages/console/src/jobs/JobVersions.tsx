import type { JobInputBody, SavedJobBody, SavedJobVersionView, SavedJobView } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { api, queryClient } from '../app/api';
import { LinkButton } from '../components/Button';
import { moment } from '../components/format';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import { queries } from '../queries';

const heads = ['Version', 'Saved', 'By', 'What changed', 'What to do'].map((label) => ({
  label,
  hidden: label === 'What to do',
}));

/** Every version of a saved job: who, when, why and what changed; each can be brought back. */
export default function JobVersions({ job, onClose }: { job: SavedJobView; onClose: () => void }) {
  const versions = useQuery(queries.savedJobVersions(job.name));
  const back = useMutation({
    mutationFn: (v: SavedJobVersionView) =>
      api.saveJob({
        name: job.name,
        job: v.job as SavedJobBody['job'],
        inputs: v.inputs as unknown as JobInputBody[],
        why: `Version ${v.version} brought back`,
        version: job.version,
      }),
    onSuccess: () => {
      void queryClient.invalidateQueries(queries.savedJobs());
      onClose();
    },
  });
  return (
    <Sheet open onClose={onClose} title={`Versions of “${job.name}”`}>
      <div className="space-y-3 overflow-auto p-4">
        <Problems error={back.error} />
        {versions.isPending ? (
          <Working what="Reading the versions" />
        ) : versions.isError ? (
          <Trouble error={versions.error} />
        ) : (
          <Table label="Versions" heads={heads}>
            {versions.data.map((v) => (
              <tr key={v.version}>
                <td className={tableCell}>{v.version}</td>
                <td className={tableCell}>{moment(v.changedAt)}</td>
                <td className={tableCell}>{v.changedBy}</td>
                <td className={`${tableCell} w-full max-w-0 truncate`} title={`${v.changes.join('; ')}. ${v.sentence}`}>
                  {v.changes.join('; ')}
                  {v.why && <span className="text-quiet"> – {v.why}</span>}
                </td>
                <td className={`${tableCell} text-right`}>
                  {job.mayChange && v.version !== job.version && (
                    <LinkButton aria-label={`Bring back version ${v.version}`} onClick={() => back.mutate(v)}>
                      Bring back
                    </LinkButton>
                  )}
                </td>
              </tr>
            ))}
          </Table>
        )}
      </div>
    </Sheet>
  );
}
