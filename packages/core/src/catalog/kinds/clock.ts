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

/**
 * How far a zone's clocks are ahead of UTC when they show this; where they leap over it, as before the leap. With what every
 * browser has: pages read this, and a library of dates would be a tenth of them.
 */
function offsetOf(clock: string, timeZone: string): string {
  if (timeZone === 'UTC') return '+00:00';
  const shown = Date.parse(`${clock.slice(0, 10)}T${clock.slice(11, 19)}Z`);
  const guess = aheadAt(Date.now(), timeZone);
  const first = aheadAt(shown - guess, timeZone);
  const second = aheadAt(shown - first, timeZone);
  const ahead = first === guess || first === second ? first : Math.max(first, second);
  const minutes = Math.trunc(Math.abs(ahead) / 60_000);
  const two = (n: number): string => String(n).padStart(2, '0');
  return `${ahead < 0 ? '-' : '+'}${two(Math.trunc(minutes / 60))}:${two(minutes % 60)}`;
}

const zones = new Map<string, Intl.DateTimeFormat>();

/** How far a zone's clocks are ahead of UTC at a moment, both in ms. */
function aheadAt(moment: number, timeZone: string): number {
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
