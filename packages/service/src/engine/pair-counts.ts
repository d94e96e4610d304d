import type { Pair } from '../previews/preview-row';
import { mostPairs, type Counted } from './statements/freeze';

/** Of a field with more different pairs than are counted, so many are told, as examples. */
const mostExamples = 20;

/**
 * From → to counts, gathered piece by piece. Of a field that turns out to have more than `mostPairs` different ones only a
 * few go on being counted, as examples: what is told of a pair is how many there are of it, and of the field that it has more.
 */
export class PairCounts {
  private readonly fields = new Map<string, Map<string, Pair>>();
  private readonly examples = new Map<string, Map<string, Pair>>();

  /** What of a field is to be counted in the next piece. */
  counted(part: number, field: string): Counted {
    const examples = this.examples.get(nameOf(part, field));
    return examples ? [...examples.values()] : 'all';
  }

  /**
   * Adds what was found of a field in a piece, of which `asked` was to be counted; of what is counted as an example, nothing but
   * the examples. Two pieces may be counted at the same time: of examples that came up meanwhile, those stay whose number in
   * the other piece is known.
   */
  add(part: number, field: string, found: readonly Pair[], asked: Counted): void {
    const name = nameOf(part, field);
    const examples = this.examples.get(name);
    if (examples && asked === 'all' && found.length > mostPairs) {
      const told = new Set(found.map(pairOf));
      for (const key of examples.keys()) if (!told.has(key)) examples.delete(key);
    }
    const known = examples ?? this.fields.get(name) ?? new Map<string, Pair>();
    for (const pair of found) {
      const key = pairOf(pair);
      const before = known.get(key)?.count ?? (examples ? null : 0);
      if (before !== null) known.set(key, { ...pair, count: pair.count + before });
    }
    if (examples) return;
    this.fields.set(name, known);
    if (known.size <= mostPairs) return;
    // Of what the last piece has told, nothing has been left out in any.
    const whole = greatest(found.map((pair) => known.get(pairOf(pair))!)).slice(0, mostExamples);
    this.examples.set(name, new Map(whole.map((pair) => [pairOf(pair), pair])));
  }

  list(): Pair[] {
    return [...this.fields].flatMap(([name, pairs]) => greatest((this.examples.get(name) ?? pairs).values()));
  }

  /** The fields of which there are more than are listed. */
  more(): string[] {
    return [...this.examples.keys()].map((name) => (JSON.parse(name) as [part: number, field: string])[1]);
  }
}

const nameOf = (part: number, field: string): string => JSON.stringify([part, field]);
const pairOf = ({ old, new: fresh }: Pair): string => JSON.stringify([old, fresh]);

function greatest(pairs: Iterable<Pair>): readonly Pair[] {
  return [...pairs].sort((a, b) => b.count - a.count);
}
