import { sql, value } from '../../sql/sql';
import { boundedText, charactersOf } from '../evaluate/value';
import { mostCharacters } from '../limits';
import { text as textTerm, type Term } from '../term';
import type { FunctionEntry } from './entry';

export const matchings = ['part', 'word', 'start', 'end', 'whole'] as const;
export type Matching = (typeof matchings)[number];
export const casings = ['same case', 'any case'] as const;
export type Casing = (typeof casings)[number];

/** A regular expression in the words of the database and of JavaScript, which say the same. */
interface Pattern {
  readonly database: string;
  readonly script: RegExp;
}

// Letters, digits and the underscore, of any script: the blocks of Unicode that hold them, so that both back ends agree.
const wordRanges: readonly (readonly [number, number])[] = [
  [0x30, 0x39],
  [0x41, 0x5a],
  [0x5f, 0x5f],
  [0x61, 0x7a],
  [0xaa, 0xaa],
  [0xb5, 0xb5],
  [0xba, 0xba],
  [0xc0, 0xd6],
  [0xd8, 0xf6],
  [0xf8, 0x2ff],
  [0x370, 0x1fff],
  [0x2c00, 0x2dff],
  [0x3040, 0xd7ff],
  [0xf900, 0xfdff],
  [0xfe70, 0xfeff],
];

const hex = (code: number, digits: number): string => code.toString(16).padStart(digits, '0');
const forDatabase = (code: number): string => (code > 0xffff ? `\\U${hex(code, 8)}` : `\\u${hex(code, 4)}`);
const forScript = (code: number): string => `\\u{${hex(code, 1)}}`;

/** The pattern of a text that is sought as it stands. */
export function patternOf(sought: string, matching: Matching, casing: Casing): Pattern {
  const write = (spell: (code: number) => string): string => {
    const letters = charactersOf(sought)
      .map((c) => {
        const all = casing === 'any case' ? variants(c) : [c];
        const spelt = all.map((v) => spell(v.codePointAt(0)!)).join('');
        return all.length > 1 ? `[${spelt}]` : spelt;
      })
      .join('');
    const word = `[${wordRanges.map(([from, to]) => `${spell(from)}-${spell(to)}`).join('')}]`;
    switch (matching) {
      case 'part':
        return letters;
      case 'word':
        return `(?<!${word})${letters}(?!${word})`;
      case 'start':
        return `^${letters}`;
      case 'end':
        return `${letters}$`;
      case 'whole':
        return `^${letters}$`;
    }
  };
  return { database: write(forDatabase), script: new RegExp(write(forScript), 'gu') };
}

/** A character as it is, small and capital, each where it is one character. */
function variants(c: string): string[] {
  return [...new Set([c, c.toLowerCase(), c.toUpperCase()])].filter((v) => charactersOf(v).length === 1);
}

const constant = (t: Term | undefined): string | null => t?.constant ?? null;
const octetsOf = (t: string): number => new TextEncoder().encode(t).length;

export const replacedFunction: FunctionEntry = {
  name: 'replaced',
  group: 'Text',
  source: 'Tantamos',
  doc: 'The text with one part replaced by another: wherever it stands, as a word, at the start, at the end, or as the whole.',
  example: "replaced(note, 'frost', 'late frost', 'word', 'any case')",
  parameters: [
    { name: 'text', type: 'text' },
    { name: 'old', type: 'text', writtenOut: true },
    { name: 'new', type: 'text', writtenOut: true },
    { name: 'where', type: 'text', oneOf: matchings },
    { name: 'case', type: 'text', oneOf: casings, optional: true },
  ],
  result: 'text',
  evaluate([t, old, now, where, casing = 'same case']) {
    if (old === '') return t!;
    const { script } = patternOf(old as string, where as Matching, casing as Casing);
    return boundedText((t as string).replace(script, () => now as string));
  },
  sql([t, old, now, where, casing], _, ground) {
    const [sought, fresh] = [constant(old), constant(now)];
    if (sought === null || fresh === null) throw new Error('What is replaced, and by what, is written out.');
    if (sought === '') return t!;
    const { database } = patternOf(sought, where!.constant as Matching, (constant(casing) ?? 'same case') as Casing);
    const by = fresh.replaceAll('\\', '\\\\');
    const replaced = sql`regexp_replace(${t!.sql}, ${value(database)}::text, ${value(by)}::text, 'g')`;
    // A letter of another size may have fewer octets, but not less than one.
    const octets = t!.high * Math.max(1, octetsOf(fresh) / charactersOf(sought).length);
    if (ground.allows(octets <= mostCharacters)) return textTerm(replaced, octets);
    return textTerm(ground.call('bounded', replaced), 4 * mostCharacters);
  },
};
