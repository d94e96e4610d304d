import type { FoundRecord, Value } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import { useSettled } from '../components/useSettled';
import { queries } from '../queries';

/** How often records in sight are looked at anew, in ms. */
const every = 10_000;

/** By key and column: what others have made of cells since they were loaded. They are marked; nothing jumps. */
export type Meanwhile = ReadonlyMap<string, ReadonlyMap<string, Value>>;

export function useMeanwhile(
  type: string,
  columns: readonly string[],
  records: readonly FoundRecord[],
  sight: readonly string[],
  /** When they were loaded, in ms since 1970: what was looked at before that tells nothing of them. */
  loadedAt: number,
): Meanwhile {
  const keys = useSettled(sight, 1000);
  const { data: present, dataUpdatedAt: seenAt } = useQuery({
    ...queries.present(type, columns, keys),
    enabled: keys.length > 0,
    refetchInterval: every,
    refetchOnWindowFocus: true,
  });
  return useMemo(() => {
    const found = new Map<string, Map<string, Value>>();
    if (!present || seenAt < loadedAt) return found;
    const now = new Map(present.records.map((r) => [r.key, r.values]));
    for (const { key, values } of records) {
      const fresh = key === null ? undefined : now.get(key);
      if (!fresh) continue;
      present.columns.forEach((column, i) => {
        const [loaded, theirs] = [values[i], fresh[i]];
        if (!loaded || !theirs || loaded.value === theirs.value) return;
        const of = found.get(key!) ?? new Map<string, Value>();
        found.set(key!, of.set(column.name, theirs));
      });
    }
    return found;
  }, [present, records, seenAt, loadedAt]);
}
