import Big from 'big.js';
import { join, raw, sql } from '../../sql/sql';
import { bounded, mostDecimals, order, quotientDecimals, type Value } from '../evaluate/value';
import type { Arithmetic } from '../syntax';
import type { FunctionEntry } from './entry';

const zero = new Big(0);
/** Where digits are asked for: whole, and no more than there can be. */
const places = (v: Value): number => Math.trunc(Math.max(-100, Math.min(mostDecimals, Number(v as Big))));

/** Exact arithmetic on decimals; null where there is no result. Quotients have 16 digits after the point. */
export function calculate(op: Arithmetic, a: Big, b: Big): Big | null {
  switch (op) {
    case '+':
      return bounded(a.plus(b));
    case '-':
      return bounded(a.minus(b));
    case '*':
      return bounded(a.times(b));
    case '/':
      return divide(a, b);
    case 'div':
      return b.eq(zero) ? null : quotient(a, b);
    case '%':
      return b.eq(zero) ? null : bounded(a.minus(b.times(quotient(a, b))));
    case '^':
      return power(a, b);
  }
}

/** Rounded half away from zero at 16 digits, from 17 that are exact. */
function divide(a: Big, b: Big): Big | null {
  if (b.eq(zero)) return null;
  return bounded(quotient(a.times('1e17'), b).times('1e-17').round(quotientDecimals, Big.roundHalfUp));
}

/** Whole part of a quotient, towards zero. */
function quotient(a: Big, b: Big): Big {
  const exact = Big();
  exact.DP = 0;
  exact.RM = Big.roundDown;
  return exact(a).div(b);
}

/** Whole powers up to 100; step by step, as the database does it. */
function power(a: Big, b: Big): Big | null {
  if (b.round(0, Big.roundDown).cmp(b) !== 0 || b.abs().gt(100)) return null;
  let result: Big | null = new Big(1);
  for (let i = 0; i < Math.abs(Number(b)) && result; i++) result = bounded(result.times(a));
  if (result === null || b.gte(zero)) return result;
  return divide(new Big(1), result);
}

function floor(x: Big): Big {
  const cut = x.round(0, Big.roundDown);
  return cut.gt(x) ? cut.minus(1) : cut;
}

function rounded(name: string, doc: string, example: string, mode: 0 | 1 | 3, call: string): FunctionEntry {
  return {
    name,
    group: 'Numbers',
    source: 'OpenFormula',
    doc,
    example,
    parameters: [
      { name: 'number', type: 'number' },
      { name: 'digits', type: 'number', optional: true },
    ],
    result: 'number',
    evaluate: ([x, digits = zero]) => roundAt(x as Big, places(digits), mode),
    sql: ([x, digits = raw('0')]) => sql`tantamos.${raw(call)}(${x!}, ${digits})`,
  };
}

function roundAt(x: Big, digits: number, mode: 0 | 1 | 3): Big | null {
  if (digits >= 0) return x.round(digits, mode);
  const unit = new Big(10).pow(-digits);
  return bounded(
    x
      .times(new Big(`1e${digits}`))
      .round(0, mode)
      .times(unit),
  );
}

const extreme = (name: string, doc: string, example: string, sign: 1 | -1, call: string): FunctionEntry => ({
  name,
  group: 'Numbers',
  source: 'OpenFormula',
  doc,
  example,
  parameters: [{ name: 'value', type: 'A', repeats: true }],
  result: 'A',
  takesBlanks: true,
  evaluate: (all) =>
    all.reduce<Value>((best, v) => (v === null || (best !== null && order(v, best) * sign <= 0) ? best : v), null),
  sql: (all) => sql`${raw(call)}(${join(all, ', ')})`,
});

export const numberFunctions: readonly FunctionEntry[] = [
  rounded(
    'ROUND',
    'Rounded to so many digits after the point, halves away from zero.',
    'ROUND(total / hives, 2) = 40',
    1,
    'round_near',
  ),
  rounded('ROUNDUP', 'Rounded away from zero.', 'ROUNDUP(total, -2)', 3, 'round_up'),
  rounded('ROUNDDOWN', 'Rounded towards zero.', 'ROUNDDOWN(price_per_hive, 0)', 0, 'round_down'),
  {
    name: 'ABS',
    group: 'Numbers',
    source: 'OpenFormula',
    doc: 'Without its sign.',
    example: 'ABS(hives - 20) <= 5',
    parameters: [{ name: 'number', type: 'number' }],
    result: 'number',
    evaluate: ([x]) => (x as Big).abs(),
    sql: ([x]) => sql`abs(${x!})`,
  },
  {
    name: 'INT',
    group: 'Numbers',
    source: 'OpenFormula',
    doc: 'The next whole number below.',
    example: 'INT(price_per_hive)',
    parameters: [{ name: 'number', type: 'number' }],
    result: 'number',
    evaluate: ([x]) => floor(x as Big),
    sql: ([x]) => sql`floor(${x!})`,
  },
  {
    name: 'MOD',
    group: 'Numbers',
    source: 'OpenFormula',
    doc: 'What is left of a division; it has the sign of the divisor.',
    example: 'MOD(hives, 4) = 0',
    parameters: [
      { name: 'number', type: 'number' },
      { name: 'divisor', type: 'number' },
    ],
    result: 'number',
    evaluate: ([a, b]) => {
      const [x, y] = [a as Big, b as Big];
      if (y.eq(zero)) return null;
      const cut = quotient(x, y);
      const rest = x.minus(y.times(cut));
      return bounded(rest.eq(zero) || rest.gt(zero) === y.gt(zero) ? rest : rest.plus(y));
    },
    sql: ([a, b]) => sql`tantamos.modulo(${a!}, ${b!})`,
  },
  extreme('MIN', 'The least of the values, blanks aside.', 'MIN(hives, 10) < 10', -1, 'least'),
  extreme('MAX', 'The greatest of the values, blanks aside.', 'MAX(start_on, end_on)', 1, 'greatest'),
];
