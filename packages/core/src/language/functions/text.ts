import Big from 'big.js';
import { join, raw, sql, type Sql } from '../../sql/sql';
import {
  bounded,
  boundedText,
  charactersOf,
  dayAt,
  dayText,
  Day,
  momentText,
  numberOf,
  numberText,
  trimmed,
  type Value,
} from '../evaluate/value';
import { mostCharacters, mostDecimals } from '../limits';
import { short, text as textTerm, Term, whole as wholeTerm, yesNo, type Ground } from '../term';
import type { Env, FunctionEntry } from './entry';

const whole = (v: Value): number => Math.max(-2e9, Math.min(2e9, Number((v as Big).round(0, Big.roundDown))));
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
  make: (t: Sql, ground: Ground) => Sql,
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
  // No letter becomes more than three of its size, in any of them.
  sql: ([t], _, ground) => textTerm(make(t!.sql, ground), t!.high * 3),
});

const by =
  (call: string) =>
  (t: Sql): Sql =>
    sql`tantamos.${raw(call)}(${t})`;

const twoTexts = (
  name: string,
  doc: string,
  example: string,
  evaluate: (a: string, b: string) => boolean,
  make: (a: Sql, b: Sql) => Sql,
) =>
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
    sql: ([a, b], _, ground) => yesNo(ground.once([b!.sql], (part) => make(a!.sql, part))),
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

const numberIn = (t: Sql): Sql => {
  const isShort = sql`octet_length(${t}) <= ${raw(String(mostDecimals))}`;
  return sql`(case when ${isShort} and ${t} ~ '^ *[+-]?[0-9]+(\\.[0-9]*)? *$' then ${t}::numeric
    when ${t} ~ '[0-9]' then tantamos.value_of(${t}) end)`;
};
const octetsOf = (t: string): number => new TextEncoder().encode(t).length;
const isAscii = (t: Sql): Sql => sql`octet_length(${t}) = char_length(${t})`;
/** The octets of a text that a function gives. */
const mostOctets = 4 * mostCharacters;
const one = wholeTerm(raw('1'), 1, 1, '1');

/** A number of characters, where it is known to be one. */
function countOf(n: Term): Sql | null {
  if (n.low < 0 || n.high > 1e9) return null;
  if (n.cut !== null) return raw(String(n.cut));
  return n.whole ? sql`${n.sql}::int` : sql`trunc(${n.sql})::int`;
}

/** Characters from a place on. */
function part(t: Term, start: Term, length: Term, ground: Ground): Term {
  const [from, n] = [countOf(start), countOf(length)];
  if (from === null || n === null || (start.cut ?? start.low) < 1)
    return textTerm(ground.call('part', t.sql, start.canonical, length.canonical), t.high);
  const octets = Math.min(t.high, 4 * length.high);
  return textTerm(start.cut === 1 ? sql`left(${t.sql}, ${n})` : sql`substr(${t.sql}, ${from}, ${n})`, octets);
}

/** As the evaluator writes it (`asPlainText`): the connection's DateStyle is ISO. */
export function asText(v: Term): Term {
  switch (v.type) {
    case 'number':
      return textTerm(sql`(${v.whole ? v.sql : sql`trim_scale(${v.sql})`}::text collate "C")`, 200);
    case 'date':
      return textTerm(sql`(${v.sql}::text collate "C")`, 10);
    case 'text':
      return v;
    default:
      return textTerm(sql`tantamos.as_text(${v.sql})`, 40);
  }
}

