import { clip, fail } from '@tantamos/core';
import { turns } from '../turns';

/** Deeper than any filter of the language in its JSON form (two levels a nesting). */
const mostLevels = 500;
/** Objects and lists in one body: more than a filter of the most operations there may be has. */
const mostParts = 15_000;
/** Values in one body (as many as are picked and left out at once, and more), and members of all its objects. */
const mostValues = 200_000;
const mostMembers = 30_000;

/**
 * Refuses a body of JSON that is nested too deep or has too many parts, before it is read: by its signs alone, in one pass
 * over its bytes, and no further than to the first that is one too many.
 */
export function refuseShape(body: Uint8Array): void {
  let [level, parts, values, members, quoted] = [0, 0, 0, 0, false];
  for (let i = 0; i < body.length; i++) {
    const byte = body[i]!;
    if (quoted) {
      if (byte === backslash) i++;
      else if (byte === quote) quoted = false;
    } else if (byte === quote) quoted = true;
    else if (byte === comma) {
      if (++values > mostValues)
        fail('too_long', `The body has more than ${mostValues.toLocaleString('en-US')} values.`);
    } else if (byte === colon) {
      if (++members > mostMembers)
        fail('too_long', `The body has more than ${mostMembers.toLocaleString('en-US')} members.`);
    } else if (byte === brace || byte === bracket) {
      if (++level > mostLevels) fail('too_deep', `The body is nested more than ${mostLevels} deep.`);
      if (++parts > mostParts)
        fail('too_long', `The body has more than ${mostParts.toLocaleString('en-US')} objects and lists.`);
    } else if (byte === closingBrace || byte === closingBracket) level--;
  }
}
const [quote, backslash, comma, colon, brace, bracket, closingBrace, closingBracket] = [...`"\\,:{[}]`].map((c) =>
  c.charCodeAt(0),
) as [number, number, number, number, number, number, number, number];

/**
 * Refuses what no request may hold, wherever it stands: texts that no database keeps (NUL, halves of a character) and
 * numbers beyond any (JSON `1e400`). `what` is where it stands, for the words: the body, the address.
 */
export async function refuseUnfit(given: unknown, what: string): Promise<void> {
  interface Level {
    readonly values: readonly unknown[];
    readonly names: readonly string[] | null;
    at: number;
  }
  const levels: Level[] = [{ values: [given], names: null, at: 0 }];
  const where = (): string | undefined => {
    const names = levels.slice(1).map(({ names, at }) => (names ? `.${clip(names[at - 1]!)}` : `[${at - 1}]`));
    return names.join('').replace(/^\./, '') || undefined;
  };
  const turn = turns();
  for (let n = 0, level = levels.at(-1); level; level = levels.at(-1)) {
    if (++n % 1000 === 0) await turn();
    if (level.at === level.values.length) {
      levels.pop();
      continue;
    }
    const name = level.names?.[level.at];
    const value = level.values[level.at++];
    if (name !== undefined) refuseText(name, what, where);
    if (typeof value === 'string') refuseText(value, what, where);
    else if (typeof value === 'number' && !Number.isFinite(value))
      fail('bad_request', `A number of ${what} is beyond what numbers can be.`, { where: where() });
    else if (Array.isArray(value)) levels.push({ values: value, names: null, at: 0 });
    else if (typeof value === 'object' && value !== null)
      levels.push({ values: Object.values(value), names: Object.keys(value), at: 0 });
  }
}

function refuseText(text: string, what: string, where: () => string | undefined): void {
  if (text.includes('\0'))
    fail('bad_request', `A text of ${what} holds a character (NUL) that cannot be stored.`, { where: where() });
  if (!text.isWellFormed())
    fail('bad_request', `A text of ${what} holds half of a character (a lone surrogate).`, { where: where() });
}
