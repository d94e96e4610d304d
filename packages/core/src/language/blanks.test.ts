import { leavingOut } from './blanks';

describe('what a filter leaves out for being blank', () => {
  it.each([
    ["region <> 'North'", "region <> 'North' OR region IS NULL"],
    ["NOT region = 'North'", "NOT region = 'North' OR region IS NULL"],
    ["region NOT IN ('North', 'South')", "region NOT IN ('North', 'South') OR region IS NULL"],
    ["note NOT LIKE 'a%'", "note NOT LIKE 'a%' OR note IS NULL"],
    ['hives NOT BETWEEN 1 AND 3', 'hives NOT BETWEEN 1 AND 3 OR hives IS NULL'],
    ['NOT hives > 3', 'NOT hives > 3 OR hives IS NULL'],
    ['NOT paid', 'NOT paid OR paid IS NULL'],
    ["a = 1 AND region <> 'North'", "a = 1 AND (region <> 'North' OR region IS NULL)"],
    ["a = 1 OR region <> 'North'", "a = 1 OR (region <> 'North' OR region IS NULL)"],
    ['a <> b', 'a <> b OR a IS NULL OR b IS NULL'],
    ["UPPER(region) <> 'N'", "UPPER(region) <> 'N' OR UPPER(region) IS NULL"],
    ["NOT CASEI(region) LIKE CASEI('n%')", "CASEI(region) NOT LIKE CASEI('n%') OR region IS NULL"],
    ['a - b <> 0', 'a - b <> 0 OR a - b IS NULL'],
    ["NOT starts_with(note, 'a')", "NOT starts_with(note, 'a') OR note IS NULL"],
    // A NOT around a group says NOT of each.
    ['NOT (a = 1 OR b = 2)', '(NOT a = 1 OR a IS NULL) AND (NOT b = 2 OR b IS NULL)'],
    ["has(bookings, region <> 'N')", "has(bookings, region <> 'N' OR region IS NULL)"],
    ['NOT (a = 1 AND NOT b = 2)', '(NOT a = 1 OR a IS NULL) OR b = 2'],
  ])('%s', (filter, taking) => expect(leavingOut(filter)?.taking.toUpperCase()).toBe(taking.toUpperCase()));

  it.each([
    "region = 'North'",
    'NOT region IS NULL',
    'hives > 3',
    'NOT a <> 1',
    'NOT has(bookings)',
    "NOT has(bookings, region <> 'N')",
    'TRUE',
    'NOT 1 = 2',
  ])('%s leaves out none', (filter) => expect(leavingOut(filter)).toBeNull());

  it('tells each thing compared apart', () => {
    const { operands } = leavingOut('a <> 1 AND b <> 2 AND a <> 3')!;
    expect(operands).toEqual([
      { text: 'a', taking: '(a <> 1 OR a IS NULL) AND b <> 2 AND (a <> 3 OR a IS NULL)' },
      { text: 'b', taking: 'a <> 1 AND (b <> 2 OR b IS NULL) AND a <> 3' },
    ]);
    // What records that point at it say is not the record's own.
    const both = leavingOut('a <> 1 AND has(bookings, a <> 2)')!;
    expect(both.taking).toBe('(a <> 1 OR a IS NULL) AND has(bookings, a <> 2 OR a IS NULL)');
    expect(both.operands).toEqual([{ text: 'a', taking: '(a <> 1 OR a IS NULL) AND has(bookings, a <> 2)' }]);
  });
});
