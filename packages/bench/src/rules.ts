import type { Client } from 'pg';
import type { RuleBody } from '@tantamos/contract';
import type { Service } from './service';
import { makeTable } from './tables';
import { inTurn } from './turns';

export interface RuleFigure {
  readonly rule: string;
  readonly broken: number;
  /** Medians in ms, and how many times the second. */
  readonly ms: number;
  readonly handMs: number;
  readonly ratio: number;
}

const table = 'orders_rules';
const rules: readonly { said: Pick<RuleBody, 'where' | 'holds' | 'choices'>; hand: string }[] = [
  {
    said: { where: "status = 'open'", holds: 'amount >= 500' },
    hand: "status = 'open' and not coalesce(amount >= 500, false)",
  },
  {
    said: { holds: "status <> 'paid' OR region IS NOT NULL" },
    hand: "not coalesce(status <> 'paid' or region is not null, false)",
  },
  {
    said: { where: "note LIKE 'note 9%'", holds: "region = 'north'" },
    hand: "note like 'note 9%' and not coalesce(region = 'north', false)",
  },
];

/** Counting who breaks a rule, beside the same count by hand, in turn; both must find as many. */
export async function ruleFigures(
  db: Client,
  { client }: Service,
  rows: number,
  say: (text: string) => void,
): Promise<RuleFigure[]> {
  say(`making ${table} …`);
  await makeTable(db, table, rows);
  const figures: RuleFigure[] = [];
  for (const [i, { said, hand }] of rules.entries()) {
    const name = `rule ${i + 1}`;
    say(`${name} …`);
    await client.saveRule({ name, type: table, message: 'It is broken.', ...said });
    const count = `select count(*)::int as n from ${table} where ${hand}`;
    const [ms, handMs] = await inTurn(
      () => client.countRule(name),
      () => db.query(count),
    );
    const { broken } = await client.countRule(name);
    const byHand = (await db.query<{ n: number }>(count)).rows[0]!.n;
    if (broken !== byHand) throw new Error(`${name}: ${broken} break it, by hand ${byHand}.`);
    const rule = [said.where && `where ${said.where},`, said.holds].filter(Boolean).join(' ');
    figures.push({ rule, broken: byHand, ms, handMs, ratio: ms / handMs });
  }
  return figures;
}
