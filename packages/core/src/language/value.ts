import { DateTime } from 'luxon';
import { clip, type Base, type Field } from '../catalog/catalog';
import { closest } from '../catalog/closest';
import { fail, type Span } from '../problem';
import { quote } from './print';
import { isClock } from './types';

/** A person's text as the canonical text of a base type; throws `bad_value` with what would be right. */
export function canonical(base: Base, text: string, what: string, span?: Span): string {
  const bad = (message: string): never => fail('bad_value', message, { span });
  if (text.includes('\0')) return bad(`${what}: the text holds a character (NUL) that cannot be stored.`);
  const trimmed = text.trim();
  switch (base) {
    case 'text':
      return text;
    case 'number':
      if (!/^[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?$/.test(trimmed))
        return bad(`${what} is a number; “${clip(text)}” is not.`);
      if (trimmed.length > 200) return bad(`${what}: a number may have 200 digits; this one has more.`);
      return trimmed;
    case 'yes_no':
      if (/^(true|yes)$/i.test(trimmed)) return 'true';
      if (/^(false|no)$/i.test(trimmed)) return 'false';
      return bad(`${what} is yes or no; “${clip(text)}” is neither.`);
    case 'date':
      if (!isDay(trimmed)) return bad(`${what} is a date such as 2026-05-01; “${clip(text)}” is not.`);
      return trimmed;
    case 'moment':
      return (
        canonicalMoment(trimmed) ?? bad(`${what} is a moment such as 2026-05-01T08:00:00Z; “${clip(text)}” is not.`)
      );
    case 'uuid':
      if (!/^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i.test(trimmed))
        return bad(`${what} is a UUID; “${clip(text)}” is not.`);
      return trimmed.toLowerCase();
    case 'json':
      return isStorableJson(trimmed) ? trimmed : bad(`${what} is JSON, such as {"a": 1}; “${clip(text)}” is not.`);
    case 'list':
    case 'other':
      return bad(`${what} is of a kind that cannot be written here.`);
  }
}

/** JSON (RFC 8259) of a depth and with numbers and characters that PostgreSQL keeps. */
function isStorableJson(text: string): boolean {
  if (text.length > longestJson || /\p{Cs}/u.test(text)) return false;
  let outside: string;
  try {
    JSON.parse(text);
    const strings = /"(?:[^"\\]|\\.)*"/g;
    // NUL and halves of surrogate pairs are JSON, and no text of a database; nor is a number of thousands of digits kept.
    if ([...text.matchAll(strings)].some(([s]) => /\0|\p{Cs}/u.test(String(JSON.parse(s))))) return false;
    outside = text.replace(strings, '""');
  } catch {
    return false;
  }
  let depth = 0;
  for (const [bracket] of outside.matchAll(/[[{\]}]/g)) {
    depth += bracket === '[' || bracket === '{' ? 1 : -1;
    if (depth > deepestJson) return false;
  }
  return !/[eE][+-]?\d{4}|\d{1000}/.test(outside);
}
const longestJson = 1_000_000;
const deepestJson = 100;

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

/** True for a day of the Gregorian calendar written as ISO 8601, years 0001 to 9999. */
export function isDay(text: string): boolean {
  const match = /^(\d{4})-(\d{2})-(\d{2})$/.exec(text);
  if (!match || match[1] === '0000') return false;
  const day = new Date(`${text}T00:00:00Z`);
  return !Number.isNaN(day.getTime()) && day.toISOString().startsWith(text);
}

/** ISO 8601 date and time as PostgreSQL takes it; without an offset it is that of the zone's clocks. */
export function canonicalMoment(text: string, timeZone = 'UTC'): string | undefined {
  const match = /^(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}):(\d{2})(?::(\d{2})(\.\d{1,6})?)?\s*(Z|[+-]\d{2}:?\d{2})?)?$/i.exec(
    text,
  );
  if (!match || !isDay(match[1]!)) return undefined;
  const [, day, hour = '00', minute = '00', second = '00', fraction = '', zone] = match;
  if (Number(hour) > 23 || Number(minute) > 59 || Number(second) > 59) return undefined;
  const clock = `${day} ${hour}:${minute}:${second}${fraction}`;
  if (zone === undefined) return `${clock}${offsetOf(clock, timeZone)}`;
  const offset = zone.toUpperCase() === 'Z' ? '+00:00' : zone;
  if (Number(offset.slice(1, 3)) > 15 || Number(offset.slice(-2)) > 59) return undefined;
  return `${clock}${offset}`;
}

function offsetOf(clock: string, timeZone: string): string {
  if (timeZone === 'UTC') return '+00:00';
  return DateTime.fromSQL(clock.slice(0, 19), { zone: timeZone }).toFormat('ZZ');
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

function checkNumber(field: Field, text: string): void {
  const [, sign, whole, fraction] = plainDigits(text);
  if (field.scale !== null && fraction!.length > field.scale) {
    const rule = field.scale === 0 ? 'is a whole number' : `takes ${field.scale} digits after the point`;
    fail('bad_value', `${field.label} ${rule}; “${clip(text)}” has more.`);
  }
  const limit = wholeLimits[field.dbType];
  if (limit !== undefined) {
    const number = BigInt(whole === '' ? '0' : whole!);
    if (number > limit + (sign === '-' ? 1n : 0n))
      fail('bad_value', `${field.label} takes numbers up to ${limit}; “${clip(text)}” is beyond.`);
  } else if (field.precision !== null && whole!.length > field.precision - (field.scale ?? 0)) {
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
