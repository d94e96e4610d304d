import { clip } from '../catalog/catalog';
import { canonicalMoment } from '../catalog/kinds/clock';
import { dayNames } from '../edits/shift';
import { fail } from '../problem';

const dayMs = 86_400_000;

/**
 * The moment that a word means, by the clocks of a time zone: `today`, `yesterday`, `monday` (the last one, today among
 * them), `7 days`, a day as 2026-11-20 or a moment as 2026-11-20T08:00. A day begins at midnight. Throws `bad_value`.
 */
export function momentSaid(text: string, timeZone: string, now: number): Date {
  const said = text.trim().toLowerCase();
  const ago = daysAgo(said, timeZone, now);
  const moment = canonicalMoment(ago === undefined ? text.trim() : dayOf(now - ago * dayMs, timeZone), timeZone);
  if (moment === undefined)
    return fail(
      'bad_value',
      `“${clip(text)}” says no moment: today, yesterday, monday, 7 days, 2026-11-20 or 2026-11-20T08:00 do.`,
    );
  return new Date(moment.replace(' ', 'T').replace(/([+-]\d{2}:\d{2}):\d{2}$/, '$1'));
}

function daysAgo(said: string, timeZone: string, now: number): number | undefined {
  if (said === 'today') return 0;
  if (said === 'yesterday') return 1;
  const days = /^(\d{1,4}) ?d(ays?)?$/.exec(said)?.[1];
  if (days !== undefined) return Number(days);
  const weekday = said.length >= 3 ? dayNames.findIndex((name) => name.startsWith(said)) : -1;
  if (weekday < 0) return undefined;
  const today = new Date(`${dayOf(now, timeZone)}T00:00:00Z`).getUTCDay();
  return (today - (weekday + 1) + 7) % 7;
}

function dayOf(at: number, timeZone: string): string {
  return new Intl.DateTimeFormat('en-CA', { timeZone, year: 'numeric', month: '2-digit', day: '2-digit' }).format(at);
}
