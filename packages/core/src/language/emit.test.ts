import { catalog } from '../testing/catalog';
import { render } from '../sql/sql';
import { checkExpression } from './check';
import { noContext } from './context';
import { canonicalSql } from './emit';
import { parse } from './parse';
import { Scope } from './scope';

const bookings = catalog.type('bookings');
const sqlOf = (text: string) => {
  const tree = checkExpression(parse(text), catalog, bookings, noContext);
  return render(canonicalSql(tree, new Scope(bookings)));
};
/** What is used where the columns are as they mostly are. */
const mostly = (text: string): string =>
  /^\(case when .*? then (.*) else /s.exec(sqlOf(text).text)?.[1] ?? sqlOf(text).text;

describe('an expression as SQL', () => {
  it.each([
    ['MOD(hives, 4)', '((r."hives"::bigint % $1::bigint + $1::bigint) % $1::bigint)'],
    ['MOD(LEN(note), 4)', '(char_length((r."note"::text collate "C"))::bigint % $1::bigint)'],
    ['hives * 3 - 1', '((r."hives"::bigint * $1::bigint) - $2::bigint)'],
    ['ROUND(hives, 2)', 'r."hives"::bigint'],
    ['EDATE(EDATE(start_on, 1), -2)', "((r.\"start_on\" + interval '1 months')::date + interval '-2 months')::date"],
    ['start_on + 10', '(r."start_on" + $1::bigint::int)'],
    [
      "SUBSTITUTE(note, 'a', 'bb')",
      'replace((r."note"::text collate "C"), ($1::text collate "C"), ($2::text collate "C"))',
    ],
    ['LEFT(note, 3)', 'left((r."note"::text collate "C"), 3)'],
    ['hives / 4', '(r."hives"::bigint::numeric * $1::numeric)'],
  ])('%s is what somebody would write by hand', (text, expected) => {
    expect(
      mostly(text)
        .replace(/::numeric$/, '')
        .replace(/\$\d+/g, '$'),
    ).toBe(expected.replace(/\$\d+/g, '$'));
  });

  it.each([
    ['EDATE(start_on, 100000)', 'tantamos.months_on('],
    [
      "SUBSTITUTE(SUBSTITUTE(note, 'a', 'a long text that is said many times'), ' ', 'another text that is long')",
      'tantamos.substitute(',
    ],
    ['10 ^ hives', 'tantamos.power('],
    ['hives / 0', 'tantamos.divide('],
    ['MOD(price, hives)', 'nullif('],
  ])('%s is checked where it is not known to be safe', (text, expected) =>
    expect(sqlOf(text).text).toContain(expected),
  );

  it.each([
    'LEFT(note, LEN(note))',
    'RIGHT(note, 3)',
    'MID(note, 2, 5)',
    "starts_with(note, 'a')",
    "ends_with(note, 'a')",
    "contains(note, 'a')",
    "CONCATENATE(note, ' ', hives)",
    'TEXT(hives)',
    'TEXT(start_on)',
    'TEXT(price)',
    'ISBLANK(note)',
    'ISBLANK(hives)',
    'IF(hives > 3, 1, 2)',
    'SWITCH(hives, 1, 2, 3)',
    "COALESCE(note, 'none')",
    'ROUND(price, 1)',
    'ROUNDUP(price, 1)',
    'ROUNDDOWN(price, -1)',
    'ABS(price)',
    'INT(price)',
    'MOD(price, 3)',
    'MIN(hives, 3)',
    'MAX(price, hives)',
    'TODAY()',
    'YEAR(start_on)',
    'WEEKDAY(start_on, 2)',
    "DATEDIF(start_on, TODAY(), 'm')",
    "DATEDIF(start_on, TODAY(), 'd')",
    'EDATE(start_on, -12)',
    'EOMONTH(start_on, 1)',
    'WORKDAY(start_on, 20)',
    'WORKDAY(start_on, -20)',
    'NETWORKDAYS(start_on, TODAY())',
    "start_of(start_on, 'week')",
    "start_of(start_on, 'quarter')",
    "next_weekday(start_on, 'friday')",
    'price * hives + 1',
    'price / 8',
    'price / 7',
    'hives div 3',
    'hives % 3',
    'start_on - TODAY()',
    "T_DURING(start_on, INTERVAL('2026-05-01', '..'))",
  ])('%s asks nothing of a function of ours where the columns are as they mostly are', (text) =>
    expect(mostly(text).replace(/tantamos\.bounded\(r\."start_on"::date\)/g, 'r."start_on"')).not.toContain(
      'tantamos.',
    ),
  );

  it('a calculation in a calculation grows with what is written, however often a function names its argument', () => {
    const nests: readonly ((x: string) => string)[] = [
      (x) => `MOD(${x}, hives)`,
      (x) => `ROUNDUP(${x} / 3, 1)`,
      (x) => `SWITCH(${x}, 1, 2, 3, 4, 5, 6, hives)`,
      (x) =>
        `IF(T_OVERLAPS(INTERVAL(start_on + ${x}, COALESCE(start_on, TODAY())), INTERVAL('2026-05-01', '2026-05-31')), 1, 2)`,
      (x) => `LEN(PROPER(TRIM(ACCENTI(pad(TEXT(${x}), 40, '0')))))`,
      (x) => `VALUE(TEXT(${x}))`,
      (x) => `DATEDIF(EDATE(start_on + ${x}, ${x.length > 9 ? 1 : 2}), WORKDAY(COALESCE(start_on, TODAY()), 3), 'm')`,
      (x) => `NETWORKDAYS(DATEVALUE(TEXT(start_on + ${x})), COALESCE(start_on, TODAY()))`,
      (x) => `IF(${x} BETWEEN 1 AND 2, 1, 2)`,
      (x) => `IF(${x} IN (1, 2, 3, hives), 1, 2)`,
      (x) => `IF(${x} NOT IN (start_on - TODAY(), 4), 1, 2)`,
      (x) => `IF(A_EQUALS(('a', 'c'), (TEXT(${x}), 'b')), 1, 2)`,
      (x) => `LEN(replaced(TEXT(${x}), '1', '2', 'word', 'any case'))`,
      (x) => `LEN(with_entry(TEXT(${x}), 'a', '; '))`,
      (x) => `LEN(without_entry(with_entry(TEXT(${x}), note, ' '), 'b', note))`,
      (x) => `DAY(with_clock(start_on + ${x}, NOW()))`,
    ];
    for (const nest of nests) {
      const size = (depth: number): number => {
        let text = 'hives';
        for (let i = 0; i < depth; i++) text = nest(text);
        return sqlOf(text).text.length;
      };
      expect([nest('…'), size(16) / size(8) < 4]).toEqual([nest('…'), true]);
    }
  });
});
