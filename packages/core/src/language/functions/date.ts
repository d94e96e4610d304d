import Big from 'big.js';
import { raw, sql, value as parameter } from '../../sql/sql';
import { boundedDay, dayFrom, dayOf, Day, partsOfDay, trimmed, type Value } from '../evaluate/value';
import { isDay } from '../../catalog/kinds/clock';
import type { FunctionEntry, Parameter } from './entry';
import { today } from './text';

const day = (v: Value): Day => v as Day;
/** Whole, and small enough to count with; beyond, no date would come of it. */
const count = (v: Value): number => Math.trunc(Math.max(-1e7, Math.min(1e7, Number(v as Big))));
const number = (n: number): Big => new Big(n);
const date: Parameter = { name: 'date', type: 'date' };

const part = (name: string, doc: string, example: string, pick: 'year' | 'month' | 'day'): FunctionEntry => ({
  name,
  group: 'Dates',
  source: 'OpenFormula',
  doc,
  example,
  parameters: [date],
  result: 'number',
  evaluate: ([d]) => number(partsOfDay(day(d!))[pick]),
  sql: ([d]) => sql`extract(${raw(pick)} from ${d!})`,
});

/** 1 = Monday … 7 = Sunday (ISO 8601). */
function isoWeekday({ number: n }: Day): number {
  return ((((n + 3) % 7) + 7) % 7) + 1;
}

/** So many months on; the last day of a shorter month. */
function addMonths(from: Day, months: number): Day | null {
  const { year, month, day: d } = partsOfDay(from);
  const index = year * 12 + month - 1 + months;
  const [y, m] = [Math.floor(index / 12), (((index % 12) + 12) % 12) + 1];
  if (y < 1 || y > 9999) return null;
  return dayOf(y, m, Math.min(d, daysIn(y, m)));
}

function daysIn(year: number, month: number): number {
  const next = month === 12 ? dayOf(year + 1, 1, 1) : dayOf(year, month + 1, 1);
  return next.number - dayOf(year, month, 1).number;
}

export const differenceUnits = ['y', 'm', 'd', 'ym', 'md', 'yd'] as const;

/** Whole years, months or days between; `ym`, `md`, `yd`: months or days that are left over the years or months. */
function difference(from: Day, to: Day, unit: string): number | null {
  if (from.number > to.number) return null;
  const [a, b] = [partsOfDay(from), partsOfDay(to)];
  const months = (b.year - a.year) * 12 + b.month - a.month - (b.day < a.day ? 1 : 0);
  const years = Math.floor(months / 12);
  switch (unit) {
    case 'y':
      return years;
    case 'm':
      return months;
    case 'd':
      return to.number - from.number;
    case 'ym':
      return months % 12;
    case 'md':
      return to.number - addMonths(from, months)!.number;
    default:
      return to.number - addMonths(from, years * 12)!.number;
  }
}

/** Working days from one to the other, both counted; negative backwards. */
function workingDays(from: Day, to: Day, holidays: ReadonlySet<number>): number {
  if (from.number > to.number) return -workingDays(to, from, holidays);
  const upTo = (n: number): number => {
    // Day 4 was a Monday.
    const weeks = Math.floor((n - 4) / 7);
    return weeks * 5 + Math.min(n - 4 - weeks * 7 + 1, 5);
  };
  const all = upTo(to.number) - upTo(from.number - 1);
  return all - [...holidays].filter((h) => h >= from.number && h <= to.number).length;
}

/** The working day so many working days on. */
function workday(from: Day, days: number, holidays: ReadonlySet<number>): Day | null {
  if (Math.abs(days) > 1_000_000) return null;
  const direction = days < 0 ? -1 : 1;
  let at = from.number;
  let left = Math.abs(days);
  const isFree = (n: number): boolean => isoWeekday(new Day(n)) > 5 || holidays.has(n);
  // Whole weeks at once while no holiday is near; then day by day.
  while (left > 0) {
    const weeks = Math.floor((left - 1) / 5);
    const jump = at + direction * weeks * 7;
    if (weeks > 0 && isoWeekday(new Day(at)) < 6 && ![...holidays].some((h) => between(h, at, jump))) {
      at = jump;
      left -= weeks * 5;
    }
    do at += direction;
    while (isFree(at));
    left--;
    if (at < -800_000 || at > 3_000_000) return null;
  }
  return boundedDay(at);
}

