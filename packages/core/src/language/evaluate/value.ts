import Big from 'big.js';
import { aheadAt, aheadOfClock } from '../../catalog/kinds/clock';
import { firstDay, lastDay, mostCharacters, mostDecimals, mostNumber } from '../limits';

/**
 * A value of the language in memory: text; exact number; yes/no; a date as days since 1970-01-01 (`Day`); a moment as
 * microseconds since then (bigint); a list; an interval; null for blank.
 */
export type Value = string | Big | Unbounded | boolean | Day | bigint | readonly Value[] | Interval | null;

/** A number that is none for calculations: an infinity, NaN (after all others), or one too great. It can be compared. */
export class Unbounded {
  constructor(readonly number: number) {}
}

/** Days since 1970-01-01 in the Gregorian calendar; beyond the years 0001 to 9999, and infinite, only for comparing. */
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

export function bounded(x: Big): Big | null {
  if (x.abs().gte(new Big(mostNumber))) return null;
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

/** A moment that is infinitely far, as a number that no other is beyond. */
export const farMoment = 1n << 70n;

/** A date as PostgreSQL writes it: `2026-05-01`, `0044-03-15 BC`, `infinity`. */
export function anyDay(text: string): Day {
  if (text.endsWith('infinity')) return new Day(text.startsWith('-') ? -Infinity : Infinity);
  const [, year, month, day, before] = /^(\d+)-(\d\d)-(\d\d)( BC)?$/.exec(text)!;
  return new Day(dayNumber(before ? 1 - Number(year) : Number(year), Number(month), Number(day)));
}

/** Days from 1970-01-01, for any year; a year begins with March here, so that leap days come last. */
function dayNumber(year: number, month: number, day: number): number {
  const y = month > 2 ? year : year - 1;
  const inYear = Math.floor((153 * ((month + 9) % 12) + 2) / 5) + day - 1;
  return y * 365 + Math.floor(y / 4) - Math.floor(y / 100) + Math.floor(y / 400) + inYear - 719_468;
}

/** A moment as PostgreSQL writes it, in microseconds since 1970-01-01T00:00Z: with an offset, or as shown in UTC. */
export function anyMoment(text: string): bigint {
  if (text.endsWith('infinity')) return text.startsWith('-') ? -farMoment : farMoment;
  const [, date, h, m, s, fraction = '', sign, oh = '0', om = '0', os = '0', before = ''] =
    /^(\d+-\d\d-\d\d) (\d\d):(\d\d):(\d\d)(?:\.(\d+))?(?:([+-])(\d\d)(?::(\d\d))?(?::(\d\d))?)?( BC)?$/.exec(text)!;
  const offset = (Number(oh) * 3600 + Number(om) * 60 + Number(os)) * (sign === '-' ? -1 : 1);
  const seconds = Number(h) * 3600 + Number(m) * 60 + Number(s) - offset;
  const days = BigInt(anyDay(date! + before).number);
  return (days * 86_400n + BigInt(seconds)) * 1_000_000n + BigInt(fraction.padEnd(6, '0'));
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

export function boundedDay(number: number): Day | null {
  return number >= firstDay && number <= lastDay ? new Day(number) : null;
}

export function dayText(day: Day): string {
  const { year, month, day: d } = partsOfDay(day);
  return `${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-${String(d).padStart(2, '0')}`;
}

/** The moment at which this zone's clocks show a time (`2026-05-01 08:00:00.5`): see `aheadOfClock`. */
export function momentOfClock(text: string, timeZone: string): bigint {
  return fromClock(anyMoment(text), timeZone);
}

/** What is shown, as if the clocks were those of UTC, as the moment it is. */
function fromClock(shown: bigint, timeZone: string): bigint {
  return shown - BigInt(aheadOfClock(Number(floorDivide(shown, 1000n)), timeZone)) * 1000n;
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
  const ms = Number(floorDivide(moment, 1000n));
  return new Day(Math.floor((ms + aheadAt(ms, timeZone)) / dayMs));
}

/** What a clock in this zone shows at the moment: `14:05`. */
export function clockAt(moment: bigint, timeZone: string): string {
  const ms = Number(floorDivide(moment, 1000n));
  const shown = ms + aheadAt(ms, timeZone);
  const minutes = Math.floor((shown - Math.floor(shown / dayMs) * dayMs) / 60_000);
  const two = (n: number): string => String(n).padStart(2, '0');
  return `${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`;
}

/** The first moment of a day in this zone; where the clocks skip midnight, the moment they skip to. */
export function startOf(day: Day, timeZone: string): bigint {
  return fromClock(BigInt(day.number * dayMs) * 1000n, timeZone);
}

/** The moment on a day at which the clocks of a zone show what they show at another moment. */
export function withClock(day: Day, moment: bigint, timeZone: string): bigint | null {
  const shown = moment + BigInt(aheadAt(Number(floorDivide(moment, 1000n)), timeZone)) * 1000n;
  const ofDay = shown - floorDivide(shown, dayMicros) * dayMicros;
  return boundedMoment(fromClock(BigInt(day.number) * dayMicros + ofDay, timeZone));
}

const dayMicros = 86_400_000_000n;

/** Moments that are calculated with: a day's room at both ends, for zones. */
export function boundedMoment(moment: bigint): bigint | null {
  return moment >= BigInt(firstDay + 1) * dayMicros && moment <= BigInt(lastDay) * dayMicros ? moment : null;
}

function floorDivide(a: bigint, b: bigint): bigint {
  return a >= 0n ? a / b : -((-a + b - 1n) / b);
}

/** Below, equal, above: numbers by size, texts by code point, times by time. */
export function order(a: Value, b: Value): number {
  if (a instanceof Big && b instanceof Big) return a.cmp(b);
  if (a instanceof Day && b instanceof Day) return rank(a.number, b.number);
  if (a instanceof Unbounded || b instanceof Unbounded) return rank(sizeOf(a), sizeOf(b));
  if (typeof a === 'string' && typeof b === 'string') return orderTexts(a, b);
  return a === b ? 0 : (a as bigint) < (b as bigint) ? -1 : 1;
}

/** NaN comes last, as in PostgreSQL. */
function rank(a: number, b: number): number {
  if (Number.isNaN(a) || Number.isNaN(b)) return Number(Number.isNaN(a)) - Number(Number.isNaN(b));
  return a === b ? 0 : a < b ? -1 : 1;
}

const sizeOf = (v: Value): number => (v instanceof Unbounded ? v.number : Number(v));

function orderTexts(a: string, b: string): number {
  const as = charactersOf(a);
  const bs = charactersOf(b);
  for (let i = 0; i < Math.min(as.length, bs.length); i++)
    if (as[i] !== bs[i]) return as[i]!.codePointAt(0)! < bs[i]!.codePointAt(0)! ? -1 : 1;
  return Math.sign(as.length - bs.length);
}
