import type { JobBody } from '@tantamos/contract';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { api } from '../app/api';
import { useSettled } from '../components/useSettled';

/** What the job being composed would do: exact counts, and old and new values of the records in sight. */
export function useSample(job: JobBody, keys: readonly string[], enabled: boolean) {
  const asked = useSettled(JSON.stringify({ job: { selection: job.selection, edits: job.edits }, keys }), 250);
  return useQuery({
    queryKey: ['sample', asked],
    queryFn: ({ signal }) => api.sample(JSON.parse(asked), signal),
    enabled,
    placeholderData: keepPreviousData,
    retry: false,
  });
}
