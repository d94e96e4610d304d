import Big from 'big.js';
import { raw, sql, value as parameter, type Sql } from '../../sql/sql';
import { boundedDay, dayFrom, dayOf, Day, partsOfDay, trimmed, withClock, type Value } from '../evaluate/value';
import { firstDay, lastDay } from '../limits';
import { isDay } from '../../catalog/kinds/clock';
import { date as dateTerm, numeric, short, Term, whole, type Ground } from '../term';
import type { FunctionEntry, Parameter } from './entry';
import { today } from './text';

const day = (v: Value): Day => v as Day;
/** Whole, and small enough to count with; beyond, no date would come of it. */
const countable = (n: number): number => Math.max(-1e7, Math.min(1e7, n));
const count = (v: Value): number => countable(Number((v as Big).round(0, Big.roundDown)));
const number = (n: number): Big => new Big(n);
const date: Parameter = { name: 'date', type: 'date' };

const part = (
  name: string,
  doc: string,
  example: string,
  pick: 'year' | 'month' | 'day',
  most: number,
): FunctionEntry => ({
  name,
  group: 'Dates',
  source: 'OpenFormula',
  doc,
  example,
  parameters: [date],
  result: 'number',
  evaluate: ([d]) => number(partsOfDay(day(d!))[pick]),
  sql: ([d]) => numeric(sql`extract(${raw(pick)} from ${d!.sql})`, 1, most, 0),
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

/** Working days are counted up to this many; beyond, the result is blank. */
const mostWorkdays = 1_000_000;

/** The working day so many working days on. */
function workday(from: Day, days: number, holidays: ReadonlySet<number>): Day | null {
  if (Math.abs(days) > mostWorkdays) return null;
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

/** Days after the first of all, a Monday: never below 0. */
const daysIn0001 = (d: Sql): Sql => sql`(${d} - date '0001-01-01')`;

/** What is so many months from a date: natively where that is surely a date, whatever the record. */
function byMonths(
  d: Term,
  n: Term,
  more: number,
  ground: Ground,
  checked: string,
  natively: (months: number) => Sql,
): Term {
  const months = n.cut === null ? null : countable(n.cut);
  const [low, high] = [d.low + 31 * Math.min(0, months ?? 0) - more, d.high + 31 * Math.max(0, months ?? 0) + more];
  if (ground.allows(months !== null && low >= firstDay && high <= lastDay))
    return dateTerm(natively(months!), low, high);
  return dateTerm(ground.call(checked, d.sql, n.canonical));
}

/** So many whole days on, or back. */
export function daysOn(d: Term, n: Term, direction: 1 | -1, ground: Ground): Term {
  const [low, high] = direction === 1 ? [d.low + n.low, d.high + n.high] : [d.low - n.high, d.high - n.low];
  if (ground.allows(low >= firstDay && high <= lastDay)) {
    const days = n.known.digits === 0 ? sql`${n.sql}::int` : sql`trunc(${n.canonical})::int`;
    return dateTerm(sql`(${d.sql} ${raw(direction === 1 ? '+' : '-')} ${days})`, low - 1, high + 1);
  }
  const days = direction === 1 ? n.canonical : sql`(-${n.canonical})`;
  return dateTerm(ground.call('day_plus', d.sql, days));
}

/** Working days up to and with a day, in the weeks from the first of all days on. */
const weekdaysTo = (d: Sql): Sql => sql`(${daysIn0001(d)} / 7 * 5 + least(${daysIn0001(d)} % 7 + 1, 5))`;

/** The working day so many on, no holidays there: how many days that is depends on the day of the week alone. */
function workdayOn(d: Sql, days: number): Sql {
  const week = Array.from({ length: 7 }, (_, i) => new Day(monday + i));
  const ahead = week.map((from) => workday(from, days, new Set())!.number - from.number);
  return sql`(${d} + (array[${raw(ahead.join(', '))}])[${daysIn0001(d)} % 7 + 1])`;
}

/** 1970-01-05. */
const monday = 4;

/** ISO 8601 dates of the years 1000 to 9999 that every month has: 12 in 13, told by a pattern a third quicker than one with all days. */
const everyMonth = '^[1-9][0-9]{3}-(0[1-9]|1[0-2])-([01][1-9]|10|2[0-8])$';
/** Those of the 29th to the 31st, but for 29 February. */
const lateDays = '^[1-9][0-9]{3}-((0[13-9]|1[0-2])-(29|30)|(0[13578]|1[02])-31)$';

/** How many days a unit has at least. */
const daysOf = { y: 365, m: 28, d: 1, ym: 28, md: 1, yd: 1 };
type Unit = keyof typeof daysOf;

/** Of `age`, which PostgreSQL counts as we do but for days that are left. */
const ofAge: Readonly<Record<string, (age: Sql) => Sql>> = {
  y: (age) => sql`extract(year from ${age})`,
  m: (age) => sql`(extract(year from ${age}) * 12 + extract(month from ${age}))`,
  ym: (age) => sql`extract(month from ${age})`,
};

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
    sql(_, env) {
      const { number } = today(env);
      return dateTerm(sql`(date '1970-01-01' + ${parameter(number)}::int)`, number, number);
    },
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
    sql: (_, env) => new Term(sql`tantamos.moment_of(${parameter(String(env.now))}::bigint)`, 'moment'),
  },
  part('YEAR', 'The year of a date.', 'YEAR(start_on) = 2026', 'year', 9999),
  part('MONTH', 'The month of a date, 1 to 12.', 'MONTH(start_on) = 5', 'month', 12),
  part('DAY', 'The day of the month.', 'DAY(start_on) = 1', 'day', 31),
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
    sql([d, type], _, ground) {
      const kind = type ? type.cut : 1;
      const n = daysIn0001(d!.sql);
      switch (kind) {
        case null:
          return numeric(ground.call('weekday', d!.sql, type!.canonical), 0, 7, 0);
        case 1:
          return whole(sql`((${n} + 1) % 7 + 1)::bigint`, 1, 7);
        case 2:
          return whole(sql`(${n} % 7 + 1)::bigint`, 1, 7);
        case 3:
          return whole(sql`(${n} % 7)::bigint`, 0, 6);
        default:
          return whole(raw('null::bigint'), 0, 0);
      }
    },
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
    sql([a, b, unit], _, ground) {
      const days = Math.max(0, b!.high - a!.low);
      const most = Math.ceil(days / daysOf[unit!.constant as Unit]);
      if (unit!.constant === 'd') return whole(sql`nullif(greatest(${b!.sql} - ${a!.sql}, -1), -1)::bigint`, 0, days);
      const made = ofAge[unit!.constant!];
      if (!made) return numeric(ground.call('date_difference', a!.sql, b!.sql, unit!.sql), 0, most, 0);
      const whenForwards = ground.once(
        [a!.sql, b!.sql],
        (x, y) => sql`(case when ${x} <= ${y} then ${made(sql`age(${y}::timestamp, ${x}::timestamp)`)} end)`,
        short,
      );
      return numeric(whenForwards, 0, most, 0);
    },
  },
  {
    name: 'with_clock',
    group: 'Dates',
    source: 'Tantamos',
    doc: 'The moment on that date at which the clocks show what they showed at the moment given.',
    example: "with_clock(DATE('2026-11-30'), updated_at) < NOW()",
    parameters: [date, { name: 'moment', type: 'moment' }],
    result: 'moment',
    evaluate: ([d, m], env) => withClock(day(d!), m as bigint, env.timeZone),
    sql: ([d, m], env, ground) => {
      const zone = parameter(env.timeZone);
      const made = sql`((${d!.sql} + (${m!.sql} at time zone ${zone})::time) at time zone ${zone})`;
      // Room at both ends: in a zone a day begins on the one before, or ends on the one after.
      const isNear = d!.low > firstDay + 1 && d!.high < lastDay - 1;
      return new Term(ground.allows(isNear) ? made : sql`tantamos.bounded(${made})`, 'moment');
    },
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
    sql: ([d, n], _, ground) =>
      byMonths(
        d!,
        n!,
        0,
        ground,
        'months_on',
        (months) => sql`(${d!.sql} + interval '${raw(String(months))} months')::date`,
      ),
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
    sql: ([d, n], _, ground) =>
      byMonths(
        d!,
        n!,
        31,
        ground,
        'month_end',
        (months) =>
          sql`(date_trunc('month', ${d!.sql}::timestamp) + interval '${raw(String(months + 1))} months -1 days')::date`,
      ),
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
    sql([d, n, free], _, ground) {
      const days = n!.cut === null ? null : countable(n!.cut);
      const far = days === null ? Infinity : Math.ceil(Math.abs(days) / 5) * 7 + 7;
      const [low, high] = [d!.low - far, d!.high + far];
      if (!free && days !== null && Math.abs(days) <= mostWorkdays && ground.allows(low >= firstDay && high <= lastDay))
        return dateTerm(
          ground.once([d!.sql], (at) => workdayOn(at, days)),
          low,
          high,
        );
      return dateTerm(ground.call('workday', d!.sql, n!.canonical, free?.sql ?? noHolidays));
    },
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
    sql([a, b, free], _, ground) {
      if (free) return new Term(ground.call('working_days', a!.sql, b!.sql, free.sql), 'number');
      const days = ground.once(
        [a!.sql, b!.sql],
        (x, y) => sql`(case when ${x} <= ${y} then ${weekdaysTo(y)} - ${weekdaysTo(sql`(${x} - 1)`)}
          else ${weekdaysTo(sql`(${y} - 1)`)} - ${weekdaysTo(x)} end)::bigint`,
      );
      return whole(days, Math.min(0, b!.low - a!.high - 1), Math.max(0, b!.high - a!.low + 1));
    },
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
    sql: ([d, unit]) =>
      dateTerm(
        unit!.constant === 'week'
          ? sql`(date '0001-01-01' + ${daysIn0001(d!.sql)} / 7 * 7)`
          : sql`date_trunc(${unit!.sql}, ${d!.sql}::timestamp)::date`,
        // The first of all days is a Monday.
        Math.max(firstDay, d!.low - 366),
        d!.high,
      ),
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
    sql([d, name], _, ground) {
      const wanted = raw(String(weekdays.indexOf(name!.constant as (typeof weekdays)[number])));
      const next = sql`(date '0001-01-01' + ((${daysIn0001(d!.sql)} - ${wanted} + 7) / 7 * 7 + ${wanted}))`;
      if (ground.allows(d!.high + 7 <= lastDay)) return dateTerm(next, d!.low, d!.high + 7);
      return dateTerm(ground.call('bounded', next));
    },
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
    sql: ([t], _, ground) =>
      // Days that their month has in every year are read at once; what else may be a date is looked at by a function of ours.
      dateTerm(
        ground.once(
          [t!.sql],
          (said) => sql`(case when ${said} ~ ${raw(`'${everyMonth}'`)} then ${said}::date
            when ${said} ~ ${raw(`'${lateDays}'`)} then ${said}::date
            when ${said} ~ '[0-9]{4}-[0-9]{2}-[0-9]{2}' then tantamos.to_date(${said}) end)`,
          short,
        ),
      ),
  },
];
