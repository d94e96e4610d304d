import type { SelectionParts } from '@tantamos/contract';
import { useInfiniteQuery } from '@tanstack/react-query';
import { useCallback, useMemo } from 'react';
import { queries } from '../queries';

/** The records of a selection, a page at a time. */
export function useFound(type: string, parts: SelectionParts, columns: readonly string[], sort: readonly string[]) {
  const found = useInfiniteQuery(queries.found(type, parts, columns, sort));
  const records = useMemo(() => found.data?.pages.flatMap((p) => p.records) ?? [], [found.data]);
  const { fetchNextPage, isFetchingNextPage } = found;
  const onMore = useCallback(() => void (isFetchingNextPage || fetchNextPage()), [fetchNextPage, isFetchingNextPage]);
  return { found, records, onMore };
}