function between(x: number, a: number, b: number): boolean {
  return x >= Math.min(a, b) && x <= Math.max(a, b);
}

function holidaysOf(list: Value | undefined): Set<number> {
  const days = ((list ?? []) as readonly Value[]).filter((d): d is Day => d instanceof Day).map((d) => d.number);
  return new Set(days.filter((n) => isoWeekday(new Day(n)) < 6));
}

const units = ['week', 'month', 'quarter', 'year'] as const;
const weekdays = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'] as const;
const holidays: Parameter = { name: 'holidays', type: 'list', optional: true };
const noHolidays = raw(`'{}'::date[]`);

export const dateFunctions: readonly FunctionEntry[] = [
  {
    name: 'TODAY',
    group: 'Dates',
    source: 'OpenFormula',
    doc: 'The day it is, in the time zone of the workspace.',
    example: 'start_on >= TODAY() - 30',
    parameters: [],
    result: 'date',
    evaluate: (_, env) => today(env),
    sql: (_, env) => sql`(date '1970-01-01' + ${parameter(today(env).number)}::int)`,
  },
  {
    name: 'NOW',
    group: 'Dates',
    source: 'OpenFormula',
    doc: 'The moment it is; the same for all records of one statement.',
    example: 'updated_at < NOW()',
    parameters: [],
    result: 'moment',
    evaluate: (_, env) => env.now,
    sql: (_, env) => sql`tantamos.moment_of(${parameter(String(env.now))}::bigint)`,
  },
  part('YEAR', 'The year of a date.', 'YEAR(start_on) = 2026', 'year'),
  part('MONTH', 'The month of a date, 1 to 12.', 'MONTH(start_on) = 5', 'month'),
  part('DAY', 'The day of the month.', 'DAY(start_on) = 1', 'day'),
  {
    name: 'WEEKDAY',
    group: 'Dates',
    source: 'OpenFormula',
    doc: 'The day of the week: type 1 (as usual) Sunday is 1, type 2 Monday is 1, type 3 Monday is 0.',
    example: 'WEEKDAY(start_on, 2) > 5',
    parameters: [date, { name: 'type', type: 'number', optional: true }],
    result: 'number',
    evaluate: ([d, type = number(1)]) => {
      const iso = isoWeekday(day(d!));
      const kind = count(type);
      return kind === 1 ? number((iso % 7) + 1) : kind === 2 ? number(iso) : kind === 3 ? number(iso - 1) : null;
    },
    sql: ([d, type = raw('1')]) => sql`tantamos.weekday(${d!}, ${type})`,
  },
  {
    name: 'DATEDIF',
    group: 'Dates',
    source: 'OpenFormula',
    doc: 'Whole years (y), months (m) or days (d) between two dates, or what is left over them (ym, md, yd); blank backwards.',
    example: "DATEDIF(start_on, end_on, 'd') > 20",
    parameters: [
      { name: 'from', type: 'date' },
      { name: 'to', type: 'date' },
      { name: 'unit', type: 'text', oneOf: differenceUnits },
    ],
    result: 'number',
    evaluate: ([a, b, unit]) => {
      const found = difference(day(a!), day(b!), unit as string);
      return found === null ? null : number(found);
    },
    sql: ([a, b, unit]) => sql`tantamos.date_difference(${a!}, ${b!}, ${unit!})`,
  },
  {
    name: 'EDATE',
    group: 'Dates',
    source: 'OpenFormula',
    doc: 'The date so many months on; the last day where that month is shorter.',
    example: 'EDATE(start_on, 1) < end_on',
    parameters: [date, { name: 'months', type: 'number' }],
    result: 'date',
    evaluate: ([d, n]) => addMonths(day(d!), count(n!)),
    sql: ([d, n]) => sql`tantamos.months_on(${d!}, ${n!})`,
  },
  {
    name: 'EOMONTH',
    group: 'Dates',
    source: 'OpenFormula',
    doc: 'The last day of the month so many months on.',
    example: 'end_on = EOMONTH(end_on, 0)',
    parameters: [date, { name: 'months', type: 'number' }],
    result: 'date',
    evaluate: ([d, n]) => {
      const { year, month } = partsOfDay(day(d!));
      const there = addMonths(dayOf(year, month, 1), count(n!));
      if (!there) return null;
      const to = partsOfDay(there);
      return dayOf(to.year, to.month, daysIn(to.year, to.month));
    },
    sql: ([d, n]) => sql`tantamos.month_end(${d!}, ${n!})`,
  },
  {
    name: 'WORKDAY',
    group: 'Dates',
    source: 'OpenFormula',
    doc: 'The working day (Monday to Friday, holidays aside) so many working days on.',
    example: 'WORKDAY(start_on, 5) <= end_on',
    parameters: [date, { name: 'days', type: 'number' }, holidays],
    result: 'date',
    evaluate: ([d, n, free]) => workday(day(d!), count(n!), holidaysOf(free)),
    sql: ([d, n, free = noHolidays]) => sql`tantamos.workday(${d!}, ${n!}, ${free})`,
  },
  {
    name: 'NETWORKDAYS',
    group: 'Dates',
    source: 'OpenFormula',
    doc: 'Working days from one date to another, both counted; negative backwards.',
    example: "NETWORKDAYS(start_on, end_on, (DATE('2026-05-01'), DATE('2026-12-25'))) > 10",
    parameters: [{ name: 'from', type: 'date' }, { name: 'to', type: 'date' }, holidays],
    result: 'number',
    evaluate: ([a, b, free]) => number(workingDays(day(a!), day(b!), holidaysOf(free))),
    sql: ([a, b, free = noHolidays]) => sql`tantamos.working_days(${a!}, ${b!}, ${free})`,
  },
  {
    name: 'start_of',
    group: 'Dates',
    source: 'Tantamos',
    doc: 'The first day of the week (a Monday), month, quarter or year a date is in.',
    example: "start_of(start_on, 'month') = DATE('2026-05-01')",
    parameters: [date, { name: 'unit', type: 'text', oneOf: units }],
    result: 'date',
    evaluate: ([d, unit]) => {
      const at = day(d!);
      const { year, month } = partsOfDay(at);
      if (unit === 'week') return boundedDay(at.number - isoWeekday(at) + 1);
      if (unit === 'month') return dayOf(year, month, 1);
      return unit === 'quarter' ? dayOf(year, month - ((month - 1) % 3), 1) : dayOf(year, 1, 1);
    },
    sql: ([d, unit]) => sql`tantamos.start_of(${d!}, ${unit!})`,
  },
  {
    name: 'next_weekday',
    group: 'Dates',
    source: 'Tantamos',
    doc: 'The next Monday, Tuesday … after a date.',
    example: "next_weekday(TODAY(), 'monday') = start_on",
    parameters: [date, { name: 'weekday', type: 'text', oneOf: weekdays }],
    result: 'date',
    evaluate: ([d, name]) => {
      const wanted = weekdays.indexOf(name as (typeof weekdays)[number]) + 1;
      return boundedDay(day(d!).number + (((wanted - isoWeekday(day(d!)) + 6) % 7) + 1));
    },
    sql: ([d, name]) => sql`tantamos.next_weekday(${d!}, ${name!})`,
  },
  {
    name: 'DATEVALUE',
    group: 'Dates',
    source: 'OpenFormula',
    doc: 'The date a text says as 2026-05-01; blank where it says none.',
    example: 'DATEVALUE(LEFT(note, 10)) < TODAY()',
    parameters: [{ name: 'text', type: 'text' }],
    result: 'date',
    evaluate: ([t]) => {
      const said = trimmed(t as string);
      return isDay(said) ? dayFrom(said) : null;
    },
    sql: ([t]) => sql`tantamos.to_date(${t!})`,
  },
];
