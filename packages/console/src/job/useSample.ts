import type { JobBody } from '@tantamos/contract';
import { keepPreviousData, useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import { api } from '../app/api';

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

/** A value once it has not changed for `ms`. */
function useSettled<T>(value: T, ms: number): T {
  const [settled, setSettled] = useState(value);
  useEffect(() => {
    const timer = setTimeout(() => setSettled(value), ms);
    return () => clearTimeout(timer);
  }, [value, ms]);
  return settled;
}
