import type { JobBody, SampleView } from '@tantamos/contract';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { api } from '../app/api';
import { useSettled } from '../components/useSettled';

export interface Sample {
  readonly view: SampleView | undefined;
  /** False while the counts are those of a job as it was a moment ago. */
  readonly current: boolean;
  readonly error: unknown;
}

/**
 * What the job being composed would do: exact counts, and old and new values of the records in sight. The counts are of
 * the job alone: other records coming into sight make them no older.
 */
export function useSample(job: JobBody, keys: readonly string[], enabled: boolean): Sample {
  const now = JSON.stringify({ selection: job.selection, edits: job.edits });
  const asked = useSettled(JSON.stringify({ job: now, keys }), 250);
  const found = useQuery({
    queryKey: ['sample', asked],
    queryFn: async ({ signal }) => {
      const { job: text, keys: inSight } = JSON.parse(asked) as { job: string; keys: string[] };
      return { of: text, view: await api.sample({ job: JSON.parse(text) as JobBody, keys: inSight }, signal) };
    },
    enabled,
    placeholderData: keepPreviousData,
    retry: false,
  });
  return { view: found.data?.view, current: found.data?.of === now, error: found.error };
}
