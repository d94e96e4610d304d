import Big from 'big.js';
import { join, raw, sql } from '../../sql/sql';
import {
  boundedText,
  charactersOf,
  dayAt,
  dayText,
  Day,
  momentText,
  mostCharacters,
  numberOf,
  numberText,
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

/** Word by word: a word is a run of letters. */
function proper(t: string): string {
  return t.toLowerCase().replace(/\p{L}+/gu, (word) => {
    const [first, ...rest] = charactersOf(word);
    return first!.toUpperCase() + rest.join('');
  });
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
  oneText('PROPER', 'Every word with a capital first, the rest small.', 'PROPER(region)', 'tantamos.proper', proper),
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
    doc: 'The texts one after another; a blank one adds nothing.',
    example: "CONCATENATE(reference, ' / ', grower.name)",
    parameters: [{ name: 'text', type: 'text', repeats: true }],
    result: 'text',
    takesBlanks: true,
    evaluate: (all) => boundedText(all.map((t) => (t === null ? '' : text(t))).join('')),
    sql: (all) => sql`tantamos.bounded(concat(${join(all, ', ')}))`,
  },
  {
    name: 'TEXT',
    group: 'Text',
    source: 'OpenFormula',
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
    doc: 'The number a text says; blank where it says none.',
    example: 'VALUE(RIGHT(reference, 4)) < 100',
    parameters: [{ name: 'text', type: 'text' }],
    result: 'number',
    evaluate: ([t]) => numberOf(text(t!)),
    sql: ([t]) => sql`tantamos.to_number(${t!})`,
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
    doc: 'The text for comparing without regard to capitals.',
    example: "CASEI(grower.name) LIKE CASEI('%ORCHARDS')",
    parameters: [{ name: 'text', type: 'text' }],
    result: 'text',
    evaluate: ([t]) => text(t!).toLowerCase(),
    sql: ([t]) => sql`tantamos.lower(${t!})`,
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
