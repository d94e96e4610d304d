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
  const ahead = aheadOfClock(Date.parse(`${clock.slice(0, 10)}T${clock.slice(11, 19)}Z`), timeZone);
  const seconds = Math.abs(ahead) / 1000;
  const two = (n: number): string => String(Math.trunc(n)).padStart(2, '0');
  const odd = seconds % 60 === 0 ? '' : `:${two(seconds % 60)}`;
  return `${ahead < 0 ? '-' : '+'}${two(seconds / 3600)}:${two((seconds / 60) % 60)}${odd}`;
}

/**
 * How far a zone's clocks are ahead of UTC when they show a time, all in ms; of a time shown twice, the second; where they
 * leap over it, as before the leap (as PostgreSQL has it). With what every browser has: pages read this, and a library of
 * dates would be a tenth of them.
 */
export function aheadOfClock(shown: number, timeZone: string): number {
  if (timeZone === 'UTC') return 0;
  const hours = [-30, -15, 0, 15, 30];
  const offsets = [...new Set(hours.map((h) => aheadAt(shown + h * 3_600_000, timeZone)))];
  const fitting = offsets.filter((ahead) => aheadAt(shown - ahead, timeZone) === ahead);
  return fitting.length > 0 ? Math.min(...fitting) : aheadAt(shown - Math.max(...offsets), timeZone);
}

const zones = new Map<string, Intl.DateTimeFormat>();

/** How far a zone's clocks are ahead of UTC at a moment, both in ms. */
export function aheadAt(moment: number, timeZone: string): number {
  const format =
    zones.get(timeZone) ??
    new Intl.DateTimeFormat('en-US', {
      timeZone,
      era: 'short',
      year: 'numeric',
      month: 'numeric',
      day: 'numeric',
      hour: 'numeric',
      minute: 'numeric',
      second: 'numeric',
      hourCycle: 'h23',
    });
  zones.set(timeZone, format);
  const parts = Object.fromEntries(format.formatToParts(moment).map((p) => [p.type, p.value]));
  const year = parts.era === 'BC' ? 1 - Number(parts.year) : Number(parts.year);
  const shown = new Date(0);
  shown.setUTCFullYear(year, Number(parts.month) - 1, Number(parts.day));
  shown.setUTCHours(Number(parts.hour), Number(parts.minute), Number(parts.second));
  return shown.getTime() - Math.floor(moment / 1000) * 1000;
}

/** A timestamp without a time zone shows the workspace's clocks. */
export function isClock(dbType: string): boolean {
  return /^timestamp(\(\d\))?( without time zone)?$/.test(dbType);
}
