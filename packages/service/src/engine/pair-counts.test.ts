import fc from 'fast-check';
import type { Pair } from '../previews/preview-row';
import { done, previewed } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';
import { PairCounts } from './pair-counts';
import { mostPairs, type Counted } from './statements/freeze';

type Change = readonly [old: string | null, fresh: string | null];

/** What a statement tells of one piece: of examples, whatever has an old and a new value of theirs or none. */
function told(piece: readonly Change[], counted: Counted): Pair[] {
  const all = new Map<string, Pair>();
  for (const [old, fresh] of piece) {
    const key = JSON.stringify([old, fresh]);
    all.set(key, { part: 0, field: 'note', old, new: fresh, count: 1 + (all.get(key)?.count ?? 0) });
  }
  return [...all.values()]
    .filter((p) => p.old !== p.new)
    .filter((p) =>
      (['old', 'new'] as const).every(
        (of) => counted === 'all' || p[of] === null || counted.some((c) => c[of] === p[of]),
      ),
    )
    .sort((a, b) => b.count - a.count)
    .slice(0, counted === 'all' ? mostPairs + 1 : undefined);
}

describe('from → to counts', () => {
  it.each([
    ['one after another', 0],
    ['two at a time', 1],
  ])('are right for every pair that is told, pieces counted %s; all are told of a field with few', (_, behind) => {
    const some = fc.option(fc.integer({ min: 0, max: 17 }).map(String));
    const piece = fc.array(fc.tuple(some, some), { maxLength: 900, size: 'max' });
    let withMore = 0;
    fc.assert(
      fc.property(fc.array(piece, { minLength: 1, maxLength: 6 }), (pieces) => {
        const counts = new PairCounts();
        let examples = 0;
        const asked: Counted[] = [];
        const ask = (): number => asked.push(counts.counted(0, 'note'));
        // The first is counted alone.
        for (const [i, one] of pieces.entries()) {
          while (asked.length < Math.min(pieces.length, i === 0 ? 1 : i + 1 + behind)) ask();
          const wasMore = counts.more().length > 0;
          const pairs = told(one, asked[i]!);
          counts.add(0, 'note', pairs, asked[i]!);
          // As examples serve what the piece that was too many told, twenty of it at most.
          if (!wasMore && counts.more().length > 0) examples = Math.min(20, pairs.length);
        }
        const truth = new Map<string, number>();
        for (const [old, fresh] of pieces.flat())
          if (old !== fresh)
            truth.set(JSON.stringify([old, fresh]), (truth.get(JSON.stringify([old, fresh])) ?? 0) + 1);
        for (const { old, new: fresh, count } of counts.list())
          expect([old, fresh, count]).toEqual([old, fresh, truth.get(JSON.stringify([old, fresh]))]);
        const isMore = counts.more().length > 0;
        expect(isMore).toBe(truth.size > mostPairs);
        if (isMore) withMore++;
        else expect(counts.list()).toHaveLength(truth.size);
        if (isMore && behind === 0) expect(counts.list()).toHaveLength(examples);
        if (isMore) expect(counts.list().length).toBeLessThanOrEqual(examples);
      }),
      { numRuns: 60, endOnFailure: true },
    );
    expect(withMore).toBeGreaterThan(5);
  });

  describe('of more records than one statement looks at', () => {
    let w: Workspace;
    beforeAll(async () => {
      w = await openWorkspace();
      await w.sql.query(`create table heaps (id int primary key, kind int not null, shade text, code text);
        insert into heaps select n, n % 250, null, null from generate_series(1, 101000) n; analyze heaps`);
    });
    afterAll(() => w.close());

    it('tell of some of many pairs how many there are of each, and give every record its place', async () => {
      const job = {
        selection: { type: 'heaps' },
        edits: [
          { kind: 'compute', field: 'shade', formula: "CONCATENATE('shade ', TEXT(kind))" },
          { kind: 'number', field: 'code', prefix: 'H-', width: 6, order: ['-id'] },
        ] as const,
        safety: { batchSize: 700 },
      };
      const preview = await previewed(w.admin, job);
      expect(preview.totals).toMatchObject({ will_change: 101000 });
      const pairs = preview.pairs.filter((p) => p.field === 'shade');
      expect(pairs.length).toBeGreaterThan(4);
      expect(pairs.map((p) => p.count)).toEqual(pairs.map(() => 404));
      expect(preview.morePairs).toEqual(['shade', 'code']);
      await done(w.admin, job);
      const { rows } = await w.sql.query(`select count(*)::int as wrong from heaps
        where shade is distinct from 'shade ' || kind or code is distinct from 'H-' || lpad((101001 - id)::text, 6, '0')`);
      expect(rows).toEqual([{ wrong: 0 }]);
    });
  });
});
