import { call, numberTree, textTree } from '../language/build';
import { typeOf, type Checked } from '../language/checked';

/**
 * A number, date or moment as a person of this locale (BCP 47) reads it, as text: the same as on the pages. Null where that
 * is no text of ASCII digits put together in a plain way, or where it is no such value; then `TEXT` says it.
 */
export function shownIn(locale: string | null | undefined, tree: Checked): Checked | null {
  if (!locale) return null;
  switch (typeOf(tree)) {
    case 'number':
      return isAmount(tree) ? numberIn(locale, tree) : null;
    case 'date':
      return dateIn(locale, tree);
    case 'moment':
      return momentIn(locale, tree);
    default:
      return null;
  }
}

/** A year, a weekday or a key is no amount, whose thousands would stand apart. */
function isAmount(tree: Checked): boolean {
  switch (tree.kind) {
    case 'field':
      return tree.at.field.kind === 'number';
    case 'arithmetic':
    case 'children':
      return true;
    case 'call':
      return tree.entry.group === 'Numbers';
    default:
      return false;
  }
}

function numberIn(locale: string, tree: Checked): Checked | null {
  const format = new Intl.NumberFormat(locale, { minimumFractionDigits: 1 });
  const part = (n: number, type: string): string | undefined =>
    format.formatToParts(n).find((p) => p.type === type)?.value;
  const between = part(1_234_567.5, 'group');
  const mark = part(1.5, 'decimal');
  const isPlain = format
    .formatToParts(1_234_567.5)
    .filter((p) => p.type === 'integer')
    .map((p) => p.value)
    .join(' ');
  if (between === undefined || mark === undefined || isPlain !== '1 234 567') return null;
  const from = part(1234.5, 'group') === undefined ? 5 : 4;
  const decimals = tree.kind === 'field' ? (tree.at.field.scale ?? 0) : 0;
  return call(
    'grouped',
    'text',
    tree,
    numberTree(String(Math.min(decimals, 20))),
    textTree(between),
    textTree(mark),
    numberTree(String(from)),
  );
}

const dayParts = { day: 'numeric', month: 'short', year: 'numeric', timeZone: 'UTC' } as const;

function dateIn(locale: string, tree: Checked): Checked | null {
  const format = new Intl.DateTimeFormat(locale, { ...dayParts, calendar: 'gregory' });
  const shown = (month: number): Intl.DateTimeFormatPart[] => format.formatToParts(Date.UTC(2026, month, 5));
  const months = Array.from({ length: 12 }, (_, m) => shown(m).find((p) => p.type === 'month')?.value ?? '');
  const pieces: Checked[] = [];
  for (const { type, value } of shown(4)) {
    if (type === 'literal') pieces.push(textTree(value));
    else if (type === 'day' && value === '5') pieces.push(call('text', 'text', call('day', 'number', tree)));
    else if (type === 'day' && value === '05') pieces.push(padded(call('day', 'number', tree)));
    else if (type === 'year' && value === '2026') pieces.push(call('text', 'text', call('year', 'number', tree)));
    else if (type === 'month') pieces.push(monthOf(tree, months));
    else return null;
  }
  return together(tree, pieces);
}

function monthOf(tree: Checked, names: readonly string[]): Checked {
  const cases = names.flatMap((name, i) => [numberTree(String(i + 1)), textTree(name)]);
  return call('switch', 'text', call('month', 'number', tree), ...cases);
}

function momentIn(locale: string, tree: Checked): Checked | null {
  const date = dateIn(locale, { kind: 'convert', type: 'date', operand: tree });
  if (!date) return null;
  const format = new Intl.DateTimeFormat(locale, { hour: '2-digit', minute: '2-digit', timeZone: 'UTC' });
  const [morning, evening] = [3, 15].map((hour) => format.formatToParts(Date.UTC(2026, 0, 1, hour, 7)));
  const clock = call('clock', 'text', tree);
  const hour = call('left', 'text', clock, numberTree('2'));
  const is = (from: string): Checked => ({ kind: 'compare', op: '>=', left: hour, right: textTree(from) });
  const pieces: Checked[] = [date, textTree(' ')];
  for (const [i, { type, value }] of evening!.entries()) {
    if (type === 'literal') pieces.push(textTree(value));
    else if (type === 'minute' && value === '07') pieces.push(call('right', 'text', clock, numberTree('2')));
    else if (type === 'hour' && value === '15') pieces.push(hour);
    else if (type === 'hour' && value === '03') pieces.push(twelve(hour));
    else if (type === 'dayPeriod')
      pieces.push(call('if', 'text', is('12'), textTree(value), textTree(morning![i]?.value ?? value)));
    else return null;
  }
  return together(tree, pieces);
}

/** 00 to 23 as 12, 01 … 11. */
function twelve(hour: Checked): Checked {
  const cases = Array.from({ length: 24 }, (_, h) => [
    textTree(String(h).padStart(2, '0')),
    textTree(String(h % 12 || 12).padStart(2, '0')),
  ]);
  return call('switch', 'text', hour, ...cases.flat());
}

const padded = (n: Checked): Checked => call('pad', 'text', call('text', 'text', n), numberTree('2'), textTree('0'));

/** One after the other; blank where the value is. */
function together(tree: Checked, pieces: readonly Checked[]): Checked {
  const there: Checked = { kind: 'not', operand: { kind: 'isNull', operand: tree } };
  return call('ifs', 'text', there, call('concatenate', 'text', ...pieces));
}
