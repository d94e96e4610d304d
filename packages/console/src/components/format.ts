export function number(n: number): string {
  return n.toLocaleString('en-US');
}

export function clock(iso: string): string {
  return new Date(iso).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' });
}

/** Day and time, the day left out when it is today. */
export function moment(iso: string): string {
  const at = new Date(iso);
  if (at.toDateString() === new Date().toDateString()) return clock(iso);
  return `${at.toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })} ${clock(iso)}`;
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
