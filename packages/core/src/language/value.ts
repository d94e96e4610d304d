import { clip, type Field } from '../catalog/catalog';
import { closest } from '../catalog/closest';
import { ofBase, type Base } from '../catalog/kinds';
import { canonicalMoment, isClock } from '../catalog/kinds/clock';
import { fail, type Span } from '../problem';
import { quote } from './print';

/** A person's text as the canonical text of a base type; throws `bad_value` with what would be right. */
export function canonical(base: Base, text: string, what: string, span?: Span): string {
  const bad = (message: string): never => fail('bad_value', message, { span });
  if (text.includes('\0')) return bad(`${what}: the text holds a character (NUL) that cannot be stored.`);
  return ofBase(base).canonical({ text, trimmed: text.trim(), what, short: clip(text), bad });
}

/** The stored value of a choice, said by its value or its label. */
export function choiceValue(field: Field, text: string, span?: Span): string {
  const choices = field.choices ?? [];
  // In a filter a suggestion takes the place of a quoted text.
  const shown = (values: string[]): string[] => [...new Set(values)].slice(0, 5).map((v) => (span ? quote(v) : v));
  const byValue = choices.find((c) => c.value === text);
  const byLabel = choices.filter((c) => c.label === text);
  if (byValue && byLabel.some((c) => c.value !== byValue.value))
    return fail(
      'ambiguous_name',
      `“${clip(text)}” is the value of one choice and the label of another of ${field.label}.`,
      {
        span,
        suggestions: shown([byValue.value, ...byLabel.map((c) => c.value)]),
      },
    );
  const found = byValue ?? (byLabel.length === 1 ? byLabel[0] : undefined) ?? looseChoice(choices, text);
  if (found) return found.value;
  const near = closest(
    text,
    choices.flatMap((c) => [c.value, c.label]),
  ).map((n) => choices.find((c) => c.value === n || c.label === n)!.value);
  return fail(
    'unknown_choice',
    `“${clip(text)}” is no choice of ${field.label}; the choices are ${choices.map((c) => c.value).join(', ')}.`,
    {
      span,
      suggestions: shown([...near, ...choices.map((c) => c.value)]),
    },
  );
}

function looseChoice(choices: NonNullable<Field['choices']>, text: string) {
  const lower = text.toLowerCase();
  const hits = choices.filter((c) => c.value.toLowerCase() === lower || c.label.toLowerCase() === lower);
  return hits.length === 1 ? hits[0] : undefined;
}

/** The smallest PostgreSQL type that holds the number, so that an index on whole numbers stays usable. */
export function numberType(text: string): string {
  return /^-?\d{1,18}$/.test(text) ? 'bigint' : 'numeric';
}

/** What a person types for a field, as the text stored in it; throws when it does not fit the field's limits. */
export function fitToField(field: Field, input: string): string {
  if (field.choices) return choiceValue(field, input);
  const text = isClock(field.dbType) ? clockTime(field, input) : canonical(field.base, input, field.label);
  if (field.base === 'text' && field.maxLength !== null && [...text].length > field.maxLength)
    return fail('value_too_long', `${field.label} takes ${field.maxLength} characters; this has ${[...text].length}.`);
  if (field.base === 'number') checkNumber(field, text);
  return text;
}

/** What the workspace's clocks show: a time without an offset. */
function clockTime(field: Field, input: string): string {
  const text = input.trim();
  const found = /(Z|[+-]\d{2}:?\d{2})$/i.test(text.slice(10)) ? undefined : canonicalMoment(text);
  if (found !== undefined) return found.slice(0, -6);
  return fail(
    'bad_value',
    `${field.label} is a time such as 2026-05-01 08:00, without an offset; “${clip(input)}” is not.`,
  );
}

const wholeLimits: Record<string, bigint> = { smallint: 32767n, integer: 2147483647n, bigint: 9223372036854775807n };

/** The least and the greatest number that a type of the database holds; null where it holds any of the language. */
export function numberLimits(
  dbType: string,
  precision: number | null,
  scale: number | null,
): { readonly low: string; readonly high: string } | null {
  const whole = wholeLimits[dbType];
  if (whole !== undefined) return { low: String(-whole - 1n), high: String(whole) };
  if (dbType === 'real') return { low: '-3.4e38', high: '3.4e38' };
  if (precision === null) return null;
  const digits = precision - (scale ?? 0);
  const nines = `${digits > 0 ? '9'.repeat(digits) : '0'}${scale && scale > 0 ? `.${'9'.repeat(scale)}` : ''}`;
  return { low: `-${nines}`, high: nines };
}

function checkNumber(field: Field, text: string): void {
  const [, sign, whole, fraction] = plainDigits(text);
  if (field.scale !== null && fraction.length > field.scale) {
    const rule = field.scale === 0 ? 'is a whole number' : `takes ${field.scale} digits after the point`;
    fail('bad_value', `${field.label} ${rule}; “${clip(text)}” has more.`);
  }
  const limit = wholeLimits[field.dbType];
  if (limit !== undefined) {
    const number = BigInt(whole === '' ? '0' : whole);
    if (number > limit + (sign === '-' ? 1n : 0n))
      fail('bad_value', `${field.label} takes numbers up to ${limit}; “${clip(text)}” is beyond.`);
  } else if (field.precision !== null && whole.length > field.precision - (field.scale ?? 0)) {
    fail(
      'bad_value',
      `${field.label} takes ${field.precision - (field.scale ?? 0)} digits before the point; “${clip(text)}” has more.`,
    );
  }
}

/** Sign, digits before and after the point, with an exponent worked in and idle zeros gone. */
function plainDigits(text: string): [string, string, string, string] {
  const match = /^([+-]?)(\d*)(?:\.(\d*))?(?:[eE]([+-]?\d+))?$/.exec(text)!;
  let whole = match[2] ?? '';
  let fraction = match[3] ?? '';
  let exponent = Number(match[4] ?? 0);
  for (; exponent > 0; exponent--) {
    whole += fraction[0] ?? '0';
    fraction = fraction.slice(1);
  }
  for (; exponent < 0; exponent++) {
    fraction = (whole.at(-1) ?? '0') + fraction;
    whole = whole.slice(0, -1);
  }
  return [text, match[1]!, whole.replace(/^0+/, ''), fraction.replace(/0+$/, '')];
}
