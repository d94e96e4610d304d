import Big from 'big.js';
import { join, raw, sql } from '../../sql/sql';
import {
  bounded,
  boundedText,
  charactersOf,
  dayAt,
  dayText,
  Day,
  momentText,
  mostCharacters,
  numberOf,
  numberText,
  trimmed,
  type Value,
} from '../evaluate/value';
import type { Env, FunctionEntry } from './entry';

const whole = (v: Value): number => Math.trunc(Math.max(-2e9, Math.min(2e9, Number(v as Big))));
const text = (v: Value): string => v as string;

/** A value as its text: numbers without idle zeros, dates as ISO 8601, moments in UTC, yes/no as true and false. */
export function asPlainText(v: Value): string {
  if (v instanceof Big) return numberText(v);
  if (v instanceof Day) return dayText(v);
  if (typeof v === 'bigint') return momentText(v);
  return String(v);
}

const oneText = (
  name: string,
  doc: string,
  example: string,
  call: string,
  evaluate: (t: string) => Value,
  source: FunctionEntry['source'] = 'OpenFormula',
): FunctionEntry => ({
  name,
  group: 'Text',
  source,
  doc,
  example,
  parameters: [{ name: 'text', type: 'text' }],
  result: 'text',
  evaluate: ([t]) => evaluate(text(t!)),
  sql: ([t]) => sql`${raw(call)}(${t!})`,
});

const twoTexts = (name: string, doc: string, example: string, evaluate: (a: string, b: string) => boolean) =>
  ({
    name,
    group: 'Text',
    source: 'Tantamos',
    doc,
    example,
    parameters: [
      { name: 'text', type: 'text' },
      { name: 'part', type: 'text' },
    ],
    result: 'yes_no',
    evaluate: ([a, b]) => evaluate(text(a!), text(b!)),
    sql: ([a, b]) => sql`tantamos.${raw(name)}(${a!}, ${b!})`,
  }) satisfies FunctionEntry;

