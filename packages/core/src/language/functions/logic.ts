import { join, raw, sql, type Sql } from '../../sql/sql';
import { order, type Value } from '../evaluate/value';
import type { FunctionEntry } from './entry';

const same = (a: Value, b: Value): boolean => a !== null && b !== null && order(a, b) === 0;
const pairs = <T>(all: readonly T[]): [T, T][] =>
  Array.from({ length: Math.floor(all.length / 2) }, (_, i) => [all[2 * i]!, all[2 * i + 1]!]);
const caseOf = (branches: readonly Sql[], otherwise: Sql): Sql =>
  sql`(case ${join(branches, ' ')} else ${otherwise} end)`;

export const logicFunctions: readonly FunctionEntry[] = [
  {
    name: 'IF',
    group: 'Logic',
    source: 'OpenFormula',
    doc: 'One value where the condition holds (of a number: where it is not 0), else the other; blank where no other is given.',
    example: 'IF(hives > 20, price_per_hive, 0) > 40',
    parameters: [
      { name: 'condition', type: 'yes_no', takes: 'number' },
      { name: 'then', type: 'A' },
      { name: 'else', type: 'A', optional: true },
    ],
    result: 'A',
    takesBlanks: true,
    evaluate: ([condition, then, otherwise = null]) => (condition === true ? then! : otherwise),
    sql: ([condition, then, otherwise = raw('null')]) => caseOf([sql`when ${condition!} then ${then!}`], otherwise),
  },
  {
    name: 'IFS',
    group: 'Logic',
    source: 'Tantamos',
    doc: 'The value of the first condition that holds; blank where none does.',
    example: "IFS(hives > 50, 'large', hives > 10, 'medium', TRUE, 'small') = 'large'",
    parameters: [
      { name: 'condition', type: 'yes_no', repeats: true },
      { name: 'value', type: 'A', repeats: true },
    ],
    result: 'A',
    takesBlanks: true,
    evaluate: (all) => pairs(all).find(([condition]) => condition === true)?.[1] ?? null,
    sql: (all) =>
      caseOf(
        pairs(all).map(([condition, v]) => sql`when ${condition} then ${v}`),
        raw('null'),
      ),
  },
  {
    name: 'SWITCH',
    group: 'Logic',
    source: 'Tantamos',
    doc: 'The result beside the first value that is equal; the last one, where it stands alone, for all else.',
    example: "SWITCH(status, 'draft', 1, 'confirmed', 2, 9) = 2",
    parameters: [
      { name: 'of', type: 'A' },
      { name: 'value', type: 'A', repeats: true },
      { name: 'result', type: 'B', repeats: true },
      { name: 'else', type: 'B', optional: true },
    ],
    result: 'B',
    takesBlanks: true,
    evaluate: ([of, ...rest]) => {
      const found = pairs(rest).find(([v]) => same(of!, v));
      return found ? found[1] : rest.length % 2 === 1 ? rest.at(-1)! : null;
    },
    sql: ([of, ...rest]) =>
      caseOf(
        pairs(rest).map(([v, result]) => sql`when ${of!} = ${v} then ${result}`),
        rest.length % 2 === 1 ? rest.at(-1)! : raw('null'),
      ),
  },
  {
    name: 'COALESCE',
    group: 'Logic',
    source: 'SQL',
    doc: 'The first value that is not blank (null).',
    example: "COALESCE(region, 'none') = 'none'",
    parameters: [{ name: 'value', type: 'A', repeats: true }],
    result: 'A',
    takesBlanks: true,
    evaluate: (all) => all.find((v) => v !== null) ?? null,
    sql: (all) => sql`coalesce(${join(all, ', ')})`,
  },
  {
    name: 'ISBLANK',
    group: 'Logic',
    source: 'Tantamos',
    doc: 'Is it null or empty text?',
    example: 'ISBLANK(region)',
    parameters: [{ name: 'value', type: 'A' }],
    result: 'yes_no',
    takesBlanks: true,
    evaluate: ([v]) => v === null || v === '',
    sql: ([v]) => sql`tantamos.is_blank(${v!})`,
  },
];
