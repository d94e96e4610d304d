import { join, raw, sql, type Sql } from '../../sql/sql';
import { order, type Value } from '../evaluate/value';
import { alike, yesNo, type Term } from '../term';
import type { FunctionEntry } from './entry';

const same = (a: Value, b: Value): boolean => a !== null && b !== null && order(a, b) === 0;
const pairs = <T>(all: readonly T[]): [T, T][] =>
  Array.from({ length: Math.floor(all.length / 2) }, (_, i) => [all[2 * i]!, all[2 * i + 1]!]);

/** `case … end`: the value beside the first condition that holds, else the last one. */
function choose(of: Sql | null, conditions: readonly Sql[], values: readonly Term[], otherwise?: Term): Term {
  const all = alike(otherwise ? [...values, otherwise] : values);
  const branches = conditions.map((condition, i) => sql`when ${condition} then ${all.sqls[i]!}`);
  const last = otherwise ? all.sqls.at(-1)! : raw('null');
  return all.as(sql`(case ${of ? sql`${of} ` : raw('')}${join(branches, ' ')} else ${last} end)`);
}

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
    sql: ([condition, then, otherwise]) => choose(null, [condition!.sql], [then!], otherwise),
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
      choose(
        null,
        pairs(all).map(([condition]) => condition.sql),
        pairs(all).map(([, v]) => v),
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
    sql: ([of, ...rest]) => {
      const { sqls } = alike([of!, ...pairs(rest).map(([v]) => v)]);
      const results = pairs(rest).map(([, result]) => result);
      return choose(sqls[0]!, sqls.slice(1), results, rest.length % 2 === 1 ? rest.at(-1) : undefined);
    },
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
    sql: (all) => {
      const { sqls, as } = alike(all);
      return as(sql`coalesce(${join(sqls, ', ')})`);
    },
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
    sql: ([v]) => yesNo(v!.type === 'text' ? sql`(coalesce(${v!.sql}, '') = '')` : sql`(${v!.sql} is null)`),
  },
];
