import Big from 'big.js';
import { join, raw, sql, value as parameter, type Sql } from '../../sql/sql';
import { bounded, order, type Value } from '../evaluate/value';
import { mostDecimals, mostNumber, quotientDecimals } from '../limits';
import type { Arithmetic } from '../syntax';
import { alike, mostWhole, numeric, Term, whole, type Ground } from '../term';
import type { FunctionEntry } from './entry';

const zero = new Big(0);
/** Where digits are asked for: whole, and no more than there can be. */
const placesOf = (n: number): number => Math.max(-100, Math.min(mostDecimals, n));
const places = (v: Value): number => placesOf(Number((v as Big).round(0, Big.roundDown)));

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

/** The same in SQL: natively, as `bigint` even, where no result can be too great for it. */
export function calculation(op: Arithmetic, a: Term, b: Term, ground: Ground): Term {
  const areWhole = a.whole && b.whole;
  const digits = Math.max(a.known.digits, b.known.digits);
  // A quotient is greatest for the least divisor that there can be.
  const quotientMost = a.most * (b.number === null ? 10 ** b.known.digits : 1 / Math.abs(b.number || 1));
  const divisor = b.number === null ? (d: Sql): Sql => sql`nullif(${d}, 0)` : (d: Sql): Sql => d;
  const bySigns = (low: number, high: number, digitsOf: number): Term => {
    const most = Math.max(-low, high);
    if (areWhole && most < mostWhole) return whole(sql`(${a.sql} ${raw(op)} ${b.sql})`, low, high);
    if (ground.allows(most < mostNumber && digitsOf <= mostDecimals))
      return numeric(sql`(${a.canonical} ${raw(op)} ${b.canonical})`, low, high, digitsOf);
    return checked();
  };
  const checked = (): Term => new Term(ground.call(checkedBy[op], a.canonical, b.canonical), 'number');
  switch (op) {
    case '+':
      return bySigns(a.low + b.low, a.high + b.high, digits);
    case '-':
      return bySigns(a.low - b.high, a.high - b.low, digits);
    case '*': {
      const corners = [a.low * b.low, a.low * b.high, a.high * b.low, a.high * b.high];
      return bySigns(Math.min(...corners), Math.max(...corners), a.known.digits + b.known.digits);
    }
    case '/':
      if (b.number === 0 || !ground.allows(quotientMost < mostNumber)) return checked();
      if (b.constant !== null && endsSoon(b.constant)) {
        // By 4 is times 0.25: the same, and exact.
        const times = new Big(1).div(b.constant);
        const decimals = a.known.digits + (times.toFixed().split('.')[1]?.length ?? 0);
        const made = sql`(${a.canonical} * ${parameter(times.toFixed())}::numeric)`;
        const exact = decimals <= quotientDecimals ? made : sql`round(${made}, ${raw(String(quotientDecimals))})`;
        return numeric(exact, -quotientMost, quotientMost, Math.min(decimals, quotientDecimals));
      }
      // Rounded half away from zero at 16 digits, from 17 that are exact.
      return numeric(
        sql`round(div(${a.canonical} * 1e17, ${divisor(b.canonical)}) * 1e-17, ${raw(String(quotientDecimals))})`,
        -quotientMost,
        quotientMost,
        quotientDecimals,
      );
    case 'div':
      if (b.number === 0 || !ground.allows(quotientMost < mostNumber)) return checked();
      if (areWhole && a.most < mostWhole) return whole(sql`(${a.sql} / ${divisor(b.sql)})`, -a.most, a.most);
      return numeric(sql`div(${a.canonical}, ${divisor(b.canonical)})`, -quotientMost, quotientMost, 0);
    case '%': {
      if (b.number === 0) return checked();
      const [low, high] = [a.low < 0 ? -b.most : 0, a.high > 0 ? b.most : 0];
      if (areWhole) return whole(sql`(${a.sql} % ${divisor(b.sql)})`, low, high);
      return numeric(sql`(${a.canonical} % ${divisor(b.canonical)})`, low, high, digits);
    }
    case '^':
      return checked();
  }
}

/** Has what is divided by it so few digits that all of them are kept: whole numbers of twos and fives. */
function endsSoon(divisor: string): boolean {
  let n = Math.abs(Number(divisor));
  if (!Number.isInteger(n) || n > 1e6) return false;
  for (const prime of [2, 5]) while (n % prime === 0) n /= prime;
  return n === 1;
}

const checkedBy: Readonly<Record<Arithmetic, string>> = {
  '+': 'plus',
  '-': 'minus',
  '*': 'times',
  '/': 'divide',
  '%': 'remainder',
  div: 'whole_quotient',
  '^': 'power',
};

