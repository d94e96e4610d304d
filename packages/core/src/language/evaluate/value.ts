import Big from 'big.js';
import { DateTime } from 'luxon';

/**
 * A value of the language in memory: text; exact number; yes/no; a date as days since 1970-01-01 (`Day`); a moment as
 * microseconds since then (bigint); a list; an interval; null for blank.
 */
export type Value = string | Big | boolean | Day | bigint | readonly Value[] | Interval | null;

/** Days since 1970-01-01 in the Gregorian calendar, years 0001 to 9999. */
export class Day {
  constructor(readonly number: number) {}
}

/** Both ends belong to it; null: open. In microseconds or in days, as its members are. */
export class Interval {
  constructor(
    readonly from: Value,
    readonly to: Value,
  ) {}
}

/** Numbers are below this in size; beyond, the result is blank. */
const mostNumber = new Big('1e100');
/** Digits after the point; more are rounded, half away from zero. */
export const mostDecimals = 30;
/** Characters of a text that a function gives; beyond, the result is blank. */
export const mostCharacters = 1_000_000;
/** Digits after the point of a quotient. */
export const quotientDecimals = 16;

export function bounded(x: Big): Big | null {
  if (x.abs().gte(mostNumber)) return null;
  return x.round(mostDecimals, Big.roundHalfUp);
}

export function boundedText(text: string): string | null {
  return charactersOf(text).length > mostCharacters ? null : text;
}

/** The characters (code points) of a text. */
export function charactersOf(text: string): string[] {
  return Array.from(text);
}

/** Exact number of a text, or null where it is none. */
export function numberOf(text: string): Big | null {
  const said = trimmed(text);
  if (!/^[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,3})?$/.test(said) || said.length > 200 || text.length > 1000)
    return null;
  const plain = said
    .replace(/^\+/, '')
    .replace(/^(-?)\./, '$10.')
    .replace(/\.(?=$|[eE])/, '');
  return bounded(new Big(plain));
}

const around = ' \t\n\r\f\v\u00a0';

/** Without the white space that people leave around a number or a date. */
export function trimmed(text: string): string {
  let [from, to] = [0, text.length];
  while (from < to && around.includes(text[from]!)) from++;
  while (to > from && around.includes(text[to - 1]!)) to--;
  return text.slice(from, to);
}

/** A number without an exponent and without idle zeros. */
export function numberText(x: Big): string {
  const text = x.toFixed();
  return text.startsWith('-') && /^-[0.]*$/.test(text) ? text.slice(1) : text;
}

const dayMs = 86_400_000;

export function dayOf(year: number, month: number, day: number): Day {
  const at = new Date(0);
  at.setUTCFullYear(year, month - 1, day);
  return new Day(Math.round(at.getTime() / dayMs));
}

/** ISO 8601 calendar date, as checked before. */
export function dayFrom(text: string): Day {
  const [year, month, day] = text.split('-').map(Number);
  return dayOf(year!, month!, day!);
}

export function partsOfDay(day: Day): { year: number; month: number; day: number } {
  const at = new Date(day.number * dayMs);
  return { year: at.getUTCFullYear(), month: at.getUTCMonth() + 1, day: at.getUTCDate() };
}

export const firstDay = dayOf(1, 1, 1);
export const lastDay = dayOf(9999, 12, 31);

export function boundedDay(number: number): Day | null {
  return number >= firstDay.number && number <= lastDay.number ? new Day(number) : null;
}

export function dayText(day: Day): string {
  const { year, month, day: d } = partsOfDay(day);
  return `${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-${String(d).padStart(2, '0')}`;
}

/** The moment of a text that PostgreSQL would take: `2026-05-01 08:00:00.5+02:00`. */
export function momentFrom(text: string): bigint {
  const [, day, time, fraction = '', sign, hours, minutes = '00'] =
    /^(\d{4}-\d{2}-\d{2})[T ](\d{2}:\d{2}:\d{2})(?:\.(\d+))?([+-])(\d{2})(?::?(\d{2}))?$/.exec(
      text.replace(/z$/i, '+00'),
    )!;
  const [h, m, s] = time!.split(':').map(Number);
  const seconds = BigInt(dayFrom(day!).number) * 86_400n + BigInt(h! * 3600 + m! * 60 + s!);
  const offset = BigInt(Number(hours) * 3600 + Number(minutes) * 60) * (sign === '-' ? -1n : 1n);
  return (seconds - offset) * 1_000_000n + BigInt(fraction.padEnd(6, '0').slice(0, 6));
}

/**
 * The moment at which this zone's clocks show a time (`2026-05-01 08:00:00.5`). Of two, the later, as PostgreSQL has it;
 * a time that the clocks skip is as far behind the skip as it would have been.
 */
export function momentOfClock(text: string, timeZone: string): bigint {
  const clock = DateTime.fromSQL(text.slice(0, 19).replace('T', ' '), { zone: timeZone });
  const latest = Math.max(...clock.getPossibleOffsets().map((d) => d.toMillis()));
  const fraction = /\.(\d+)/.exec(text)?.[1] ?? '';
  return BigInt(latest) * 1000n + BigInt(fraction.padEnd(6, '0').slice(0, 6));
}

/** As PostgreSQL writes it in the time zone UTC. */
export function momentText(moment: bigint): string {
  const seconds = floorDivide(moment, 1_000_000n);
  const micros = moment - seconds * 1_000_000n;
  const days = floorDivide(seconds, 86_400n);
  const rest = Number(seconds - days * 86_400n);
  const two = (n: number): string => String(Math.floor(n)).padStart(2, '0');
  const fraction = micros === 0n ? '' : `.${String(micros).padStart(6, '0').replace(/0+$/, '')}`;
  return `${dayText(new Day(Number(days)))} ${two(rest / 3600)}:${two((rest % 3600) / 60)}:${two(rest % 60)}${fraction}+00`;
}

/** The day that a clock in this zone shows at the moment. */
export function dayAt(moment: bigint, timeZone: string): Day {
  const at = DateTime.fromMillis(Number(floorDivide(moment, 1000n)), { zone: timeZone });
  return dayOf(at.year, at.month, at.day);
}

/** The first moment of a day in this zone; where the clocks skip midnight, the moment they skip to. */
export function startOf(day: Day, timeZone: string): bigint {
  const { year, month, day: d } = partsOfDay(day);
  return BigInt(DateTime.fromObject({ year, month, day: d }, { zone: timeZone }).toMillis()) * 1000n;
}

function floorDivide(a: bigint, b: bigint): bigint {
  return a >= 0n ? a / b : -((-a + b - 1n) / b);
}

/** Below, equal, above: numbers by size, texts by code point, times by time. */
export function order(a: Value, b: Value): number {
  if (a instanceof Big && b instanceof Big) return a.cmp(b);
  if (a instanceof Day && b instanceof Day) return Math.sign(a.number - b.number);
  if (typeof a === 'string' && typeof b === 'string') return orderTexts(a, b);
  return a === b ? 0 : (a as bigint) < (b as bigint) ? -1 : 1;
}

function orderTexts(a: string, b: string): number {
  const as = charactersOf(a);
  const bs = charactersOf(b);
  for (let i = 0; i < Math.min(as.length, bs.length); i++)
    if (as[i] !== bs[i]) return as[i]!.codePointAt(0)! < bs[i]!.codePointAt(0)! ? -1 : 1;
  return Math.sign(as.length - bs.length);
}
