import type { SelectionParts } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { api } from '../app/api';

/** How each part of the selection narrows it, in one call. */
export function useExplained(type: string, parts: SelectionParts, near: boolean) {
  return useQuery({
    queryKey: ['explain', type, JSON.stringify(parts), near],
    queryFn: ({ signal }) => api.explain(type, { ...parts, near }, signal),
    retry: false,
  });
}
