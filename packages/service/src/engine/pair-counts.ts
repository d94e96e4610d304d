import { mostPairs } from '@tantamos/core';
import type { Pair } from './preview-row';

/** Sums from → to counts over ranges; beyond `mostPairs` different ones a field only says that there are more. */
export class PairCounts {
  private readonly counts = new Map<string, Map<string, Pair>>();
  constructor(fields: readonly string[]) {
    for (const field of fields) this.counts.set(field, new Map());
  }
  add(pair: Pair): void {
    const known = this.counts.get(pair.field)!;
    const key = JSON.stringify([pair.old, pair.new]);
    known.set(key, { ...pair, count: pair.count + (known.get(key)?.count ?? 0) });
  }
  list(): Pair[] {
    return [...this.counts.values()].flatMap((pairs) =>
      [...pairs.values()].sort((a, b) => b.count - a.count).slice(0, mostPairs),
    );
  }
  more(): string[] {
    return [...this.counts].filter(([, pairs]) => pairs.size > mostPairs).map(([field]) => field);
  }
}
