import type { SelectionParts } from '@tantamos/contract';
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query';
import { useCallback, useMemo } from 'react';
import { api } from '../app/api';

/** The records of a selection, a page at a time. */
export function useFound(type: string, parts: SelectionParts, columns: readonly string[], sort: readonly string[]) {
  const found = useInfiniteQuery({
    queryKey: ['find', type, JSON.stringify(parts), sort.join(), columns.join()],
    queryFn: ({ pageParam, signal }) =>
      api.find(
        type,
        {
          ...parts,
          columns: [...columns],
          sort: sort.length > 0 ? [...sort] : undefined,
          limit: 100,
          after: pageParam,
        },
        signal,
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const records = useMemo(() => found.data?.pages.flatMap((p) => p.records) ?? [], [found.data]);
  const { fetchNextPage, isFetchingNextPage } = found;
  const onMore = useCallback(() => void (isFetchingNextPage || fetchNextPage()), [fetchNextPage, isFetchingNextPage]);
  return { found, records, onMore };
}
