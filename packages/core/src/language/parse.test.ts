import { growth, linear } from '../testing/growth';
import fc from 'fast-check';
import { ProblemError } from '../problem';
import { parse } from './parse';
import { print } from './print';
import { parseJson, printJson, textOfJson } from './json';
import { arithmetics, canonicalDigits, comparisons, mostNesting, withoutSpans, type Expression } from './syntax';

const bare = (e: Expression): unknown => withoutSpans(e);
const problemOf = (text: string) => {
  try {
    parse(text);
  } catch (error) {
    if (error instanceof ProblemError) return error.problems[0];
    throw error;
  }
  throw new Error(`“${text}” was taken.`);
};

describe('reading a filter', () => {
  it.each([
    ["status = 'draft'", "status = 'draft'"],
    ['a = 1 and b = 2 OR c = 3', '(a = 1 AND b = 2) OR c = 3'],
    ['NOT (a = 1 OR b <> 2)', 'NOT (a = 1 OR b <> 2)'],
    ["grower.owner.name LIKE 'A%'", "grower.owner.name LIKE 'A%'"],
    ['hives NOT BETWEEN -3 AND +1.50', 'hives NOT BETWEEN -3 AND 1.50'],
    ['x not in (1, 2.5e3, .5)', 'x NOT IN (1, 2.5e3, 0.5)'],
    ['note IS NOT NULL AND wants_water', 'note IS NOT NULL AND wants_water'],
    [
      "d >= DATE('2026-05-01') AND t < timestamp('2026-05-01T08:00:00Z')",
      "d >= DATE('2026-05-01') AND t < TIMESTAMP('2026-05-01T08:00:00Z')",
    ],
    [`"order" = 'it''s' and "a ""b""" = TRUE`, `order = 'it''s' AND "a ""b""" = TRUE`],
    ['1 < hives', '1 < hives'],
    ['größe = 1', 'größe = 1'],
    ['- x + 3*(2 - y)^2 > -5', '-1 * x + 3 * (2 - y) ^ 2 > -5'],
    ['a - (b - c) - d = 7 div 2 % 4', 'a - (b - c) - d = 7 DIV 2 % 4'],
    ["casei(n) like Casei('x%') and STARTS_WITH(n, 'y')", "CASEI(n) LIKE CASEI('x%') AND starts_with(n, 'y')"],
    [
      "t_during(interval(a, b), INTERVAL('..', '2026-05-01'))",
      "T_DURING(INTERVAL(a, b), INTERVAL('..', '2026-05-01'))",
    ],
    ["A_CONTAINS(tags, ('a'))", "A_CONTAINS(tags, ('a'))"],
    ['(a = 1) = (b IS NULL)', '(a = 1) = (b IS NULL)'],
    ['count(bookings, status = 1 OR x) > 007', 'count(bookings, status = 1 OR x) > 7'],
    ['x = NULL', 'x = NULL'],
  ])('%s', (text, printed) => expect(print(parse(text))).toBe(printed));

  it.each([
    ["status = 'draft", 9, 15],
    ['', 0, 0],
    ['a = ', 4, 4],
    ['a == 1', 2, 4],
    ['a = 1 b', 6, 7],
    ['a IN (1, 2', 5, 6],
    ['a BETWEEN 1', 11, 11],
    ['a IS 5', 5, 6],
    ['a NOT 5', 6, 7],
    ['a ^ 2 ^ 3', 6, 7],
    ["INTERVAL('2026-05-01')", 0, 22],
    ['ROUND(1, 2', 5, 6],
    ['a = §', 4, 5],
    ['a.  = 1', 4, 5],
    ['DATE(5) = a', 5, 6],
    ['a = - ', 6, 6],
    [')', 0, 1],
  ])('points at what is wrong in %s', (text, start, end) =>
    expect(problemOf(text)).toMatchObject({ code: 'syntax', span: { start, end } }),
  );

  it('suggests the word that was meant', () => expect(problemOf('a = 1 ans b = 2')?.suggestions).toEqual(['AND']));

  it('limits nesting before it can overflow, and takes what is within the limit', () => {
    const nested = (n: number) => `${'('.repeat(n)}a = 1${')'.repeat(n)}`;
    expect(parse(nested(mostNesting)).kind).toBe('compare');
    expect(problemOf(nested(mostNesting + 1))).toMatchObject({
      code: 'too_deep',
      span: { start: mostNesting, end: mostNesting + 1 },
    });
    expect(problemOf('('.repeat(900_000)).code).toBe('too_deep');
    expect(problemOf(`a${'.b'.repeat(1000)} = 1`).code).toBe('too_deep');
  });

  it('takes a text of 1 MB without trouble and refuses more', () => {
    const long = Array.from({ length: 10_000 }, (_, i) => `a = '${String(i).padStart(90, '1')}'`).join(' OR ');
    expect((parse(long) as Extract<Expression, { kind: 'and' | 'or' }>).operands).toHaveLength(10_000);
    expect(problemOf(' '.repeat(1_000_001))).toMatchObject({ code: 'too_long' });
  });

  it('never answers with anything but its own problem, whatever is typed', () => {
    const pieces = fc.constantFrom(
      'a',
      'and',
      'OR',
      'not',
      '(',
      ')',
      "'",
      '"',
      "'x'",
      '1',
      '.',
      ',',
      '=',
      '<>',
      'in',
      'between',
      'like',
      'is',
      'null',
      'DATE',
      'INTERVAL(',
      'A_EQUALS(',
      'div',
      '^',
      '*',
      '-',
      ' ',
      '\n',
      '§',
      '\0',
      '𝒳',
    );
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.array(pieces, { maxLength: 40 }).map((p) => p.join(' ')),
          fc.array(pieces).map((p) => p.join('')),
        ),
        (text) => {
          try {
            parse(text);
          } catch (error) {
            if (!(error instanceof ProblemError)) throw error;
            const { span } = error.problems[0];
            if (span) expect(span.start >= 0 && span.start <= span.end && span.end <= text.length).toBe(true);
          }
        },
      ),
      { numRuns: 3000, seed: jest.getSeed() },
    );
  });

  it('prints a tree so that reading it again gives the same tree', () => {
    fc.assert(
      fc.property(expressions, (tree) => expect(bare(parse(print(tree)))).toEqual(bare(tree))),
      { numRuns: 3000, seed: jest.getSeed() },
    );
  });

  it('writes a tree as JSON so that reading it again gives the same tree and the same text', () => {
    fc.assert(
      fc.property(expressions, (tree) => {
        const json = printJson(tree);
        expect(() => JSON.parse(json)).not.toThrow();
        expect(bare(parseJson(json))).toEqual(bare(tree));
        expect(print(parseJson(json))).toBe(print(tree));
      }),
      { numRuns: 3000, seed: jest.getSeed() },
    );
  });

  it.each([
    ['conditions', (n: number) => Array.from({ length: n / 10 }, () => 'a = 1').join(' AND ')],
    ['a list', (n: number) => `a IN (${Array.from({ length: n / 8 }, () => "'it''s'").join(',')})`],
    ['quotes', (n: number) => `a = '${"''".repeat(n / 2)}'`],
    ['a name', (n: number) => `${'a'.repeat(n)} = 1`],
    ['digits', (n: number) => `a = 0.${'0'.repeat(n)}1`],
    ['open brackets', (n: number) => '('.repeat(n)],
    ['closed brackets', (n: number) => ')'.repeat(n)],
    ['signs', (n: number) => '-'.repeat(n)],
    ['NOTs', (n: number) => 'NOT '.repeat(n / 4)],
    ['points', (n: number) => 'a.'.repeat(n / 2)],
    ['a text without an end', (n: number) => `a = '${"a''".repeat(n / 3)}`],
    ['JSON lists', (n: number) => '['.repeat(n)],
    ['JSON objects', (n: number) => '{"op":"not","args":['.repeat(n / 20)],
    ['a JSON list', (n: number) => `{"op":"in","args":[{"property":"a"},[${'1,'.repeat(n / 2)}1]]}`],
    ['a JSON property', (n: number) => `{"property":"${'."'.repeat(n / 2)}"}`],
    ['calls', (n: number) => 'f('.repeat(n / 2)],
  ])('reads %s in time that grows with their length, not faster', (_, text) => {
    const work = (n: number): void => {
      try {
        parse(textOrJson(text(n)));
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
      }
    };
    expect(growth(work, 60_000)).toBeLessThan(linear);
  });

  it.each([
    ["a = 'it\\'s'", "it's"],
    ["a = 'it''s'", "it's"],
    ["a = '\\''''", "''"],
    ["a = 'c:\\\\'", 'c:\\'],
    ["a = '\\\\\\'x'", "\\'x"],
    ["a = '50\\%\\\\x'", '50\\%\\\\x'],
  ])('reads quotes and backslashes in %s', (text, right) => {
    const tree = parse(text) as Extract<Expression, { kind: 'compare' }>;
    expect(tree.right).toMatchObject({ text: right });
    expect(bare(parse(print(tree)))).toEqual(bare(tree));
  });

  it('takes what the standard has: names with a colon, lists of none, isNull of one thing, both kinds of ends', () => {
    expect(print(parse('eo:cloud_cover < 10 AND a IN () AND A_CONTAINS(b, ())'))).toBe(
      'eo:cloud_cover < 10 AND a IN () AND A_CONTAINS(b, ())',
    );
    expect(print(parseJson({ op: 'in', args: [{ property: 'a' }, []] }))).toBe('a IN ()');
    expect(print(parseJson({ op: 'isNull', args: { property: 'a' } }))).toBe('a IS NULL');
    const odd = parse("T_DURING(a, INTERVAL(TIMESTAMP('2026-05-01'), '..'))");
    expect(bare(parseJson(printJson(odd)))).toEqual(bare(odd));
    expect(JSON.parse(printJson(odd))).toMatchObject({ args: [{}, { interval: [{ timestamp: '2026-05-01' }, '..'] }] });
  });

  it('stops at the first thing that can never be right', () => {
    expect(() => parse(`${'('.repeat(900_000)}`)).toThrow('open ones');
    expect(() => parse(`a IN (${'1,'.repeat(400_000)}1)`)).toThrow('words and signs');
    expect(() => parse(`${'('.repeat(200)}a = 1${')'.repeat(200)}`)).not.toThrow();
  });
});