function floor(x: Big): Big {
  const cut = x.round(0, Big.roundDown);
  return cut.gt(x) ? cut.minus(1) : cut;
}

function rounded(
  name: string,
  doc: string,
  example: string,
  mode: 0 | 1 | 3,
  call: string,
  natively: (x: Term, digits: number, ground: Ground) => Sql,
): FunctionEntry {
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
    sql([x, digits], _, ground) {
      const at = digits ? digits.cut : 0;
      const n = at === null ? null : placesOf(at);
      // No number has more digits than it has.
      if (n !== null && n >= 0 && x!.known.digits <= n) return x!;
      const most = x!.most + 10 ** -(n ?? -100);
      if (!ground.allows(n !== null && most < mostNumber))
        return new Term(ground.call(call, x!.canonical, digits ? digits.canonical : raw('0')), 'number');
      return numeric(natively(x!, n!, ground), -most, most, Math.max(0, n!));
    },
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

/** `round(…)`, `trunc(…)`. */
const native =
  (name: string) =>
  (x: Term, digits: number): Sql =>
    sql`${raw(name)}(${x.canonical}, ${raw(String(digits))})`;

/** Away from zero: the next whole number of units. */
function roundUp(x: Term, digits: number, ground: Ground): Sql {
  const [unit, back] = [raw(`1e${digits}`), raw(`1e${-digits}`)];
  if (x.low >= 0) return sql`(ceil(${x.canonical} * ${unit}) * ${back})`;
  return ground.once([x.canonical], (n) => sql`(sign(${n}) * ceil(abs(${n}) * ${unit}) * ${back})`);
}

/** What is left of a division, with the sign of the divisor. */
function modulo(a: Term, b: Term, ground: Ground): Term {
  const isWhole = a.whole && b.whole && b.most * 2 < mostWhole;
  const made = (piece: Sql): Term => {
    const [low, high] = [Math.min(0, b.low), Math.max(0, b.high)];
    return isWhole ? whole(piece, low, high) : numeric(piece, low, high, Math.max(a.known.digits, b.known.digits));
  };
  const [x, y] = isWhole ? [a.sql, b.sql] : [a.canonical, b.canonical];
  const divisor = b.number === null ? (d: Sql): Sql => sql`nullif(${d}, 0)` : (d: Sql): Sql => d;
  if (b.number === 0) return numeric(raw('null::numeric'), 0, 0, 0);
  if (a.low >= 0 && b.low >= 0) return made(sql`(${x} % ${divisor(y)})`);
  return made(ground.once([y], (d) => sql`((${x} % ${divisor(d)} + ${d}) % ${divisor(d)})`));
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
  sql: (all) => {
    const { sqls, as } = alike(all);
    return as(sql`${raw(call)}(${join(sqls, ', ')})`);
  },
});

export const numberFunctions: readonly FunctionEntry[] = [
  rounded(
    'ROUND',
    'Rounded to so many digits after the point, halves away from zero.',
    'ROUND(total / hives, 2) = 40',
    1,
    'round_near',
    native('round'),
  ),
  rounded('ROUNDUP', 'Rounded away from zero.', 'ROUNDUP(total, -2)', 3, 'round_up', roundUp),
  rounded('ROUNDDOWN', 'Rounded towards zero.', 'ROUNDDOWN(price_per_hive, 0)', 0, 'round_down', native('trunc')),
  {
    name: 'ABS',
    group: 'Numbers',
    source: 'OpenFormula',
    doc: 'Without its sign.',
    example: 'ABS(hives - 20) <= 5',
    parameters: [{ name: 'number', type: 'number' }],
    result: 'number',
    evaluate: ([x]) => (x as Big).abs(),
    sql: ([x]) => {
      const [low, high] = [x!.low > 0 ? x!.low : 0, x!.most];
      if (x!.low >= 0) return x!;
      // The least whole number of 64 bits has no counterpart.
      if (x!.whole && x!.most < mostWhole) return whole(sql`abs(${x!.sql})`, low, high);
      return numeric(sql`abs(${x!.canonical})`, low, high, x!.known.digits);
    },
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
    sql: ([x]) => (x!.known.digits === 0 ? x! : numeric(sql`floor(${x!.canonical})`, x!.low - 1, x!.high, 0)),
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
    sql: ([a, b], _, ground) => modulo(a!, b!, ground),
  },
  extreme('MIN', 'The least of the values, blanks aside.', 'MIN(hives, 10) < 10', -1, 'least'),
  extreme('MAX', 'The greatest of the values, blanks aside.', 'MAX(start_on, end_on)', 1, 'greatest'),
];
