import type { JobInputBody, SavedJobBody, SavedJobVersionView, SavedJobView } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { api, queryClient } from '../app/api';
import { Versions } from '../components/Versions';
import { queries } from '../queries';

/** Every version of a saved job, with why, and what changed. */
export default function JobVersions({ job, onClose }: { job: SavedJobView; onClose: () => void }) {
  const bringBack = async (v: SavedJobVersionView): Promise<void> => {
    await api.saveJob({
      name: job.name,
      job: v.job as SavedJobBody['job'],
      inputs: v.inputs as unknown as JobInputBody[],
      why: `Version ${v.version} brought back`,
      version: job.version,
    });
    await queryClient.invalidateQueries(queries.savedJobs());
  };
  return (
    <Versions
      of={job.name}
      versions={useQuery(queries.savedJobVersions(job.name))}
      newest={job.version}
      says="What changed"
      cell={(v) => (
        <>
          <ul>
            {v.changes.map((change) => (
              <li key={change}>{change}</li>
            ))}
          </ul>
          {v.why && <p className="text-quiet">{v.why}</p>}
        </>
      )}
      onBack={job.mayChange ? bringBack : null}
      onClose={onClose}
    />
  );
}