/** Word by word: letters and digits, with apostrophes between them. `O’Brien` begins anew, `don’t` and `2nd` do not. */
function proper(t: string): string {
  return t.toLowerCase().replace(/[\p{L}\p{Nd}]+(?:['’][\p{L}\p{Nd}]+)*/gu, (word) => {
    const letters = charactersOf(word);
    const again = /^\p{L}['’]\p{L}{3}/u.test(word);
    return letters.map((l, i) => (i === 0 || (again && i === 2) ? l.toUpperCase() : l)).join('');
  });
}

/** Full case folding (Unicode CaseFolding, C and F), as the database does it: see `tantamos.fold_case`. */
export function foldCase(t: string): string {
  const folded = t.replaceAll('\u0131', '\uf131').toLowerCase().toUpperCase().toLowerCase();
  return folded.replaceAll('\u03c2', '\u03c3');
}

/** The number a text says; `50%` is a half. */
function valueOf(t: string): Value {
  const bare = trimmed(t);
  if (!bare.endsWith('%')) return numberOf(t);
  const number = numberOf(trimmed(bare.slice(0, -1)));
  return number && bounded(number.div(100));
}

function substitute(t: string, old: string, now: string, which: number | null): Value {
  if (which !== null && which < 1) return null;
  if (old === '') return t;
  const pieces = t.split(old);
  const size = charactersOf(t).length + (pieces.length - 1) * (charactersOf(now).length - charactersOf(old).length);
  if (size > mostCharacters) return null;
  if (which === null) return pieces.join(now);
  if (which >= pieces.length) return t;
  return [pieces.slice(0, which).join(old), pieces.slice(which).join(old)].join(now);
}

export const textFunctions: readonly FunctionEntry[] = [
  oneText('UPPER', 'The text in capitals.', 'UPPER(note)', 'tantamos.upper', (t) => t.toUpperCase()),
  oneText('LOWER', 'The text in small letters.', 'LOWER(note)', 'tantamos.lower', (t) => t.toLowerCase()),
  oneText(
    'PROPER',
    'Every word with a capital first, the rest small, as people write: Don’t, 2nd, O’Brien.',
    'PROPER(region)',
    'tantamos.proper',
    proper,
    'Tantamos',
  ),
  oneText(
    'TRIM',
    'Without spaces at both ends, and one where several stood.',
    'TRIM(site.name)',
    'tantamos.trim',
    (t) => t.replace(/ +/g, ' ').replace(/^ | $/g, ''),
  ),
  {
    ...oneText('LEN', 'Number of characters.', 'LEN(reference) > 9', 'char_length', () => null),
    result: 'number',
    evaluate: ([t]) => new Big(charactersOf(text(t!)).length),
    sql: ([t]) => sql`char_length(${t!})::numeric`,
  },
  {
    name: 'LEFT',
    group: 'Text',
    source: 'OpenFormula',
    doc: 'The first characters; one where no length is given.',
    example: 'LEFT(reference, 2)',
    parameters: [
      { name: 'text', type: 'text' },
      { name: 'length', type: 'number', optional: true },
    ],
    result: 'text',
    evaluate: ([t, n = new Big(1)]) => (whole(n) < 0 ? null : charactersOf(text(t!)).slice(0, whole(n)).join('')),
    sql: ([t, n = raw('1')]) => sql`tantamos.part(${t!}, 1, ${n})`,
  },
  {
    name: 'RIGHT',
    group: 'Text',
    source: 'OpenFormula',
    doc: 'The last characters; one where no length is given.',
    example: "RIGHT(reference, 3) = '001'",
    parameters: [
      { name: 'text', type: 'text' },
      { name: 'length', type: 'number', optional: true },
    ],
    result: 'text',
    evaluate: ([t, n = new Big(1)]) => {
      const all = charactersOf(text(t!));
      return whole(n) < 0 ? null : all.slice(Math.max(0, all.length - whole(n))).join('');
    },
    sql: ([t, n = raw('1')]) => sql`tantamos.right_part(${t!}, ${n})`,
  },
  {
    name: 'MID',
    group: 'Text',
    source: 'OpenFormula',
    doc: 'Characters from a place on; the first is 1.',
    example: 'MID(reference, 3, 4)',
    parameters: [
      { name: 'text', type: 'text' },
      { name: 'start', type: 'number' },
      { name: 'length', type: 'number' },
    ],
    result: 'text',
    evaluate: ([t, from, n]) =>
      whole(from!) < 1 || whole(n!) < 0
        ? null
        : charactersOf(text(t!))
            .slice(whole(from!) - 1, whole(from!) - 1 + whole(n!))
            .join(''),
    sql: ([t, from, n]) => sql`tantamos.part(${t!}, ${from!}, ${n!})`,
  },
  {
    name: 'SUBSTITUTE',
    group: 'Text',
    source: 'OpenFormula',
    doc: 'Every place where the old text stands gets the new one; or only the place counted by which.',
    example: "SUBSTITUTE(note, '  ', ' ')",
    parameters: [
      { name: 'text', type: 'text' },
      { name: 'old', type: 'text' },
      { name: 'new', type: 'text' },
      { name: 'which', type: 'number', optional: true },
    ],
    result: 'text',
    evaluate: ([t, old, now, which]) =>
      substitute(text(t!), text(old!), text(now!), which === undefined ? null : whole(which)),
    sql: ([t, old, now, which]) =>
      which
        ? sql`tantamos.substitute(${t!}, ${old!}, ${now!}, ${which})`
        : sql`tantamos.substitute(${t!}, ${old!}, ${now!})`,
  },
  {
    name: 'CONCATENATE',
    group: 'Text',
    source: 'OpenFormula',
    doc: 'The texts one after another; a blank one adds nothing, a number or date is added as TEXT writes it.',
    example: "CONCATENATE(reference, ' / ', hives)",
    parameters: [{ name: 'text', type: 'text', repeats: true, takes: 'any' }],
    result: 'text',
    takesBlanks: true,
    evaluate: (all) => boundedText(all.map((t) => (t === null ? '' : text(t))).join('')),
    sql: (all) => sql`tantamos.bounded(concat(${join(all, ', ')}))`,
  },
  {
    name: 'TEXT',
    group: 'Text',
    source: 'Tantamos',
    doc: 'A value as text: a number without idle zeros, a date as 2026-05-01, a moment in UTC.',
    example: "CONCATENATE(TEXT(hives), ' hives')",
    parameters: [{ name: 'value', type: 'A' }],
    result: 'text',
    evaluate: ([v]) => asPlainText(v!),
    sql: ([v]) => sql`tantamos.as_text(${v!})`,
  },
  {
    name: 'VALUE',
    group: 'Text',
    source: 'OpenFormula',
    doc: 'The number a text says, 50% being a half; blank where it says none.',
    example: 'VALUE(RIGHT(reference, 4)) < 100',
    parameters: [{ name: 'text', type: 'text' }],
    result: 'number',
    evaluate: ([t]) => valueOf(text(t!)),
    sql: ([t]) => sql`tantamos.value_of(${t!})`,
  },
  twoTexts('starts_with', 'Does the text begin so?', "starts_with(reference, 'B-00001')", (a, b) => a.startsWith(b)),
  twoTexts('ends_with', 'Does the text end so?', "ends_with(grower.name, 'Orchards')", (a, b) => a.endsWith(b)),
  twoTexts('contains', 'Does the text hold this part?', "contains(note, 'frost')", (a, b) => a.includes(b)),
  {
    name: 'pad',
    group: 'Text',
    source: 'Tantamos',
    doc: 'The text made as long as this by a character in front, a space unless another is given; a longer one stays.',
    example: "pad(TEXT(hives), 4, '0')",
    parameters: [
      { name: 'text', type: 'text' },
      { name: 'length', type: 'number' },
      { name: 'with', type: 'text', optional: true },
    ],
    result: 'text',
    evaluate: ([t, n, fill = ' ']) => {
      const missing = whole(n!) - charactersOf(text(t!)).length;
      if (whole(n!) > mostCharacters || charactersOf(text(fill)).length !== 1) return null;
      return missing > 0 ? text(fill).repeat(missing) + text(t!) : t!;
    },
    sql: ([t, n, fill = raw(`' '`)]) => sql`tantamos.pad(${t!}, ${n!}, ${fill})`,
  },
  {
    name: 'CASEI',
    group: 'Comparing texts',
    source: 'OGC CQL2',
    doc: 'The text for comparing without regard to capitals, in full as Unicode has it: ß is ss, there is one sigma.',
    example: "CASEI(grower.name) LIKE CASEI('%ORCHARDS')",
    parameters: [{ name: 'text', type: 'text' }],
    result: 'text',
    evaluate: ([t]) => foldCase(text(t!)),
    sql: ([t]) => sql`tantamos.fold_case(${t!})`,
  },
  {
    name: 'ACCENTI',
    group: 'Comparing texts',
    source: 'OGC CQL2',
    doc: 'The text for comparing without regard to accents and other marks.',
    example: "ACCENTI(grower.name) = ACCENTI('Café Orchards')",
    parameters: [{ name: 'text', type: 'text' }],
    result: 'text',
    evaluate: ([t]) => withoutMarks(text(t!)),
    sql: ([t]) => sql`tantamos.without_marks(${t!})`,
  },
];

/** Decomposed, the combining marks taken out (their five blocks in Unicode), composed again. */
export function withoutMarks(t: string): string {
  return t
    .normalize('NFD')
    .replace(/[\u0300-\u036f\u1ab0-\u1aff\u1dc0-\u1dff\u20d0-\u20ff\ufe20-\ufe2f]/g, '')
    .normalize('NFC');
}

/** The day NOW falls on. */
export function today(env: Env): Day {
  return dayAt(env.now, env.timeZone);
}
