import type { Column, Look } from './rows';

const bom = '\ufeff';

/** RFC 4180 lines of CSV: the header first. Cells that a spreadsheet would take for a formula are made safe unless `raw`. */
export async function* csvLines(
  columns: readonly Column[],
  rows: AsyncIterable<readonly (string | null)[]>,
  look: Look,
): AsyncGenerator<string> {
  const separator = look.separator ?? ',';
  const needsQuotes = new RegExp(`["\\r\\n${separator === '\t' ? '\\t' : separator}]`);
  const cell = (text: string): string => (needsQuotes.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  const safe = (text: string): string => (!look.raw && /^[=+\-@\t\r]/.test(text) ? `'${text}` : text);
  const written = (text: string | null, { kind }: Column): string => {
    if (text === null) return '';
    if (kind === 'number') return cell(look.decimalComma ? text.replace('.', ',') : text);
    return cell(kind === 'text' ? safe(text) : text);
  };
  yield `${look.bom ? bom : ''}${columns.map((c) => cell(c.name)).join(separator)}\r\n`;
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
