import Big from 'big.js';
import {
  anyDay,
  anyMoment,
  Day,
  dayOf,
  dayText,
  farMoment,
  numberOf,
  numberText,
  order,
  partsOfDay,
  Unbounded,
  type Value,
} from './value';

describe('values in memory', () => {
  it('reads every day that the database writes', () => {
    for (let year = 1; year < 10_000; year += 83)
      for (const [month, day] of [
        [1, 1],
        [2, 28],
        [3, 1],
        [12, 31],
      ] as const) {
        const there = dayOf(year, month, day);
        expect(anyDay(dayText(there)).number).toBe(there.number);
        expect(partsOfDay(there)).toEqual({ year, month, day });
      }
    expect(anyDay('1970-01-01').number).toBe(0);
    expect(anyDay('2024-02-29').number - anyDay('2024-02-28').number).toBe(1);
    // The year before 0001 is 0001 BC.
    expect(anyDay('0001-01-01').number - anyDay('0001-12-31 BC').number).toBe(1);
    expect(anyDay('10000-01-01').number - anyDay('9999-12-31').number).toBe(1);
    expect(anyDay('infinity').number).toBe(Infinity);
    expect(anyDay('-infinity').number).toBe(-Infinity);
  });

  it('reads every moment that the database writes', () => {
    expect(anyMoment('1970-01-01 00:00:00+00')).toBe(0n);
    expect(anyMoment('1970-01-01 01:00:00.5+01')).toBe(500_000n);
    expect(anyMoment('1970-01-01 05:45:00+05:45')).toBe(0n);
    expect(anyMoment('1969-12-31 23:59:59.999999+00')).toBe(-1n);
    expect(anyMoment('1880-01-01 00:53:28+00:53:28')).toBe(anyMoment('1880-01-01 00:00:00+00'));
    expect(anyMoment('0044-03-15 12:00:00+00 BC')).toBeLessThan(anyMoment('0001-01-01 00:00:00+00'));
    expect(anyMoment('294276-12-31 23:59:59+00')).toBeLessThan(farMoment);
    expect(anyMoment('infinity')).toBe(farMoment);
    expect(anyMoment('-infinity')).toBe(-farMoment);
  });

  it('orders what no calculation gives as the database does', () => {
    const sorted = (values: readonly Value[]): Value[] => [...values].reverse().sort(order);
    const numbers = [
      new Unbounded(-Infinity),
      new Unbounded(-1e150),
      new Big(-5),
      new Big(0),
      new Big('99999.5'),
      new Unbounded(1e150),
      new Unbounded(Infinity),
      new Unbounded(NaN),
    ];
    expect(sorted(numbers)).toEqual(numbers);
    expect(order(new Unbounded(NaN), new Unbounded(NaN))).toBe(0);
    expect(order(new Unbounded(Infinity), new Unbounded(Infinity))).toBe(0);
    const days = ['-infinity', '0044-03-15 BC', '0001-01-01', '2026-05-01', '12026-05-01', 'infinity'].map(anyDay);
    expect(sorted(days)).toEqual(days);
    expect(order(new Day(Infinity), new Day(Infinity))).toBe(0);
    expect(order('a', 'b')).toBe(-1);
    // By code point, not by halves of pairs.
    expect(order('\uffff', '🐝')).toBe(-1);
  });
});

describe('numbers that texts say', () => {
  it.each([
    ['7', '7'],
    [' 12.50 ', '12.5'],
    ['+3', '3'],
    ['-.5', '-0.5'],
    ['5.', '5'],
    ['1e3', '1000'],
    ['-1E-2', '-0.01'],
    ['1e99', `1${'0'.repeat(99)}`],
    ['1e-40', '0'],
    ['-0', '0'],
    [`0.${'3'.repeat(40)}`, `0.${'3'.repeat(30)}`],
  ])('%j is %s', (said, expected) => expect(numberText(numberOf(said)!)).toBe(expected));

  it.each([
    '',
    ' ',
    '.',
    '1,200',
    '1 200',
    '0x10',
    '1e',
    '1e1000',
    '1e100',
    'NaN',
    'Infinity',
    '--1',
    '٣',
    '1\n2',
    '9'.repeat(201),
    `${' '.repeat(1001)}1`,
  ])('%j is none', (said) => expect(numberOf(said)).toBeNull());
});
