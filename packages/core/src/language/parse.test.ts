import fc from 'fast-check';
import { ProblemError } from '../problem';
import { parse } from './parse';
import { print } from './print';
import { mostNesting, type Expression } from './syntax';

const bare = (e: unknown): unknown =>
  JSON.parse(JSON.stringify(e, (key, value: unknown) => (key === 'span' ? undefined : value)));
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
    ['x not in (1, 2.5e3, .5)', 'x NOT IN (1, 2.5e3, .5)'],
    ['note IS NOT NULL AND wants_water', 'note IS NOT NULL AND wants_water'],
    [
      "d >= DATE('2026-05-01') AND t < timestamp('2026-05-01T08:00:00Z')",
      "d >= DATE('2026-05-01') AND t < TIMESTAMP('2026-05-01T08:00:00Z')",
    ],
    [`"order" = 'it''s' and "a ""b""" = TRUE`, `order = 'it''s' AND "a ""b""" = TRUE`],
    ['1 < hives', '1 < hives'],
    ['größe = 1', 'größe = 1'],
  ])('%s', (text, printed) => expect(print(parse(text))).toBe(printed));

  it.each([
    ["status = 'draft", 9, 15],
    ['', 0, 0],
    ['a = ', 4, 4],
    ['a == 1', 3, 4],
    ['a = 1 b', 6, 7],
    ['a IN ()', 6, 7],
    ['a IN (1, 2', 5, 6],
    ['a BETWEEN 1', 11, 11],
    ['a IS 5', 5, 6],
    ['a NOT 5', 6, 7],
    ["'x'", 0, 3],
    ['a = §', 4, 5],
    ['a.  = 1', 4, 5],
    ['DATE(5) = a', 5, 6],
    ['a = - b', 6, 7],
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

  it('takes 1 MB without trouble and refuses more', () => {
    const long = Array.from({ length: 60_000 }, (_, i) => `a = ${String(i).padStart(8, '1')}`).join(' OR ');
    expect((parse(long) as Extract<Expression, { kind: 'or' }>).operands).toHaveLength(60_000);
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
      { numRuns: 3000 },
    );
  });

  it('prints a tree so that reading it again gives the same tree', () => {
    fc.assert(
      fc.property(expressions, (tree) => expect(bare(parse(print(tree)))).toEqual(bare(tree))),
      { numRuns: 2000 },
    );
  });
});

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
  fc.integer().map((n): Expression => ({ kind: 'literal', type: 'number', text: String(n), span })),
  fc.boolean().map((b): Expression => ({ kind: 'literal', type: 'yes_no', text: String(b), span })),
  fc.constant<Expression>({ kind: 'literal', type: 'date', text: '2026-05-01', span }),
);
const operand = fc.oneof(name, literal);
const negated = fc.boolean();
const predicate: fc.Arbitrary<Expression> = fc.oneof(
  fc.record({
    kind: fc.constant('compare' as const),
    op: fc.constantFrom('=', '<>', '<', '<=', '>', '>=' as const),
    left: operand,
    right: operand,
    span: fc.constant(span),
  }),
  fc.record({
    kind: fc.constant('in' as const),
    negated,
    operand,
    list: fc.array(operand, { minLength: 1, maxLength: 3 }),
    span: fc.constant(span),
  }),
  fc.record({
    kind: fc.constant('between' as const),
    negated,
    operand,
    low: operand,
    high: operand,
    span: fc.constant(span),
  }),
  fc.record({ kind: fc.constant('like' as const), negated, operand, pattern: operand, span: fc.constant(span) }),
  fc.record({ kind: fc.constant('isNull' as const), negated, operand, span: fc.constant(span) }),
) as fc.Arbitrary<Expression>;
/** and/or chains do not hold a chain of their own kind: the parser has flattened those. */
const expressions: fc.Arbitrary<Expression> = fc.letrec<{ tree: Expression }>((tie) => ({
  tree: fc.oneof(
    { depthSize: 'small', withCrossShrink: true },
    predicate,
    fc.record({
      kind: fc.constant('not' as const),
      operand: tie('tree'),
      span: fc.constant(span),
    }) as fc.Arbitrary<Expression>,
    fc
      .tuple(fc.constantFrom('and' as const, 'or' as const), fc.array(tie('tree'), { minLength: 2, maxLength: 3 }))
      .map(([kind, operands]): Expression => ({ kind, operands, span })),
  ),
})).tree;
