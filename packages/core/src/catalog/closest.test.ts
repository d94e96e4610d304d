import fc from 'fast-check';
import { closest } from './closest';

/** Optimal string alignment as it stands in textbooks: the whole table. */
function slips(a: string, b: string): number {
  const d = Array.from({ length: a.length + 1 }, (_, i) =>
    Array.from({ length: b.length + 1 }, (_, j) => (i ? (j ? 0 : i) : j)),
  );
  for (let i = 1; i <= a.length; i++)
    for (let j = 1; j <= b.length; j++) {
      const cost = a[i - 1] === b[j - 1] ? 0 : 1;
      d[i]![j] = Math.min(d[i - 1]![j]! + 1, d[i]![j - 1]! + 1, d[i - 1]![j - 1]! + cost);
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1])
        d[i]![j] = Math.min(d[i]![j]!, d[i - 2]![j - 2]! + 1);
    }
  return d[a.length]![b.length]!;
}

describe('the nearest names', () => {
  it.each([
    ['statuss', ['status', 'state', 'site'], ['status']],
    ['own', ['owner', 'region'], ['owner']],
    ['gorwer', ['grower', 'crop'], ['grower']],
    ['zzz', ['owner', 'region'], []],
    ['', ['a'], ['a']],
    ['x'.repeat(101), ['x'.repeat(101)], []],
  ])('of %s', (typed, candidates, near) => expect(closest(typed, candidates)).toEqual(near));

  it('are those that the whole table finds, though only a part of it is worked out', () => {
    const word = fc.string({ unit: fc.constantFrom('a', 'b', 'c', 'd'), minLength: 1, maxLength: 14 });
    fc.assert(
      fc.property(word, fc.array(word, { maxLength: 8 }), (typed, candidates) => {
        const expected = [...new Set(candidates)].filter(
          (c) => slips(typed, c) <= Math.max(1, Math.floor(c.length / 3)),
        );
        const found = new Set(closest(typed, candidates, 100));
        for (const one of expected) if (!found.has(one)) throw new Error(`${one} is near ${typed}`);
        // Beyond slips only what begins so, or holds it, is near.
        for (const one of found)
          if (!expected.includes(one) && !one.includes(typed) && !typed.startsWith(one))
            throw new Error(`${one}: ${typed}`);
      }),
      { numRuns: 2000, seed: jest.getSeed() },
    );
  });
});
