import { clip } from '../catalog/catalog';
import { fail, type Span } from '../problem';
import { longestText, mostNesting, mostTokens } from './syntax';

export interface Token {
  readonly kind: 'word' | 'quoted' | 'number' | 'text' | 'symbol' | 'end';
  /** The word, the name or text without its quotes, the number's digits, or the symbol. */
  readonly text: string;
  readonly span: Span;
}

const space = /[\s]+/y;
// A colon may stand in names, as the standard has it (`eo:cloud_cover`).
const word = /[\p{L}_:][\p{L}\p{N}_:]*/uy;
const number = /(?:\d+(?:\.\d*)?|\.\d+)(?:[eE][+-]?\d+)?/y;
const symbol = /<>|<=|>=|[=<>(),.+\-*/%^]/y;

/** Every level of a tree opens two brackets at most (a list and a call). */
const mostOpen = 2 * mostNesting + 1;

/**
 * Splits a text into tokens, the last of kind `end`; linear in its length (tested by doubling), and no further than to the
 * first thing that no tree can hold. Throws `syntax`, `too_long`, `too_deep`.
 */
export function scan(source: string): Token[] {
  if (source.length > longestText)
    fail('too_long', `The text has ${source.length} characters; ${longestText} are the most.`);
  const tokens: Token[] = [];
  let at = 0;
  let open = 0;
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
        text: char === "'" ? unescaped(source.slice(at + 1, close)) : source.slice(at + 1, close).replaceAll('""', '"'),
      };
      at = close + 1;
    } else {
      const hit = match(word) ?? match(number) ?? match(symbol);
      if (hit === undefined) {
        refuseForeign(source, at);
        const end = start + String.fromCodePoint(source.codePointAt(at)!).length;
        fail('syntax', `“${clip(source.slice(start, end))}” means nothing here.`, { span: { start, end } });
      }
      found = { kind: ofBase(hit), text: hit };
      at += hit.length;
    }
    if (found.text === '=' && '=<>!'.includes(source[at] ?? ' ')) refuseForeign(source, start);
    const span = { start, end: at };
    if (tokens.length === mostTokens)
      fail('too_long', `The text has more than ${mostTokens.toLocaleString('en-US')} words and signs.`, { span });
    if (found.kind === 'symbol') open += found.text === '(' ? 1 : found.text === ')' ? -1 : 0;
    if (open > mostOpen)
      fail('too_deep', `Brackets may be nested ${mostNesting} deep; here are ${open} open ones.`, { span });
    tokens.push({ ...found, span });
  }
  tokens.push({ kind: 'end', text: '', span: { start: source.length, end: source.length } });
  return tokens;
}

/** Signs of other languages and keyboards, and what is written for them here. */
const foreign: readonly (readonly [RegExp, string, string])[] = [
  [/={2,3}/y, '=', 'Equal is written ='],
  [/!=|≠|=!=/y, '<>', 'Unequal is written <>'],
  [/&&?/y, 'AND', 'And is written AND'],
  [/\|\|?/y, 'OR', 'Or is written OR'],
  [/!/y, 'NOT ', 'Not is written NOT'],
  [/≥|=>/y, '>=', 'At least is written >='],
  [/≤|=</y, '<=', 'At most is written <='],
  [/[‘’‚‛`´]/y, "'", 'A text stands between straight quotes'],
  [/[“”„‟«»]/y, "'", 'A text stands between straight quotes'],
  [/[–—−]/y, '-', 'Minus is written -'],
  [/×/y, '*', 'Times is written *'],
  [/÷/y, '/', 'Divided by is written /'],
];

/** Fails with what is to be written instead, where a sign of another language stands here. */
function refuseForeign(source: string, at: number): void {
  for (const [sign, right, words] of foreign) {
    sign.lastIndex = at;
    const found = sign.exec(source)?.[0];
    if (found === undefined) continue;
    const end = right === "'" ? closingQuote(source, at) : at + found.length;
    const span = { start: at, end };
    const instead = right === "'" ? `'${source.slice(at + 1, end - 1).replaceAll("'", "''")}'` : right;
    fail('syntax', `${words}, not ${right === "'" ? 'between typographic ones' : found}.`, {
      span,
      suggestions: [instead],
    });
  }
}

/** Behind the next quote of any kind, or this one by itself. */
function closingQuote(source: string, at: number): number {
  const next = /[‘’‚‛`´“”„‟«»'"]/g;
  next.lastIndex = at + 1;
  const found = next.exec(source);
  return found && found.index - at < 1000 ? found.index + 1 : at + 1;
}

function ofBase(hit: string): Token['kind'] {
  if (/^[.]?\d/.test(hit)) return 'number';
  return /^[\p{L}_:]/u.test(hit) ? 'word' : 'symbol';
}

/**
 * What stands between the quotes of a text: a doubled quote is one, and so is one behind a backslash. So that a text may
 * have a backslash there all the same, of several just before a quote, or the end, two are one.
 */
function unescaped(inside: string): string {
  return inside
    .replace(/(?<!\\)(\\*)('+)/g, (_, slashes: string, quotes: string) => {
      const isOdd = slashes.length % 2 === 1;
      return '\\'.repeat(Math.floor(slashes.length / 2)) + "'".repeat(Math.ceil((quotes.length + (isOdd ? 1 : 0)) / 2));
    })
    .replace(/(?<!\\)\\+$/, (slashes) => '\\'.repeat(slashes.length / 2));
}

/** Is there an odd number of backslashes just before? */
function isEscaped(source: string, from: number, at: number): boolean {
  let first = at;
  while (first > from && source[first - 1] === '\\') first--;
  return (at - first) % 2 === 1;
}

/** Index of the quote that ends what began at `from`; one that is doubled, or behind a backslash, stands for itself. */
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
    if (quote === "'" && isEscaped(source, from + 1, at)) at += 1;
    else if (source[at + 1] === quote) at += 2;
    else return at;
  }
}
