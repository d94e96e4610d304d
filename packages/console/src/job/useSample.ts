import type { JobBody, SampleView } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { useSettled } from '../components/useSettled';
import { queries } from '../queries';

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
  const { selection, edits, act, also, then } = job;
  const now = JSON.stringify({ selection, edits, act, also, then });
  const asked = useSettled(JSON.stringify({ job: now, keys }), 250);
  const found = useQuery({ ...queries.sample(asked), enabled });
  return { view: found.data?.view, current: found.data?.of === now, error: found.error };
}
