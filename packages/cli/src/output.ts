import { stringify } from 'csv-stringify/sync';
import color from 'picocolors';
import { tableOf, terminalWidth, type Sheet } from './table';
import { escapedJson, printed, printedJson, printedValue } from './control-characters';
import { UsageError } from './trouble';

export type Format = 'table' | 'json' | 'jsonl' | 'csv';
export const formats: readonly Format[] = ['table', 'json', 'jsonl', 'csv'];

export function readFormat(text: string): Format {
  const format = formats.find((f) => f === text);
  if (!format) throw new UsageError(`--format is one of ${formats.join(', ')}, not “${text}”.`);
  return format;
}

/** Writes a sheet to stdout; `whole` is what json gives instead of the rows. */
export function print(sheet: Sheet, format: Format, whole?: unknown): void {
  const objects = (): unknown[] =>
    sheet.rows.map((row) => Object.fromEntries(sheet.columns.map((c, i) => [c, row[i] ?? null])));
  if (format === 'json') out(printedJson(whole ?? objects(), 2));
  else if (format === 'jsonl')
    (Array.isArray(whole) ? whole : whole === undefined ? objects() : [whole]).forEach((row) => out(printedJson(row)));
  else if (format === 'csv')
    process.stdout.write(
      stringify(
        [sheet.columns, ...sheet.rows].map((row) => row.map(csvCell)),
        { record_delimiter: '\r\n', escape_formulas: true },
      ),
    );
  else if (sheet.rows.length > 0) {
    const { text, hidden } = tableOf(sheet, terminalWidth());
    out(text);
    if (hidden.length > 0)
      talk(
        `${hidden.length} more ${hidden.length === 1 ? 'column' : 'columns'}, for which the window is too narrow: ${hidden.join(', ')}`,
      );
  }
}

/** Writes one thing to stdout as JSON, whole or on one line; of a thing that is no list there is no csv. */
export function printJson(format: Format, whole: unknown): void {
  if (format === 'csv' || format === 'table')
    throw new UsageError(`--format is table, json or jsonl here, not “${format}”.`);
  print({ columns: [], rows: [] }, format, whole);
}

export function out(text: string): void {
  process.stdout.write(`${printed(text)}\n`);
}

/** A file of CSV or of JSON Lines as it comes, to stdout. */
export function outFile(text: string, format: 'csv' | 'jsonl'): void {
  process.stdout.write(format === 'csv' ? printedValue(text) : escapedJson(text));
}

/** Talk goes to stderr, so that stdout holds results alone. */
export function talk(text: string): void {
  process.stderr.write(`${printed(text)}\n`);
}

/** “a, b or c”. */
export function listed(words: readonly string[]): string {
  return words.length < 2 ? words.join('') : `${words.slice(0, -1).join(', ')} or ${words.at(-1)}`;
}

export function number(n: number): string {
  return n.toLocaleString('en-US');
}

/** A moment as the person's clock shows it. */
export function moment(iso: string): string {
  const at = new Date(iso);
  const two = (n: number): string => String(n).padStart(2, '0');
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${two(at.getHours())}:${two(at.getMinutes())}`;
}

/** Old value, arrow, new value: the same mark everywhere. */
export function change(old: string | null, now: string | null): string {
  const shown = (v: string | null): string => (v === null ? '(blank)' : v === '' ? '(empty)' : v);
  return old === now ? color.dim(shown(now)) : `${color.dim(shown(old))} → ${color.green(shown(now))}`;
}

const csvCell = (cell: string | number | boolean | null): string | number | boolean | null =>
  typeof cell === 'string' ? printedValue(cell) : cell;
