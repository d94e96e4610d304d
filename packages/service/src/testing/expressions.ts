import { functions } from '@tantamos/core';
import fc from 'fast-check';

// Well-typed expressions as people would write them, by the type of their value.

const quoted = (t: string): string => `'${t.replaceAll("'", "''")}'`;
const texts = [
  '',
  ' ',
  'a',
  'Ab  c ',
  'É',
  'é',
  'ΑΣ',
  'ß',
  '12.5',
  'a; b ;b; Ab',
  '-3',
  '2026-05-01',
  "o'neil",
  '🐝',
  'a%b_c',
  'red',
  'i̇İ',
];
const days = ['2026-05-01', '2024-02-29', '0001-01-01', '9999-12-31', '2026-03-29', '1999-12-31'];

type Typed = {
  text: string;
  number: string;
  'yes/no': string;
  date: string;
  moment: string;
};
const call = (name: string, ...args: fc.Arbitrary<string>[]): fc.Arbitrary<string> =>
  fc.tuple(...args).map((a) => `${name}(${a.join(', ')})`);
const among = (...options: string[]): fc.Arbitrary<string> => fc.constantFrom(...options);

const built = fc.letrec<Typed>((tie) => {
  const [t, n, y, d, m] = [tie('text'), tie('number'), tie('yes/no'), tie('date'), tie('moment')];
  const small = fc.integer({ min: -5, max: 40 }).map(String);
  const optional = (name: string, first: fc.Arbitrary<string>, second: fc.Arbitrary<string>) =>
    fc.oneof(call(name, first), call(name, first, second));
  const one = <T>(...options: fc.Arbitrary<T>[]) => fc.oneof({ depthSize: 'small', maxDepth: 4 }, ...options);
  const time = fc.oneof(
    d,
    m,
    fc.tuple(d, d).map(([a, b]) => `INTERVAL(${a}, ${b})`),
    m.map((a) => `INTERVAL(${a}, '..')`),
  );
  const list = fc.oneof(
    among('tags', 'parent.tags', 'short'),
    fc.array(t, { minLength: 1, maxLength: 3 }).map((i) => `(${i.join(', ')})`),
  );
  const sign = among('=', '<>', '<', '<=', '>', '>=');
  const compared = (a: fc.Arbitrary<string>, b = a) => fc.tuple(a, sign, b).map(([x, s, z]) => `(${x} ${s} ${z})`);
  const free = among('', ", (DATE('2026-05-01'), DATE('2026-05-04'))");
  return {
    text: one(
      among(
        't',
        'u',
        'TEXT(choice)',
        'parent.t',
        'parent.parent.u',
        'max(samples.parent.t)',
        'min(samples.parent.u, i > 0)',
      ),
      fc.constantFrom(...texts).map(quoted),
      fc.constant('NULL').map(() => 'COALESCE(NULL, u)'),
      call('UPPER', t),
      call('LOWER', t),
      call('PROPER', t),
      call('TRIM', t),
      call('CASEI', t),
      call('ACCENTI', t),
      optional('LEFT', t, fc.oneof(small, n)),
      optional('RIGHT', t, fc.oneof(small, n)),
      call('MID', t, small, small),
      call('SUBSTITUTE', t, t, t),
      call('SUBSTITUTE', t, t, t, small),
      call(
        'replaced',
        t,
        fc.constantFrom('', 'a', 'É', 'ab  c', '12', '.', 'ß', '🐝', 'o').map(quoted),
        fc.constantFrom('', 'x\\1&', 'aa').map(quoted),
        among("'part'", "'word'", "'start'", "'end'", "'whole'"),
        among("'any case'", "'same case'"),
      ),
      call('with_entry', t, t, fc.oneof(among("'; '", "','", "' '"), t)),
      call('without_entry', t, t, fc.oneof(among("'; '", "','", "' '"), t)),
      call('digits', t),
      call('CONCATENATE', t, t, t),
      call('TEXT', fc.oneof(n, d, m, y, t)),
      call('pad', t, small, among("'0'", "' '", "'xx'", 't')),
      call('IF', y, t, t),
      call('IFS', y, t, y, t),
      call('SWITCH', t, t, t, t),
      call('COALESCE', t, t),
      call('MIN', t, t),
      call('MAX', t, t),
    ),
    number: one(
      among(
        'n',
        'i',
        'big',
        'f',
        'g',
        'w',
        'parent.n',
        'parent.i',
        'NULL + i',
        'count(samples.parent)',
        'count(samples.parent, i > 3)',
      ),
      among(
        'sum(samples.parent.n)',
        'average(samples.parent.i)',
        "max(samples.parent.big, t <> '')",
        'sum(samples.parent.f)',
      ),
      fc.oneof(
        small,
        among(
          '0.5',
          '0.99999999999999999',
          '2.9999999999999999999999',
          '1e20',
          '123456789012345.678',
          '-0.001',
          '1e-20',
        ),
      ),
      fc.tuple(n, among('+', '-', '*', '/', '%', 'div', '^'), n).map(([a, s, b]) => `(${a} ${s} ${b})`),
      fc.tuple(d, d).map(([a, b]) => `(${a} - ${b})`),
      optional('ROUND', n, small),
      optional('ROUNDUP', n, small),
      optional('ROUNDDOWN', n, small),
      call('ABS', n),
      call('INT', n),
      call('MOD', n, n),
      call('MIN', n, n, n),
      call('MAX', n, n),
      call('LEN', t),
      call('VALUE', t),
      call('YEAR', fc.oneof(d, m)),
      call('MONTH', d),
      call('DAY', fc.oneof(d, m)),
      optional('WEEKDAY', d, among('1', '2', '3', '4')),
      call('DATEDIF', d, d, among("'y'", "'m'", "'d'", "'ym'", "'md'", "'yd'")),
      fc.tuple(d, d, free).map(([a, b, h]) => `NETWORKDAYS(${a}, ${b}${h})`),
      call('IF', y, n),
      call('SWITCH', n, n, n, n, n),
      call('COALESCE', n, n),
    ),
    'yes/no': one(
      among(
        'b',
        'parent.b',
        'TRUE',
        'has(samples.parent)',
        'has(samples.parent, b OR n > parent.n)',
        't IS NULL',
        "choice = 'red'",
        "choice IN ('Blue', 'green')",
        'choice = t',
        'tags IS NOT NULL',
      ),
      compared(t),
      compared(n),
      compared(d),
      compared(m),
      compared(fc.oneof(d, m), fc.oneof(d, m)),
      compared(
        among('m', 'c'),
        fc.constantFrom(...days).map((x) => `DATE('${x}')`),
      ),
      fc.tuple(y, y, y).map(([a, b, c]) => `(${a} AND ${b} OR NOT ${c})`),
      fc.tuple(n, n, n).map(([a, b, c]) => `(${a} BETWEEN ${b} AND ${c})`),
      fc.tuple(fc.oneof(d, m), d, d).map(([a, b, c]) => `(${a} NOT BETWEEN ${b} AND ${c})`),
      fc.tuple(t, t, t).map(([a, b, c]) => `(${a} IN (${b}, ${c}))`),
      fc.tuple(n, n, n).map(([a, b, c]) => `(${a} NOT IN (${b}, ${c}))`),
      fc
        .tuple(t, fc.constantFrom('%a%', '_', 'é%', '%\\%%', '%b_c', '', '%.5'))
        .map(([a, p]) => `(${a} LIKE ${quoted(p)})`),
      fc
        .tuple(t, fc.constantFrom('%A%', 'É_', '%'))
        .map(([a, p]) => `(CASEI(ACCENTI(${a})) LIKE CASEI(ACCENTI(${quoted(p)})))`),
      call('starts_with', t, t),
      call('ends_with', t, t),
      call('contains', t, t),
      call('ISBLANK', fc.oneof(t, n, d)),
      ...['A_CONTAINS', 'A_CONTAINEDBY', 'A_EQUALS', 'A_OVERLAPS'].map((f) => call(f, list, list)),
      ...functions.filter((f) => f.group === 'Times').map((f) => call(f.name, time, time)),
      call('A_OVERLAPS', fc.constant('nums'), fc.constant('(1, 2)')),
      call('IF', y, y, y),
    ),
    date: one(
      among('d', 'e', 'parent.d', 'TODAY()', 'max(samples.parent.d)'),
      fc.constantFrom(...days).map((x) => `DATE('${x}')`),
      fc.tuple(d, among('+', '-'), fc.oneof(small, n)).map(([a, s, b]) => `(${a} ${s} ${b})`),
      call('EDATE', d, fc.oneof(small, n)),
      call('EOMONTH', fc.oneof(d, m), small),
      call('DATEVALUE', t),
      fc.tuple(d, small, free).map(([a, b, h]) => `WORKDAY(${a}, ${b}${h})`),
      call('start_of', d, among("'week'", "'month'", "'quarter'", "'year'")),
      call('next_weekday', d, among("'monday'", "'sunday'", "'thursday'")),
      call('IF', y, d, d),
      call('MAX', d, d),
      call('COALESCE', d, d),
    ),
    moment: one(
      among('m', 'c', 'parent.m', 'NOW()'),
      among(
        "TIMESTAMP('2026-03-29T01:30:00Z')",
        "TIMESTAMP('2026-05-01T08:00:00.5')",
        "TIMESTAMP('1999-12-31T23:59:59+05:30')",
      ),
      call('IF', y, m, m),
      call('with_clock', d, m),
      call('MIN', m, m),
      call('COALESCE', m, m),
    ),
  };
});
export const typed: Record<keyof Typed, fc.Arbitrary<string>> = {
  text: built.text,
  number: built.number,
  'yes/no': built['yes/no'],
  date: built.date,
  moment: built.moment,
};

