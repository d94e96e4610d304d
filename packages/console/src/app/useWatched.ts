import { AnswerError } from '@tantamos/client';
import { useQuery, useQueryClient, type UseQueryOptions } from '@tanstack/react-query';
import { useEffect } from 'react';
import { failed, useConnection } from './connection';

const waitAfterBreak = 1000;

/** A thing that changes by itself: read once, then followed by its events until it rests. */
export function useWatched<T>(
  options: { readonly queryKey: readonly unknown[]; readonly queryFn?: unknown },
  watch: (signal: AbortSignal) => AsyncIterable<T>,
  rests: (thing: T) => boolean,
) {
  const client = useQueryClient();
  const { returns } = useConnection();
  const { queryKey } = options;
  const query = useQuery(options as UseQueryOptions<T>);
  const follow = query.data !== undefined && !rests(query.data);
  const key = JSON.stringify(queryKey);
  useEffect(() => {
    if (!follow) return;
    const away = new AbortController();
    const listen = async (): Promise<void> => {
      while (!away.signal.aborted) {
        try {
          for await (const thing of watch(away.signal)) client.setQueryData(JSON.parse(key) as unknown[], thing);
        } catch (error) {
          failed(error);
          if (error instanceof AnswerError && error.code !== 'unavailable')
            return void client.invalidateQueries({ queryKey: JSON.parse(key) as unknown[] });
        }
        // The service may have been started again: it continues by itself, and so does the page.
        await new Promise((resolve) => setTimeout(resolve, waitAfterBreak));
      }
    };
    void listen();
    return () => away.abort();
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `watch` is made anew at each render, `key` says what it watches
  }, [follow, key, client, returns]);
  return query;
}
