import { ProblemError } from '../problem';
import { growth, linear } from '../testing/growth';
import { piecesOf, textWithoutFields } from './text-with-fields';

const pieces = (text: string): unknown =>
  piecesOf(text)?.map((p) => (p.kind === 'text' ? p.text : { is: p.source.trim() })) ?? null;
const problem = (text: string) => {
  try {
    piecesOf(text);
  } catch (error) {
    if (error instanceof ProblemError) return error.problems[0];
    throw error;
  }
  throw new Error('It was taken.');
};

describe('texts with fields in them', () => {
  it.each([
    ['Hives for {crop} in {valley}', ['Hives for ', { is: 'crop' }, ' in ', { is: 'valley' }]],
    ['{ hives * 2 }', [{ is: 'hives * 2' }]],
    ['{crop}{valley}', [{ is: 'crop' }, { is: 'valley' }]],
    ['a {{b}} {crop}', ['a {b} ', { is: 'crop' }]],
    ["{IF(hives > 1, '}', '{')}!", [{ is: "IF(hives > 1, '}', '{')" }, '!']],
    ['{"odd } name"}', [{ is: '"odd } name"' }]],
    ['lone } brace {crop}', ['lone } brace ', { is: 'crop' }]],
  ])('%j', (text, expected) => expect(pieces(text)).toEqual(expected));

  it.each(['', 'plain', 'a } b', '{{crop}}', '{{'])('%j has no fields in it', (text) =>
    expect(piecesOf(text)).toBeNull(),
  );

  it('doubled braces are one, where there is a brace that opens', () => {
    expect(textWithoutFields('a {{b}} c')).toBe('a {b} c');
    expect(textWithoutFields('a }} c')).toBe('a }} c');
  });

  it('tells where what is wrong stands in the whole text', () => {
    expect(problem('For {crop')).toMatchObject({
      message: expect.stringMatching(/never closed/),
      span: { start: 4, end: 5 },
    });
    expect(problem('For {}')).toMatchObject({
      message: expect.stringMatching(/nothing between/),
      span: { start: 4, end: 6 },
    });
    expect(problem('For {crop =}')).toMatchObject({ code: 'syntax', span: { start: expect.any(Number) } });
    expect(problem('For {crop =}').span!.start).toBeGreaterThanOrEqual(5);
    expect(problem('{{ {')).toMatchObject({ span: { start: 3 } });
  });

  it('has so many expressions at most, whatever stands between them', () => {
    expect(piecesOf('{a}'.repeat(100))).toHaveLength(100);
    expect(problem('{a}'.repeat(101))).toMatchObject({ code: 'too_long', span: { start: 300 } });
    expect(problem('{a} '.repeat(200_000))).toMatchObject({ code: 'too_long' });
  });

  it.each<[string, (n: number) => string]>([
    ['braces', (n) => '{{'.repeat(n)],
    ['closing braces', (n) => `{a}${'}'.repeat(n)}`],
    ['expressions', (n) => '{a} '.repeat(n / 4)],
    ['quotes never closed', (n) => `{${"''".repeat(n)}`],
  ])('%s are read in linear time', (_, text) => {
    const read = (n: number): void => {
      try {
        piecesOf(text(n));
      } catch (error) {
        if (!(error instanceof ProblemError)) throw error;
      }
    };
    expect(growth(read, 20_000)).toBeLessThan(linear);
  });
});
