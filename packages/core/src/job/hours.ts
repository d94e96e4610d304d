import { dayNames } from '../edits/shift';
import { fail } from '../problem';

/** When a run may work, by the clock of a time zone. */
export interface Hours {
  /** IANA name. */
  readonly zone: string;
  /** `hh:mm`; to before from, or the same, goes over midnight. */
  readonly from: string;
  readonly to: string;
  /** Days on which it may begin, as ISO 8601 counts them: 1 is Monday. Left out: all. */
  readonly days?: readonly number[];
}

const minute = 60_000;
const day = 24 * 60;
/** So far ahead is looked for an opening, in days: a window on one day of the week, and a change of the clocks. */
const furthest = 9;

/** Throws where the zone is none, or the hours or days say nothing. */
export function mustBeHours({ zone, from, to, days }: Hours): void {
  try {
    clockAt(0, zone);
  } catch {
    fail('bad_value', `There is no time zone “${zone}”; they are named as Europe/Lisbon is.`, { where: 'zone' });
  }
  for (const [where, time] of [
    ['from', from],
    ['to', to],
  ] as const)
    if (!/^([01]\d|2[0-3]):[0-5]\d$/.test(time))
      fail('bad_value', `“${time}” is no time of day, as 20:30 is.`, { where });
  if (days?.length === 0) fail('bad_value', 'On no day at all it would never work.', { where: 'days' });
}

/** May it work at this moment (ms)? */
export function isOpen(hours: Hours, at: number): boolean {
  const { minutes, weekday } = clockAt(at, hours.zone);
  const [from, to] = [minutesOf(hours.from), minutesOf(hours.to)];
  const on = (d: number): boolean => hours.days?.includes(d) ?? true;
  if (from < to) return on(weekday) && minutes >= from && minutes < to;
  return (minutes >= from && on(weekday)) || (minutes < to && on(weekday === 1 ? 7 : weekday - 1));
}

/** The first moment from `at` on at which it may work (ms, to the minute); null: there is none. */
export function opensAt(hours: Hours, at: number): number | null {
  const from = minutesOf(hours.from);
  let t = Math.ceil(at / minute) * minute;
  const end = t + furthest * day * minute;
  if (isOpen(hours, at)) return at;
  while (t < end) {
    if (isOpen(hours, t)) return t;
    const ahead = (from - clockAt(t, hours.zone).minutes + day) % day;
    // Where the clocks are changed meanwhile the last stretch is gone minute by minute.
    t += (ahead > 180 ? ahead - 120 : 1) * minute;
  }
  return null;
}

/** “20:00 to 06:00 on Monday to Friday (Europe/Lisbon)” */
export function hoursWords({ zone, from, to, days }: Hours): string {
  const all = days === undefined || days.length === 7;
  const on = [...new Set(days ?? [])].sort((a, b) => a - b);
  const isRow = on.length > 2 && on.at(-1)! - on[0]! === on.length - 1;
  const names = on.map((d) => dayNames[d - 1]!.replace(/^./, (first) => first.toUpperCase()));
  const which = isRow ? `${names[0]} to ${names.at(-1)}` : names.join(', ');
  return `${from} to ${to}${all ? '' : ` on ${which}`} (${zone})`;
}
function minutesOf(time: string): number {
  const [h, m] = time.split(':').map(Number);
  return h! * 60 + m!;
}

const clocks = new Map<string, Intl.DateTimeFormat>();
const weekdays = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];

function clockAt(at: number, zone: string): { readonly minutes: number; readonly weekday: number } {
  let clock = clocks.get(zone);
  if (!clock) {
    // A name may be written in many ways.
    if (clocks.size > 500) clocks.clear();
    clock = new Intl.DateTimeFormat('en-GB', {
      timeZone: zone,
      hour: '2-digit',
      minute: '2-digit',
      weekday: 'short',
      hourCycle: 'h23',
    });
    clocks.set(zone, clock);
  }
  const parts = Object.fromEntries(clock.formatToParts(at).map(({ type, value }) => [type, value]));
  return { minutes: minutesOf(`${parts.hour}:${parts.minute}`), weekday: weekdays.indexOf(parts.weekday!) + 1 };
}
