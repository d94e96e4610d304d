import { Readable } from 'node:stream';
import { CsvError, parse } from 'csv-parse';
import { clip, fail } from '@tantamos/core';
import { encodingOf, headOf, mustBeEncoding, textOf } from './text-file';
import {
  columnNames,
  keptCell,
  longestCell,
  mostColumns,
  Noted,
  readsLikeHeader,
  tooManyColumns,
  type MannerSaid,
  type Reading,
  type Row,
} from './reading';
import iconv from 'iconv-lite';

const separators = [',', ';', '\t', '|'];

/** RFC 4180, whatever parts its cells and whatever it is encoded in. */
export async function readCsv(path: string, said: MannerSaid): Promise<Reading> {
  const head = await headOf(path);
  const found =
    said.encoding === undefined ? encodingOf(head) : { encoding: mustBeEncoding(said.encoding), isGuess: false };
  const { encoding } = found;
  const start = iconv.decode(head, encoding).replace(/^\ufeff/, '');
  if (start.trim() === '') fail('bad_value', 'The file is empty.', { where: 'file' });
  const separator = said.separator ?? separatorIn(start);
  if (separator.length !== 1 || /["\r\n]/.test(separator))
    fail('bad_value', `“${clip(separator)}” cannot part cells: one sign such as , or ; does.`, { where: 'separator' });
  const first = firstRow(start, separator);
  const hasHeader = said.header ?? readsLikeHeader(first);
  if (first.length > mostColumns) tooManyColumns();
  const { names, alike } = columnNames(hasHeader ? first : first.map(() => null));
  const notes = new Noted({});
  if (found.isGuess) notes.add('guessed_encoding');
  if (alike > 0 && hasHeader) notes.add('same_headers', alike);
  if (!hasHeader && said.header === undefined) notes.add('no_header');
  return {
    manner: { format: 'csv', encoding, separator, sheet: null, sheets: [], hasHeader },
    columns: () => names,
    notes: () => notes.all(),
    async *rows() {
      const parser = parse({
        delimiter: separator,
        bom: true,
        relax_column_count: true,
        skip_empty_lines: false,
        max_record_size: longestCell * 20,
      });
      const source = Readable.from(textOf(path, encoding));
      source.once('error', (error) => parser.destroy(error));
      source.pipe(parser);
      let isFirst = hasHeader;
      // Counted here: asked of the parser it takes as long again as all the rest.
      let line = 0;
      try {
        for await (const record of parser as AsyncIterable<string[]>) {
          line += 1 + breaksIn(record);
          if (isFirst) isFirst = false;
          else yield rowOf(record, line, names.length, notes);
        }
      } catch (error) {
        if (!(error instanceof CsvError)) throw error;
        fail('bad_value', csvWords(error), { where: 'file' });
      } finally {
        source.destroy();
      }
    },
  };
}

/** Line breaks within the cells of a row. */
function breaksIn(record: readonly string[]): number {
  let breaks = 0;
  for (const cell of record)
    if (cell.includes('\n') || cell.includes('\r')) breaks += cell.match(/\r\n|\n|\r/g)!.length;
  return breaks;
}

function csvWords(error: CsvError): string {
  const line = Number((error as { lines?: number }).lines ?? 0);
  const at = line > 0 ? ` near line ${line.toLocaleString('en-US')}` : '';
  if (error.code === 'CSV_MAX_RECORD_SIZE')
    return `A row${at} is longer than a row can be: a quote that is never closed, perhaps.`;
  if (/QUOTE/.test(error.code))
    return `A quote${at} is not closed, or stands where none may: the file cannot be read further.`;
  return `The file cannot be read${at}: it is no CSV.`;
}

/** What it holds of each column, and whether it has as many as the header. */
function rowOf(record: readonly string[], at: number, columns: number, notes: Noted): Row {
  const cells: (string | null)[] = [];
  let trouble: string | null = null;
  for (const [i, said] of record.entries()) {
    const kept = keptCell(said);
    trouble ??= kept.trouble;
    if (i < columns) cells.push(kept.text === '' ? null : kept.text);
    else if (said.trim() !== '') trouble ??= `it has ${record.length} cells, the header ${columns}`;
  }
  const isBlank = cells.every((c) => c === null);
  if (record.length !== columns && !isBlank) notes.add('ragged');
  // One that is short may have lost a separator: what stands behind it would be in the wrong column.
  if (record.length < columns && !isBlank) trouble ??= `it has ${record.length} cells, the header ${columns}`;
  if (trouble?.startsWith('a cell')) notes.add('unfit_signs');
  return { at, cells, trouble };
}

/** The sign that parts the first lines into the same number of cells, and into most. */
function separatorIn(text: string): string {
  const lines = text
    .split(/\r\n|\n|\r/)
    .filter((l) => l.trim() !== '')
    .slice(0, 20);
  const whole = lines.length > 1 && text.length > 200_000 ? lines.slice(0, -1) : lines;
  const rank = (sign: string): number => {
    const counts = whole.map((l) => outsideQuotes(l, sign));
    const first = counts[0] ?? 0;
    if (first === 0) return 0;
    const alike = counts.filter((n) => n === first).length / counts.length;
    return alike * 1000 + Math.min(first, 500);
  };
  const ranked = separators.map((sign) => ({ sign, rank: rank(sign) })).sort((a, b) => b.rank - a.rank);
  return ranked[0]!.rank === 0 ? ',' : ranked[0]!.sign;
}

function outsideQuotes(line: string, sign: string): number {
  let count = 0;
  let quoted = false;
  for (const c of line) {
    if (c === '"') quoted = !quoted;
    else if (c === sign && !quoted) count++;
  }
  return count;
}

function firstRow(text: string, separator: string): string[] {
  const cells: string[] = [];
  let cell = '';
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    if (quoted) {
      if (c !== '"') cell += c;
      else if (text[i + 1] === '"') cell += text[++i]!;
      else quoted = false;
    } else if (c === '"') quoted = true;
    else if (c === separator) {
      cells.push(cell);
      cell = '';
    } else if (c === '\n' || c === '\r') {
      if (cells.length > 0 || cell.trim() !== '') break;
      cell = '';
    } else cell += c;
  }
  return [...cells, cell];
}
