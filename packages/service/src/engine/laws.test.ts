import type { JobBody } from '@tantamos/contract';
import { outcomes } from '@tantamos/core';
import fc from 'fast-check';
import { previewed, ran } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** A condition in the language, and the same by hand. */
interface Both {
  readonly filter: string;
  readonly sql: string;
}
const same = (text: string): Both => ({ filter: text, sql: text });
const simple: fc.Arbitrary<Both> = fc.oneof(
  fc.constantFrom('draft', 'confirmed', 'placed').map((s) => same(`status = '${s}'`)),
  fc.constantFrom('north', 'south', 'high').map((v) => same(`valley <> '${v}'`)),
  fc.integer({ min: 1, max: 120 }).map((n) => same(`hives < ${n}`)),
  fc
    .tuple(fc.integer({ min: 1, max: 60 }), fc.integer({ min: 20, max: 120 }))
    .map(([a, b]) => same(`hives BETWEEN ${a} AND ${b}`)),
  fc.constantFrom('region', 'note', 'site').map((f) => same(`${f} IS NULL`)),
  fc
    .integer({ min: 1, max: 30 })
    .map((n) => ({ filter: `owner.lead = ${n}`, sql: `(select lead from staff where id = owner) = ${n}` })),
  fc.constant({ filter: "grower.kind = 'orchard'", sql: "(select kind from growers where id = grower) = 'orchard'" }),
  fc.constant({ filter: "owner = 'Tobias Fenwick'", sql: 'owner = 2' }),
  fc.constant(same('wants_water')),
);
const condition: fc.Arbitrary<Both> = fc.letrec<{ tree: Both }>((tie) => ({
  tree: fc.oneof(
    { depthSize: 'small' },
    simple,
    tie('tree').map((t) => ({ filter: `NOT (${t.filter})`, sql: `not (${t.sql})` })),
    fc
      .tuple(fc.constantFrom('AND', 'OR'), tie('tree'), tie('tree'))
      .map(([op, a, b]) => ({ filter: `(${a.filter}) ${op} (${b.filter})`, sql: `(${a.sql}) ${op} (${b.sql})` })),
  ),
})).tree;

/** Edits, and what each makes of its field by hand. */
const edits: fc.Arbitrary<{ edits: JobBody['edits']; sets: Record<string, string> }> = fc
  .uniqueArray(
    fc.constantFrom(
      { edit: { kind: 'set', field: 'note', value: 'o\'clock \\ "x"' } as const, sql: `'o''clock \\ "x"'` },
      { edit: { kind: 'fill', field: 'note', value: 'filled' } as const, sql: `coalesce(nullif(note, ''), 'filled')` },
      {
        edit: { kind: 'fill', field: 'region', value: 'Nowhere' } as const,
        sql: `coalesce(nullif(region, ''), 'Nowhere')`,
      },
      { edit: { kind: 'set', field: 'hives', value: 7 } as const, sql: '7' },
      { edit: { kind: 'set', field: 'price_per_hive', value: '19.9' } as const, sql: '19.90' },
      { edit: { kind: 'set', field: 'start_on', value: '2026-05-01' } as const, sql: `date '2026-05-01'` },
      { edit: { kind: 'set', field: 'wants_water', value: true } as const, sql: 'true' },
      { edit: { kind: 'set', field: 'status', value: 'Confirmed' } as const, sql: `'confirmed'` },
      { edit: { kind: 'set', field: 'owner', value: 'Ines Calloway' } as const, sql: '1' },
      { edit: { kind: 'fill', field: 'site', value: 12 } as const, sql: 'coalesce(site, 12)' },
    ),
    { minLength: 1, maxLength: 3, selector: (e) => e.edit.field },
  )
  .map((list) => ({
    edits: list.map((e) => e.edit),
    sets: Object.fromEntries(list.map((e) => [e.edit.field, e.sql])),
  }));

describe('laws, whatever the job', () => {
  let w: Workspace;
  beforeAll(async () => {
    w = await openWorkspace();
    // Few enough records that many jobs can be tried; every situation of the whole is still among them.
    // Without its checks of references: looking for each booking's children would take a minute.
    await w.sql.query(
      `begin; set local session_replication_role = replica;
       truncate tasks, remarks, placements, inspections, invoices; delete from bookings where id % 23 <> 0; commit`,
    );
  });
  afterAll(() => w.close());

  const fields = 'note, region, hives, price_per_hive, start_on, wants_water, status, owner, site, total';
  const state = async () => (await w.sql.query(`select id, ${fields} from bookings order by id`)).rows;
  /** What the job should leave, worked out by hand: rows that would break a rule stay as they are. */
  const byHand = async (sql: string, sets: Record<string, string>) => {
    const at = (f: string): string => sets[f] ?? `b.${f}`;
    const allowed = `${at('hives')} > 0 and b.end_on >= ${at('start_on')} and (${at('status')} <> 'confirmed' or ${at('site')} is not null)`;
    const columns = fields.split(', ').map((f) => {
      if (f === 'total')
        return `(case when ok then ${at('hives')} else hives end * case when ok then ${at('price_per_hive')} else price_per_hive end)::numeric(12,2) as total`;
      return `${sets[f] ? `case when ok then ${sets[f]} else ${f} end` : f} as ${f}`;
    });
    return (
      await w.sql.query(
        `select id, ${columns.join(', ')} from (select b.*, coalesce((${sql}) and ${allowed}, false) as ok from bookings b) b order by id`,
      )
    ).rows;
  };

  it('a run leaves what the same by hand leaves, its outcomes add up, and undoing it leaves nothing', async () => {
    await fc.assert(
      fc.asyncProperty(
        condition,
        edits,
        fc.constantFrom(1, 7, 50, 1000),
        fc.constantFrom(1, 2),
        async (where, change, batchSize, atOnce) => {
          const before = await state();
          const expected = await byHand(where.sql, change.sets);
          const matched = (await w.sql.query(`select count(*)::int as n from bookings where ${where.sql}`)).rows[0]
            .n as number;
          const size = matched > 200 ? Math.max(batchSize, 50) : batchSize;
          const p = await previewed(w.admin, {
            selection: { type: 'bookings', filter: where.filter },
            edits: change.edits,
            safety: { batchSize: size, atOnce, pace: 100 },
          });
          expect(p.totals.matched).toBe(matched);
          expect(p.sentence.length).toBeGreaterThan(20);
          const differ = expected.filter((row, i) => JSON.stringify(row) !== JSON.stringify(before[i])).length;
          expect(p.totals.will_change).toBe(differ);
          if (differ === 0) return;
          const run = await ran(w.admin, p.id, { askAfter: null, expect: differ });
          expect(run.state).toBe('finished');
          expect(outcomes.reduce((sum, o) => sum + run.totals[o], 0)).toBe(matched);
          expect(run.totals.changed).toBe(differ);
          expect(await state()).toEqual(expected);
          const undone = await ran(w.admin, (await w.admin.undoRun(run.id, {})).id, { expect: differ });
          expect(undone.totals.changed).toBe(differ);
          expect(await state()).toEqual(before);
        },
      ),
      { numRuns: 12, seed: jest.getSeed() },
    );
  });
});
