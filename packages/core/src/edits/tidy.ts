import { and, call, fieldTree, isBlank, not, numberTree, textTree } from '../language/build';
import type { Checked } from '../language/checked';
import { list } from '../language/words';
import { fail } from '../problem';
import type { EditKind } from './kind';
import { fieldName, many, oneOf, optional, shortText } from './member';
import { editableField, fieldWords, isFreeText } from './value';
import { worked } from './worked';

const bySpaces = (t: Checked): Checked => call('trim', 'text', t);

/** What can be done to a text, each with its words. */
const steps = {
  spaces: { words: 'without idle spaces', of: bySpaces },
  lower: { words: 'in small letters', of: (t: Checked) => call('lower', 'text', t) },
  upper: { words: 'in capitals', of: (t: Checked) => call('upper', 'text', t) },
  title: { words: 'with a capital at each word', of: (t: Checked) => call('proper', 'text', t) },
  digits: { words: 'only its digits', of: (t: Checked) => call('digits', 'text', t) },
  phone: { words: 'as a phone number', of: phone },
  mail: { words: 'as a mail address', of: mail },
} as const;
type Step = keyof typeof steps;
const stepNames = Object.keys(steps) as Step[];

/** Brings texts into one form, step by step. */
export interface TidyEdit {
  readonly kind: 'tidy';
  readonly field: string;
  readonly how: readonly Step[];
  /** For `phone`: the country’s digits, such as 49, for numbers that begin with a single 0. */
  readonly country?: string;
}

export const tidy: EditKind<TidyEdit> = {
  members: { field: fieldName, how: many(oneOf(stepNames), 10), country: optional(shortText) },
  doc: 'Texts brought into one form: spaces, capitals, digits, phone numbers, mail addresses.',
  example: { kind: 'tidy', field: 'region', how: ['spaces', 'title'] },
  words: ['trim', 'clean', 'format', 'normalise', 'capitals', 'spaces', 'standardise'],
  lower(edit, about) {
    const field = editableField(about.type, edit.field);
    if (!isFreeText(field)) fail('type_mismatch', `${field.label} is no free text.`, { where: 'field' });
    if (edit.country !== undefined && !/^\+?[1-9]\d{0,3}$/.test(edit.country))
      fail('bad_value', 'The country is said by its digits, such as 49.', { where: 'country' });
    const own = fieldTree(about.type, field);
    const country = edit.country?.replace('+', '') ?? null;
    const made = edit.how.reduce<Checked>((t, step) => steps[step].of(t, country), own);
    return [{ field, value: worked(made, field, about.catalog), when: and(not(isBlank(own))) }];
  },
  sentence(edit, { type }) {
    const words = edit.how.map((step) => steps[step]?.words ?? step);
    return `tidy ${fieldWords(type, edit.field).label}: ${list(words, 'and')}`;
  },
};

/** `+` and digits (ITU-T E.123 without its spaces); 00 at the start is the +. */
function phone(t: Checked, country: string | null): Checked {
  const digits = call('digits', 'text', t);
  const from = (place: number): Checked => call('mid', 'text', digits, numberTree(String(place)), numberTree('100'));
  const plus = (...rest: readonly Checked[]): Checked => call('concatenate', 'text', textTree('+'), ...rest);
  const starts = (of: Checked, prefix: string): Checked => call('starts_with', 'yes_no', of, textTree(prefix));
  const national: Checked[] = country === null ? [] : [starts(digits, '0'), plus(textTree(country), from(2))];
  return call(
    'ifs',
    'text',
    starts(bySpaces(t), '+'),
    plus(digits),
    starts(digits, '00'),
    plus(from(3)),
    ...national,
    { kind: 'value', dbType: 'boolean', text: 'true' },
    digits,
  );
}

/** Small letters, no spaces, no `mailto:`. */
function mail(t: Checked): Checked {
  const bare = call('substitute', 'text', call('lower', 'text', t), textTree(' '), textTree(''));
  return call('replaced', 'text', bare, textTree('mailto:'), textTree(''), textTree('start'));
}
