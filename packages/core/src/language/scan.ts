import { clip } from '../catalog/catalog';
import { fail, type Span } from '../problem';
import { longestText } from './syntax';

export interface Token {
  readonly kind: 'word' | 'quoted' | 'number' | 'text' | 'symbol' | 'end';
  /** The word, the name or text without its quotes, the number's digits, or the symbol. */
  readonly text: string;
  readonly span: Span;
}

const space = /[\s]+/y;
const word = /[\p{L}_][\p{L}\p{N}_]*/uy;
const number = /(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?/y;
const symbol = /<>|<=|>=|[=<>(),.+\-*/%^]/y;

/** Splits a text into tokens, the last of kind `end`; linear in its length. Throws `syntax`, `too_long`. */
export function scan(source: string): Token[] {
  if (source.length > longestText)
    fail('too_long', `The text has ${source.length} characters; ${longestText} are the most.`);
  const tokens: Token[] = [];
  let at = 0;
  const match = (pattern: RegExp): string | undefined => {
    pattern.lastIndex = at;
    return pattern.exec(source)?.[0];
  };
  for (;;) {
    at += match(space)?.length ?? 0;
    if (at >= source.length) break;
    const start = at;
    const char = source[at]!;
    let found: Pick<Token, 'kind' | 'text'>;
    if (char === "'" || char === '"') {
      const close = closing(source, at, char);
      found = {
        kind: char === "'" ? 'text' : 'quoted',
        text: source.slice(at + 1, close).replaceAll(char + char, char),
      };
      at = close + 1;
    } else {
      const hit = match(word) ?? match(number) ?? match(symbol);
      if (hit === undefined) {
        const end = start + String.fromCodePoint(source.codePointAt(at)!).length;
        fail('syntax', `“${clip(source.slice(start, end))}” means nothing here.`, { span: { start, end } });
      }
      found = { kind: kindOf(hit), text: hit };
      at += hit.length;
    }
    tokens.push({ ...found, span: { start, end: at } });
  }
  tokens.push({ kind: 'end', text: '', span: { start: source.length, end: source.length } });
  return tokens;
}

function kindOf(hit: string): Token['kind'] {
  if (/^[.]?\d/.test(hit)) return 'number';
  return /^[\p{L}_]/u.test(hit) ? 'word' : 'symbol';
}

/** Index of the quote that ends what began at `from`; a doubled quote stands for itself. */
function closing(source: string, from: number, quote: string): number {
  let at = from + 1;
  for (;;) {
    at = source.indexOf(quote, at);
    if (at < 0) {
      const what = quote === "'" ? 'The text' : 'The quoted name';
      fail('syntax', `${what} that begins here has no closing ${quote}.`, {
        span: { start: from, end: source.length },
      });
    }
    if (source[at + 1] !== quote) return at;
    at += 2;
  }
}
