import type { RuleBody } from '@tantamos/contract';
import { checkRule, evaluate, type FieldPath, type OwnRule, type Readable } from '@tantamos/core';
import fc from 'fast-check';
import { previewed } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';
import { ruleContext } from './context';

/** A condition in the language, and the same by hand. */
interface Both {
  readonly filter: string;
  readonly sql: string;
}
const same = (text: string): Both => ({ filter: text, sql: text });
const simple: fc.Arbitrary<Both> = fc.oneof(
  fc.constantFrom('draft', 'confirmed', 'placed').map((s) => same(`status = '${s}'`)),
  fc.constantFrom('north', 'south').map((v) => same(`valley <> '${v}'`)),
  fc.integer({ min: 1, max: 120 }).map((n) => same(`hives < ${n}`)),
  fc.constantFrom('region', 'note', 'site').map((f) => same(`${f} IS NOT NULL`)),
  fc.constantFrom('Northern Hills', 'Nowhere').map((r) => same(`region = '${r}'`)),
  fc.constant({ filter: 'owner.active = true', sql: '(select active from staff where id = owner) = true' }),
  fc.constant({ filter: "grower.kind = 'orchard'", sql: "(select kind from growers where id = grower) = 'orchard'" }),
);
const condition = fc.oneof(
  simple,
  fc
    .tuple(simple, simple)
    .map(([a, b]) => ({ filter: `(${a.filter}) OR (${b.filter})`, sql: `(${a.sql}) or (${b.sql})` })),
);
const edit = fc.constantFrom(
  { edit: { kind: 'set', field: 'status', value: 'confirmed' } as const, sql: "'confirmed'" },
  { edit: { kind: 'set', field: 'hives', value: 60 } as const, sql: '60' },
  { edit: { kind: 'clear', field: 'region' } as const, sql: 'null' },
  {
    edit: { kind: 'fill', field: 'region', value: 'Nowhere' } as const,
    sql: "coalesce(nullif(region, ''), 'Nowhere')",
  },
  { edit: { kind: 'set', field: 'owner', value: '29' } as const, sql: '29' },
);
const edits = fc.uniqueArray(edit, { minLength: 1, maxLength: 2, selector: (e) => e.edit.field });

type Row = Readonly<Record<string, string | null>>;

describe('a rule is asked alike by the evaluator, by previews and by the database', () => {
  let w: Workspace;
  const related = new Map<string, Map<string, Row>>();
  beforeAll(async () => {
    w = await openWorkspace();
    // The database's own check says other things of the same records.
    await w.sql.query(`alter table bookings drop constraint bookings_confirmed_has_site`);
    for (const [table, columns] of [
      ['staff', 'active'],
      ['growers', 'kind'],
    ] as const)
      related.set(table, new Map((await rows(`select id, ${columns} from ${table}`)).map((r) => [r.id!, r])));
  });
  afterAll(() => w.close());

  /** As texts, as the database gives them. */
  const rows = async (text: string): Promise<readonly Row[]> => {
    const { rows: found } = await w.sql.query<{ r: Row }>(`select to_jsonb(t) as r from (${text}) t`);
    return found.map(({ r }) =>
      Object.fromEntries(Object.entries(r).map(([k, v]) => [k, v === null ? null : String(v as unknown)])),
    );
  };
  const record = (row: Row): Readable => ({
    read: ({ through, field }: FieldPath) =>
      through.reduce<Row | undefined>((r, step) => related.get(step.type.id)!.get(r?.[step.field.name] ?? ''), row)?.[
        field.name
      ] ?? null,
    children: () => [],
    selected: () => null,
  });
  const breaks = (rule: OwnRule, row: Row, env: Parameters<typeof evaluate>[2]): boolean =>
    evaluate(rule.broken, record(row), env) === true;

  it('on every record', async () => {
    const fields = 'id, status, valley, hives, region, note, site, owner, grower';
    const few = 'id % 61 = 0';
    await fc.assert(
      fc.asyncProperty(fc.option(condition), condition, edits, async (where, holds, changes) => {
        const said: RuleBody = {
          name: 'any',
          type: 'bookings',
          message: 'It is broken.',
          holds: holds.filter,
          isOn: true,
          ...(where ? { where: where.filter } : {}),
        };
        await w.admin.saveRule(said);
        const env = { timeZone: 'UTC', now: 0n };
        const rule = checkRule('any', said, await w.services.catalogs.get(), ruleContext(env));
        const old = await rows(`select ${fields} from bookings where ${few} order by id`);
        const broken = old.filter((r) => breaks(rule, r, env)).length;
        const filter = `breaks_rule('any') AND id % 61 = 0`;
        const found = await w.admin.search('bookings', { filter, limit: 1, count: 'exact' });
        const byHand = await rows(
          `select count(*) as n from bookings where ${few} and (${where?.sql ?? 'true'}) and not coalesce((${holds.sql}), false)`,
        );
        expect([found.numberMatched, Number(byHand[0]!.n)]).toEqual([broken, broken]);

        const sets = Object.fromEntries(changes.map((c) => [c.edit.field, c.sql]));
        const columns = fields.split(', ').map((f) => `${sets[f] ?? f} as ${f}`);
        const fresh = await rows(`select ${columns.join(', ')} from bookings where ${few} order by id`);
        const written = rule.fields.filter((f) => f in sets);
        const stopped = fresh.filter((r, i) => written.some((f) => r[f] !== old[i]![f]) && breaks(rule, r, env));
        const p = await previewed(w.admin, {
          selection: { type: 'bookings', filter: 'id % 61 = 0' },
          edits: changes.map((c) => c.edit),
        });
        expect(p.causes).toEqual(
          stopped.length === 0 ? [] : [expect.objectContaining({ cause: 'It is broken.', count: stopped.length })],
        );
      }),
      { numRuns: 60, seed: Number(process.env.TANTAMOS_SEED ?? 1) },
    );
  });
});
