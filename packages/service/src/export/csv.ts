import { csvCell, safeCell } from './cells';
import type { Column, Look } from './rows';

const bom = '\ufeff';

/** RFC 4180 lines of CSV: the header first. Cells that a spreadsheet would take for a formula are made safe unless `raw`. */
export async function* csvLines(
  columns: readonly Column[],
  rows: AsyncIterable<readonly (string | null)[]>,
  look: Look,
): AsyncGenerator<string> {
  const separator = look.separator ?? ',';
  const safe = (text: string): string => (look.raw ? text : safeCell(text));
  // Nothing but digits and its point: quoted only where the file's own separator is the decimal comma.
  const number = (text: string): string => (text.includes(separator) ? csvCell(text) : text);
  const written = (text: string | null, { kind }: Column): string => {
    if (text === null) return '';
    if (kind === 'number') return number(look.decimalComma ? text.replace('.', ',') : text);
    return csvCell(kind === 'text' ? safe(text) : text);
  };
  yield `${look.bom ? bom : ''}${columns.map((c) => csvCell(safe(c.name))).join(separator)}\r\n`;
  for await (const row of rows) yield `${row.map((text, i) => written(text, columns[i]!)).join(separator)}\r\n`;
}

/** One JSON object a line; numbers stay texts, so that every digit is kept. */
export async function* jsonLines(
  columns: readonly Column[],
  rows: AsyncIterable<readonly (string | null)[]>,
): AsyncGenerator<string> {
  for await (const row of rows)
    yield `${JSON.stringify(Object.fromEntries(columns.map((c, i) => [c.name, row[i] ?? null])))}\n`;
}
