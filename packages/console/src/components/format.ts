export function capital(text: string): string {
  return text.slice(0, 1).toUpperCase() + text.slice(1);
}

/** How the person reads numbers and dates, and whose clocks moments are shown by: set once when somebody has signed in. */
let locale = 'en-GB';
let timeZone = 'UTC';
export function readAs(to: { locale: string | null; timeZone: string }): void {
  locale = to.locale ?? navigator.language;
  ({ timeZone } = to);
}

export function number(n: number): string {
  return n.toLocaleString(locale);
}

export function clock(iso: string): string {
  return new Date(iso).toLocaleTimeString(locale, { hour: '2-digit', minute: '2-digit', timeZone });
}

/** Day and time by the workspace's clocks, the day left out when it is today; seconds where they are asked for. */
export function moment(iso: string, { seconds = false, always = false } = {}): string {
  const at = new Date(iso);
  const day = (d: Date): string => d.toLocaleDateString('en-CA', { timeZone });
  const time = at.toLocaleTimeString(locale, {
    hour: '2-digit',
    minute: '2-digit',
    ...(seconds ? { second: '2-digit' } : {}),
    timeZone,
  });
  if (!always && day(at) === day(new Date())) return time;
  return `${at.toLocaleDateString(locale, { ...dayParts, timeZone })} ${time}`;
}

const dayParts = { day: 'numeric', month: 'short', year: 'numeric' } as const;

/**
 * A stored value as the person reads it: numbers with separators and every digit, days and moments in the person's format.
 * What cannot be read as its kind stays as it is.
 */
export function valueText(text: string, kind: string): string {
  if (kind === 'number') {
    const [, whole, fraction = ''] = /^(-?\d+)(?:\.(\d+))?$/.exec(text) ?? [];
    if (whole === undefined || fraction.length > 20) return text;
    const digits = { minimumFractionDigits: fraction.length, maximumFractionDigits: fraction.length };
    // As text, so that no digit is lost.
    return new Intl.NumberFormat(locale, digits).format(text as `${number}`);
  }
  if (kind === 'date' && /^\d{4}-\d\d-\d\d$/.test(text))
    return new Date(`${text}T00:00:00Z`).toLocaleDateString(locale, { ...dayParts, timeZone: 'UTC' });
  const [, day, time, fraction] = /^(\d{4}-\d\d-\d\d) (\d\d:\d\d:\d\d)(\.\d+)?\+00$/.exec(text) ?? [];
  if (kind !== 'moment' || day === undefined) return text;
  // Seconds where somebody may have meant them: not those of a machine's clock, which come with fractions.
  const seconds = fraction === undefined && !time!.endsWith(':00');
  return moment(`${day}T${time}Z`, { seconds, always: true });
}

/** “3 s”, “2 min 10 s”. */
export function duration(ms: number): string {
  if (ms < 1000) return 'less than a second';
  const seconds = Math.round(ms / 1000);
  if (seconds < 60) return `${seconds} s`;
  return seconds < 3600
    ? `${Math.floor(seconds / 60)} min ${seconds % 60} s`
    : `${Math.floor(seconds / 3600)} h ${Math.floor((seconds % 3600) / 60)} min`;
}

/** “1 record”, “3 records”. */
export function counted(n: number, one: string, many = `${one}s`): string {
  return `${number(n)} ${n === 1 ? one : many}`;
}

/** A key as it is read: one of several fields is the JSON array of their texts. */
export function keyWords(key: string): string {
  if (!key.startsWith('["')) return key;
  try {
    return (JSON.parse(key) as string[]).join(' · ');
  } catch {
    return key;
  }
}
