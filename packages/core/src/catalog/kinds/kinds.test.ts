import { ProblemError } from '../../problem';
import { canonical } from '../../language/value';
import { render, sql } from '../../sql/sql';
import { baseStoredAs, bases, ofBase, type Base } from '.';
import { canonicalMoment, isClock, isDay } from './clock';

const refusal = (work: () => unknown): string => {
  try {
    work();
  } catch (error) {
    expect(error).toBeInstanceOf(ProblemError);
    return (error as ProblemError).message;
  }
  throw new Error('It was taken.');
};

describe('kinds of fields', () => {
  it('no type of the database belongs to two kinds, and what none claims is other', () => {
    const claimed = bases.flatMap((base) => ofBase(base).stored);
    expect(new Set(claimed).size).toBe(claimed.length);
    for (const base of bases) for (const name of ofBase(base).stored) expect(baseStoredAs(name)).toBe(base);
    for (const name of ['inet', 'money', 'tsvector', 'point', '', '__proto__', 'constructor'])
      expect(baseStoredAs(name)).toBe('other');
  });

  it('what cannot be written says so, and is offered nowhere as editable', () => {
    for (const base of bases) {
      const why = ofBase(base).whyNotEditable('a type');
      if (why !== null) expect(why).toMatch(/\.$/);
    }
    expect(bases.filter((base) => ofBase(base).whyNotEditable('x') !== null)).toEqual(['list', 'other']);
    expect(refusal(() => canonical('list', 'a', 'Tags'))).toBe(
      'Tags is a list: add and remove say what goes in and what comes out.',
    );
  });

  it('what may be asked of two values goes with what stands opposite', () => {
    for (const base of bases) {
      const kind = ofBase(base);
      // What has no value in the language has nothing opposite it, no ranges, and is no part of a key.
      if (kind.valueType === null) expect([kind.literal, kind.hasRanges, kind.inKey]).toEqual([null, false, false]);
      if (kind.hasRanges) expect(kind.compares).toBe('order');
      if (kind.cell !== 'text') expect(kind.hasRanges).toBe(true);
    }
  });

  it.each<[Base, string, string]>([
    ['text', ' as it is ', ' as it is '],
    ['text', '', ''],
    ['number', ' -0.50 ', '-0.50'],
    ['number', '.5', '.5'],
    ['number', '5.', '5.'],
    ['number', '+1E-9', '+1E-9'],
    ['number', '12345678901234567890.123', '12345678901234567890.123'],
    ['yes_no', 'YES', 'true'],
    ['yes_no', ' false ', 'false'],
    ['date', '0001-01-01', '0001-01-01'],
    ['date', '9999-12-31', '9999-12-31'],
    ['moment', '2026-05-01', '2026-05-01 00:00:00+00:00'],
    ['moment', '2026-05-01t08:00z', '2026-05-01 08:00:00+00:00'],
    ['moment', '2026-05-01 08:00:00.123456+05:30', '2026-05-01 08:00:00.123456+05:30'],
    ['uuid', 'A0EEBC99-9C0B-4EF8-BB6D-6BB9BD380A11', 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11'],
    ['json', ' {"b": 1, "a": [1.10]} ', '{"b": 1, "a": [1.10]}'],
  ])('%s takes %j as %j', (base, typed, stored) => expect(canonical(base, typed, 'It')).toBe(stored));

  it.each<[Base, string]>([
    ['number', ''],
    ['number', '.'],
    ['number', '1e100'],
    ['number', '0x10'],
    ['number', '1 000'],
    ['number', 'Infinity'],
    ['number', '٣'],
    ['number', '9'.repeat(201)],
    ['yes_no', 'y'],
    ['yes_no', '1'],
    ['yes_no', 'yes please'],
    ['date', '2026-02-30'],
    ['date', '01.05.2026'],
    ['date', '2026-5-1'],
    ['date', '10000-01-01'],
    ['moment', '2026-05-01T24:00Z'],
    ['moment', '2026-05-01T08:00:60Z'],
    ['moment', '2026-05-01T08:00+16:00'],
    ['moment', '2026-05-01T08:00+05:60'],
    ['moment', 'now'],
    ['uuid', 'a0eebc99'],
    ['uuid', '{a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11}'],
    ['json', '{'],
    ['json', "{'a': 1}"],
    ['other', 'anything'],
    ['text', 'a\0b'],
    ['number', '1\0'],
  ])('%s refuses %j', (base, typed) => {
    const said = refusal(() => canonical(base, typed, 'It'));
    expect(said).toMatch(/^It/);
    // However long what was typed is, the sentence fits a line.
    expect(said.length).toBeLessThan(200);
  });

  it('an entry of a pasted list meets only what it could be', () => {
    const fits = (base: Base, entry: string): boolean => {
      const { inList } = ofBase(base);
      return inList === 'text' || (inList?.fits(entry) ?? false);
    };
    expect(bases.filter((base) => fits(base, '42'))).toEqual(['text', 'number']);
    expect(bases.filter((base) => fits(base, '2026-05-01'))).toEqual(['text', 'date']);
    expect(bases.filter((base) => fits(base, 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11'))).toEqual(['text', 'uuid']);
    expect(bases.filter((base) => fits(base, '1'.repeat(19)))).toEqual(['text']);
    const { inList } = ofBase('number');
    if (inList === null || inList === 'text') throw new Error('A number meets entries by its value.');
    const whole = render(inList.is(sql`c`, sql`e`, { scale: 0 })).text;
    expect([whole, render(inList.is(sql`c`, sql`e`, { scale: 2 })).text]).toEqual(['c = e::bigint', 'c = e::numeric']);
  });
});

describe('days and clocks', () => {
  it('knows the days of the Gregorian calendar', () => {
    expect(['2024-02-29', '2000-02-29', '1970-01-01'].filter(isDay)).toHaveLength(3);
    expect(['2023-02-29', '1900-02-29', '2026-04-31', '2026-13-01', '2026-00-10', '0000-01-01'].filter(isDay)).toEqual(
      [],
    );
  });

  it('a moment without an offset is that of the clocks of the zone, on either side of the change of clocks', () => {
    expect(canonicalMoment('2026-01-15 08:00', 'Europe/Vienna')).toBe('2026-01-15 08:00:00+01:00');
    expect(canonicalMoment('2026-07-15 08:00', 'Europe/Vienna')).toBe('2026-07-15 08:00:00+02:00');
    expect(canonicalMoment('2026-07-15 08:00Z', 'Europe/Vienna')).toBe('2026-07-15 08:00:00+00:00');
    expect(canonicalMoment('2026-07-15 8:00', 'Europe/Vienna')).toBeUndefined();
  });

  it('tells a clock from a moment by the type of the column', () => {
    const types = ['timestamp', 'timestamp without time zone', 'timestamp(3) without time zone'];
    expect(types.filter(isClock)).toEqual(types);
    expect(['timestamp with time zone', 'timestamptz', 'date', 'timestamp(3) with time zone'].filter(isClock)).toEqual(
      [],
    );
  });
});