/** Records full of blanks, odd texts, great numbers and far dates. */
export function sampleRecords(seed: number): object[] {
  let state = seed >>> 0;
  // A small linear congruential generator (Numerical Recipes): the same seed gives the same records.
  const random = (below: number): number => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
  const pick = <T>(all: readonly T[]): T => all[random(all.length)]!;
  const numbers = [null, 0, 1, -1, 0.005, 12345678901.234, -7.5, 3, 99.999, random(2e6) / 1000 - 1000];
  const moments = [
    null,
    '2026-03-29T00:30:00Z',
    '2026-03-28T23:30:00Z',
    '2026-10-25T01:30:00Z',
    '1999-12-31T23:59:59.123456Z',
    '2026-05-01T00:00:00Z',
  ];
  // What the database holds and no calculation gives.
  const farDays = ['infinity', '-infinity', '0044-03-15 BC', '12026-05-01', '5874897-12-31', '4713-01-01 BC'];
  const farMoments = [
    'infinity',
    '-infinity',
    '0044-03-15T12:00:00Z BC',
    '12026-05-01T00:00:00Z',
    '294276-12-31T23:59:59Z',
  ];
  const random40 = Array.from({ length: 40 }, (_, i) => ({
    id: i + 1,
    t: pick([null, ...texts]),
    u: pick([...texts, null]),
    n: pick([...numbers, 'NaN']),
    i: pick([null, 0, 1, 5, -3, 2147483647, -2147483648]),
    big: pick([null, '9223372036854775807', '-5', '7']),
    f: pick([null, 0.1, 1e10, -2.5, 1e300, 'NaN', 'Infinity', '-Infinity', 3, 16777216.5, 1e-320, '-0']),
    g: pick([null, 0.1, 16777216, -1234567.5, 'NaN', '-Infinity', 3e38]),
    w: pick([null, 7, 0.25, 'NaN', 'Infinity', '-Infinity', '1e150', '1e25', `0.${'3'.repeat(40)}`, '-12.50']),
    b: pick([null, true, false]),
    d: pick([null, ...days, ...days, ...farDays]),
    e: pick([...days, null, ...farDays]),
    m: pick([...moments, ...moments, ...farMoments]),
    c:
      pick([
        ...moments,
        ...farMoments,
        '2026-10-25T02:30:00Z',
        '2026-03-29T02:30:00Z',
        '2026-11-01T01:30:00Z',
        '1945-05-24T02:30:00Z',
        '1947-05-11T02:30:00Z',
      ])?.replace('Z', '') ?? null,
    tags: pick([null, '{}', '{a,"b c",É}', '{a,NULL}', '{red,"q\\"x"}']),
    short: pick([null, '{}', '{a}', '{"b c",red}']),
    nums: pick([null, '{1,2}', '{3}']),
    choice: pick([null, 'red', 'green', 'Blue']),
    parent: i === 0 ? null : pick([null, 1, 2, 1 + random(i)]),
  }));
  // One of each kind, whatever the seed.
  const far = [
    { f: '1e-320', g: 1e-40, w: `0.${'3'.repeat(40)}`, n: 0 },
    { f: 'NaN', g: 16777216, w: 'NaN', n: 'NaN', d: 'infinity', m: 'infinity', c: 'infinity' },
    { f: '-Infinity', g: 0.1, w: '-Infinity', n: 1, d: '-infinity', m: '-infinity', c: '-infinity' },
    { f: 1e300, g: 3e38, w: '1e150', n: 2, d: '12026-05-01', m: '12026-05-01T00:00:00Z', c: '12026-05-01T00:00:00' },
    { f: -5, g: -5, w: -5, n: 3, d: '0044-03-15 BC', m: '0044-03-15T12:00:00Z BC', c: '0044-03-15T12:00:00 BC' },
    { f: 16777217, g: 7, w: 7, n: 4, d: '2026-05-01', m: '2026-05-01T08:00:00Z', c: '1947-05-11T02:30:00' },
  ];
  return [...random40, ...far.map((values, i) => ({ id: 41 + i, tags: '{a}', short: '{a}', ...values }))];
}
