import fc from 'fast-check';
import type { Pair } from '../previews/preview-row';
import { done, previewed } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';
import { PairCounts } from './pair-counts';
import { mostPairs } from './statements/freeze';

/** What a statement tells of one piece, whose pairs are all from nothing to a value. */
function told(piece: readonly number[], counts: PairCounts): Pair[] {
  const counted = counts.counted(0, 'note');
  const all = new Map<string, number>();
  for (const n of piece) all.set(String(n), (all.get(String(n)) ?? 0) + 1);
  return [...all]
    .map(([fresh, count]) => ({ part: 0, field: 'note', old: null, new: fresh, count }))
    .filter((pair) => counted === 'all' || counted.some((c) => c.new === pair.new))
    .sort((a, b) => b.count - a.count)
    .slice(0, counted === 'all' ? mostPairs + 1 : undefined);
}

describe('from → to counts', () => {
  it('are right for every pair that is told, however the records are cut; all are told of a field with few', () => {
    const piece = fc.array(fc.integer({ min: 0, max: 260 }), { maxLength: 900 });
    fc.assert(
      fc.property(fc.array(piece, { minLength: 1, maxLength: 6 }), (pieces) => {
        const counts = new PairCounts();
        for (const one of pieces) counts.add(0, 'note', told(one, counts));
        const truth = new Map<string, number>();
        for (const n of pieces.flat()) truth.set(String(n), (truth.get(String(n)) ?? 0) + 1);
        for (const pair of counts.list()) expect([pair.new, pair.count]).toEqual([pair.new, truth.get(pair.new!)]);
        const isMore = counts.more().length > 0;
        expect(isMore).toBe(truth.size > mostPairs);
        if (!isMore) expect(counts.list()).toHaveLength(truth.size);
        else expect(counts.list().length).toBeGreaterThan(0);
      }),
      { numRuns: 60 },
    );
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
