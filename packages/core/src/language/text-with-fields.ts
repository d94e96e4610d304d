import { fail, ProblemError } from '../problem';
import { parse } from './parse';
import type { Expression } from './syntax';

/** A piece of a text with fields in it: as it stands, or what an expression gives. */
export type TextPiece =
  | { readonly kind: 'text'; readonly text: string }
  /** `start`: where in the text its source begins. */
  | { readonly kind: 'expression'; readonly expression: Expression; readonly source: string; readonly start: number };

/** Expressions and what stands between them. */
const mostPieces = 100;

/**
 * The pieces of a text that people fill in, such as `Hives for {crop} in {valley}`: what stands in braces is an expression;
 * `{{` and `}}` are braces. Null where it has no expression: then `textWithoutFields` is what is meant. Throws `syntax`.
 */
export function piecesOf(text: string): readonly TextPiece[] | null {
  if (!text.includes('{')) return null;
  const pieces: TextPiece[] = [];
  let plain = '';
  let at = 0;
  const flush = (): void => {
    if (plain !== '') pieces.push({ kind: 'text', text: plain });
    plain = '';
  };
  while (at < text.length) {
    const next = nextBrace(text, at);
    plain += text.slice(at, next);
    if (next === text.length) break;
    if (text[next + 1] === text[next]) {
      plain += text[next];
      at = next + 2;
    } else if (text[next] === '}') {
      plain += '}';
      at = next + 1;
    } else {
      const end = closingBrace(text, next + 1);
      flush();
      if (pieces.length >= mostPieces)
        fail(
          'too_long',
          `A text may have ${mostPieces} pieces, expressions and what stands between them; this has more.`,
          {
            span: { start: next, end: next + 1 },
          },
        );
      pieces.push(expressionIn(text, next + 1, end));
      at = end + 1;
    }
  }
  flush();
  return pieces.some((p) => p.kind === 'expression') ? pieces : null;
}

/** A text without expressions in it, as it is written into the field: doubled braces are one. */
export function textWithoutFields(text: string): string {
  return text.includes('{') ? text.replaceAll('{{', '{').replaceAll('}}', '}') : text;
}

function nextBrace(text: string, from: number): number {
  const brace = /[{}]/g;
  brace.lastIndex = from;
  return brace.exec(text)?.index ?? text.length;
}

/** Where the expression that begins here ends; a brace in quotes does not end it. */
function closingBrace(text: string, from: number): number {
  let quote: string | null = null;
  for (let i = from; i < text.length; i++) {
    const c = text[i]!;
    if (quote !== null) {
      if (c === quote) quote = null;
    } else if (c === "'" || c === '"') quote = c;
    else if (c === '}') return i;
  }
  return fail('syntax', 'This { is never closed; write {{ for a brace.', { span: { start: from - 1, end: from } });
}

function expressionIn(text: string, start: number, end: number): TextPiece {
  const source = text.slice(start, end);
  if (source.trim() === '')
    return fail('syntax', 'There is nothing between these braces; write {{ for a brace.', {
      span: { start: start - 1, end: end + 1 },
    });
  try {
    return { kind: 'expression', expression: parse(source), source, start };
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    throw moved(error, start);
  }
}

/** The same problems at their place in the whole text. */
export function moved(error: ProblemError, by: number): ProblemError {
  const [first, ...more] = error.problems.map((p) => ({
    ...p,
    ...(p.span ? { span: { start: p.span.start + by, end: p.span.end + by } } : {}),
  }));
  return new ProblemError(first!, ...more);
}