export const textFunctions: readonly FunctionEntry[] = [
  oneText('UPPER', 'The text in capitals.', 'UPPER(note)', by('upper'), (t) => t.toUpperCase()),
  oneText('LOWER', 'The text in small letters.', 'LOWER(note)', by('lower'), (t) => t.toLowerCase()),
  oneText(
    'PROPER',
    'Every word with a capital first, the rest small, as people write: Don’t, 2nd, O’Brien.',
    'PROPER(region)',
    (t, ground) =>
      // Of plain letters and signs, the database knows the words as we do.
      ground.once(
        [t],
        (said) => sql`(case when ${isAscii(said)} and strpos(${said}, '''') = 0
          then initcap(${said} collate "C") else tantamos.proper(${said}) end)`,
        short,
      ),
    proper,
    'Tantamos',
  ),
  oneText(
    'TRIM',
    'Without spaces at both ends, and one where several stood.',
    'TRIM(site.name)',
    (t, ground) =>
      ground.once(
        [t],
        (said) => sql`(case when strpos(${said}, '  ') = 0 then btrim(${said}, ' ') else tantamos.trim(${said}) end)`,
        short,
      ),
    (t) => t.replace(/ +/g, ' ').replace(/^ | $/g, ''),
  ),
  {
    ...oneText('LEN', 'Number of characters.', 'LEN(reference) > 9', by('lower'), () => null),
    result: 'number',
    evaluate: ([t]) => new Big(charactersOf(text(t!)).length),
    sql: ([t]) => wholeTerm(sql`char_length(${t!.sql})::bigint`, 0, Math.min(t!.high, 1e9)),
  },
  oneText(
    'digits',
    'Only the digits 0 to 9 of the text.',
    "digits(reference) = '000123'",
    (t) => sql`regexp_replace(${t}, '[^0-9]', '', 'g')`,
    (t) => t.replace(/[^0-9]/g, ''),
    'Tantamos',
  ),
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
    sql: ([t, n], _, ground) => part(t!, one, n ?? one, ground),
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
    sql([t, n = one], _, ground) {
      const length = countOf(n);
      if (length === null) return textTerm(ground.call('right_part', t!.sql, n.canonical), t!.high);
      return textTerm(sql`right(${t!.sql}, ${length})`, Math.min(t!.high, 4 * n.high));
    },
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
    sql: ([t, from, n], _, ground) => part(t!, from!, n!, ground),
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
    sql([t, old, now, which], _, ground) {
      const checked = [t!.sql, old!.sql, now!.sql, ...(which ? [which.canonical] : [])];
      if (which || old!.constant === null || old!.constant === '' || now!.constant === null)
        return textTerm(ground.call('substitute', ...checked), mostOctets);
      const octets = t!.high * Math.max(1, octetsOf(now!.constant) / octetsOf(old!.constant));
      if (!ground.allows(octets <= mostCharacters)) return textTerm(ground.call('substitute', ...checked), mostOctets);
      return textTerm(sql`replace(${t!.sql}, ${old!.sql}, ${now!.sql})`, octets);
    },
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
    sql(all, _, ground) {
      const said = sql`concat(${join(
        all.map((t) => t.sql),
        ', ',
      )})`;
      const octets = all.reduce((sum, t) => sum + t.high, 0);
      if (ground.allows(octets <= mostCharacters)) return textTerm(said, octets);
      return textTerm(ground.call('bounded', said), mostOctets);
    },
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
    sql: ([v]) => asText(v!),
  },
  {
    name: 'VALUE',
    group: 'Text',
    source: 'Tantamos',
    doc: 'The number a text says, 50% being a half; blank where it says none.',
    example: 'VALUE(RIGHT(reference, 4)) < 100',
    parameters: [{ name: 'text', type: 'text' }],
    result: 'number',
    evaluate: ([t]) => valueOf(text(t!)),
    // Most numbers are digits alone; what else one can be is looked at by a function of ours.
    sql: ([t], _, ground) =>
      new Term(
        ground.once([t!.sql], (said) => numberIn(said), short),
        'number',
      ),
  },
  twoTexts(
    'starts_with',
    'Does the text begin so?',
    "starts_with(reference, 'B-00001')",
    (a, b) => a.startsWith(b),
    (a, b) => sql`starts_with(${a}, ${b})`,
  ),
  twoTexts(
    'ends_with',
    'Does the text end so?',
    "ends_with(grower.name, 'Orchards')",
    (a, b) => a.endsWith(b),
    (a, b) => sql`(right(${a}, char_length(${b})) = ${b})`,
  ),
  twoTexts(
    'contains',
    'Does the text hold this part?',
    "contains(note, 'frost')",
    (a, b) => a.includes(b),
    (a, b) => sql`(strpos(${a}, ${b}) > 0)`,
  ),
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
    sql([t, n, fill], _, ground) {
      const length = n!.cut;
      const isOne = !fill || (fill.constant !== null && charactersOf(fill.constant).length === 1);
      const space = raw(`' '`);
      if (length === null || !isOne || length > mostCharacters || length < 0)
        return textTerm(ground.call('pad', t!.sql, n!.canonical, fill?.sql ?? space), t!.high + mostOctets);
      const padded = ground.once(
        [t!.sql],
        (said) => sql`lpad(${said}, greatest(${raw(String(length))}, char_length(${said})), ${fill?.sql ?? space})`,
      );
      return textTerm(padded, t!.high + 4 * length);
    },
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
    sql: ([t]) => textTerm(sql`tantamos.fold_case(${t!.sql})`, t!.high * 9),
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
    sql: ([t], _, ground) => {
      const without = ground.once(
        [t!.sql],
        (said) => sql`(case when ${isAscii(said)} then ${said} else tantamos.without_marks(${said}) end)`,
        short,
      );
      return textTerm(without, t!.high * 9);
    },
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