const textOrJson = (text: string): string => (/^[[{]/.test(text) ? textOfJson(text) : text);

const span = { start: 0, end: 0 };
const names = fc.oneof(
  fc.constantFrom('a', 'status', 'and', 'DATE', 'with space', 'q"uote', 'ü'),
  fc.string({ minLength: 1, maxLength: 5 }),
);
const name = fc
  .array(names, { minLength: 1, maxLength: 3 })
  .map((path): Expression => ({ kind: 'name', path: path.map((n) => ({ name: n, span })), span }));
const literal: fc.Arbitrary<Expression> = fc.oneof(
  fc.string().map((text): Expression => ({ kind: 'literal', type: 'text', text, span })),
  fc.tuple(fc.bigInt(), fc.option(fc.nat(99_999))).map(([n, f]): Expression => ({
    kind: 'literal',
    type: 'number',
    text: canonicalDigits(f === null ? String(n) : `${n}.${f}`),
    span,
  })),
  fc.boolean().map((b): Expression => ({ kind: 'literal', type: 'yes_no', text: String(b), span })),
  fc.constant<Expression>({ kind: 'literal', type: 'date', text: '2026-05-01', span }),
  fc.constant<Expression>({ kind: 'literal', type: 'moment', text: '2026-05-01T08:00:00Z', span }),
  fc.constant<Expression>({ kind: 'literal', type: 'null', text: '', span }),
);
const at = { span: fc.constant(span) };
const of = <K extends string>(kind: K) => fc.constant(kind);
/** and/or chains may hold chains of their own kind: those are in brackets. A list has two items, where no function takes lists. */
const expressions: fc.Arbitrary<Expression> = fc.letrec<{ tree: Expression }>((tie) => {
  const tree = tie('tree');
  const end = fc.option(
    fc.oneof(name, fc.constant<Expression>({ kind: 'literal', type: 'date', text: '2026-05-01', span })),
  );
  const nodes = [
    name,
    literal,
    fc.record({ kind: of('compare'), op: fc.constantFrom(...comparisons), left: tree, right: tree, ...at }),
    fc.record({ kind: of('arithmetic'), op: fc.constantFrom(...arithmetics), left: tree, right: tree, ...at }),
    fc.record({ kind: of('in'), operand: tree, list: fc.array(tree, { minLength: 1, maxLength: 3 }), ...at }),
    fc.record({ kind: of('between'), operand: tree, low: tree, high: tree, ...at }),
    fc.record({ kind: of('like'), operand: tree, pattern: tree, ...at }),
    fc.record({ kind: of('isNull'), operand: tree, ...at }),
    fc.record({ kind: of('not'), operand: tree, ...at }),
    fc.record({
      kind: fc.constantFrom('and', 'or'),
      operands: fc.array(tree, { minLength: 2, maxLength: 3 }),
      ...at,
    }),
    fc.record({
      kind: of('call'),
      name: fc.constantFrom('round', 'casei', 'has', 'starts_with', 't_metby', 'me', 'anything'),
      nameSpan: fc.constant(span),
      args: fc.array(tree, { maxLength: 3 }),
      ...at,
    }),
    fc.record({
      kind: of('call'),
      name: fc.constantFrom('a_contains', 'a_containedby'),
      nameSpan: fc.constant(span),
      args: fc.array(fc.record({ kind: of('list'), items: fc.array(tree, { minLength: 1, maxLength: 3 }), ...at }), {
        minLength: 2,
        maxLength: 2,
      }),
      ...at,
    }),
    fc.record({ kind: of('list'), items: fc.array(tree, { minLength: 2, maxLength: 3 }), ...at }),
    fc.record({ kind: of('interval'), from: end, to: end, ...at }),
  ] as fc.Arbitrary<Expression>[];
  return { tree: fc.oneof({ depthSize: 'small', withCrossShrink: true }, ...nodes) };
}).tree;
