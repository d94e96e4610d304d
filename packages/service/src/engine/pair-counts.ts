import type { Pair } from '../previews/preview-row';
import { mostPairs } from './statements/freeze';

/** Sums from → to counts over ranges; beyond `mostPairs` different ones a field only says that there are more. */
export class PairCounts {
  private readonly counts = new Map<string, Map<string, Pair>>();
  add(pair: Pair): void {
    const field = JSON.stringify([pair.part, pair.field]);
    const known = this.counts.get(field) ?? new Map<string, Pair>();
    this.counts.set(field, known);
    const key = JSON.stringify([pair.old, pair.new]);
    known.set(key, { ...pair, count: pair.count + (known.get(key)?.count ?? 0) });
  }
  list(): Pair[] {
    return [...this.counts.values()].flatMap((pairs) =>
      [...pairs.values()].sort((a, b) => b.count - a.count).slice(0, mostPairs),
    );
  }
  more(): string[] {
    return [...this.counts]
      .filter(([, pairs]) => pairs.size > mostPairs)
      .map(([, pairs]) => [...pairs.values()][0]!.field);
  }
}
