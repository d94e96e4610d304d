import { clip, fail } from '@tantamos/core';
import {
  columnNames,
  keptCell,
  mostColumns,
  Noted,
  readsLikeHeader,
  tooManyColumns,
  type MannerSaid,
  type Reading,
  type Row,
} from './reading';
import { openWorkbook, tagsOf, type Workbook } from './workbook';

/** One sheet of a workbook, row by row: numbers as they are shown in full, dates as ISO 8601, formulas by their last result. */
export async function readXlsx(path: string, said: MannerSaid): Promise<Reading> {
  const book = await openWorkbook(path);
  try {
    const sheets = [...book.sheets.keys()];
    const sheet = said.sheet === undefined ? sheets[0]! : sheetNamed(said.sheet, sheets);
    const first = await firstRow(book, sheet);
    if (!first)
      fail('bad_value', `The sheet “${clip(sheet)}” is empty.`, { where: 'sheet', suggestions: sheets.slice(0, 20) });
    const hasHeader = said.header ?? readsLikeHeader(first.cells);
    const { names, alike } = columnNames(hasHeader ? first.cells : first.cells.map(() => null));
    const notes = new Noted({});
    if (alike > 0 && hasHeader) notes.add('same_headers', alike);
    if (!hasHeader && said.header === undefined) notes.add('no_header');
    return {
      manner: { format: 'xlsx', encoding: null, separator: null, sheet, sheets, hasHeader },
      columns: () => names,
      notes: () => notes.all(),
      async *rows() {
        let isFirst = hasHeader;
        try {
          for await (const row of rowsOf(book, sheet, notes)) {
            if (isFirst) isFirst = false;
            else yield asRow(row, names, notes);
          }
        } finally {
          book.archive.close();
        }
      },
    };
  } catch (error) {
    book.archive.close();
    throw error;
  }
}

function sheetNamed(said: string, sheets: readonly string[]): string {
  return (
    sheets.find((s) => s.toLowerCase() === said.toLowerCase()) ??
    fail(
      'bad_value',
      `There is no sheet “${clip(said)}”; there ${sheets.length === 1 ? 'is' : 'are'} ${sheets.slice(0, 20).join(', ')}.`,
      {
        where: 'sheet',
        suggestions: sheets.slice(0, 20),
      },
    )
  );
}

interface SheetRow {
  readonly at: number;
  readonly cells: readonly (string | null)[];
  /** Columns whose cell holds an error. */
  readonly errors: readonly number[];
}

async function firstRow(book: Workbook, sheet: string): Promise<SheetRow | null> {
  for await (const row of rowsOf(book, sheet, new Noted({}))) return row;
  return null;
}

/** Rows in which something stands. */
async function* rowsOf(book: Workbook, sheet: string, notes: Noted): AsyncGenerator<SheetRow> {
  let ready: SheetRow[] = [];
  let at = 0;
  let cells: (string | null)[] = [];
  let errors: number[] = [];
  let column = -1;
  let cell = { type: 'n', style: -1 };
  let text = '';
  let isOpen = false;
  const parts = tagsOf(book.archive.text(book.sheets.get(sheet)!), {
    open({ name, attributes: a }) {
      if (name === 'row') {
        at = a.r === undefined ? at + 1 : Number(a.r);
        cells = [];
        errors = [];
        column = -1;
      } else if (name === 'c') {
        column = a.r === undefined ? column + 1 : columnIn(a.r);
        if (column >= mostColumns) tooManyColumns();
        cell = { type: a.t ?? 'n', style: Number(a.s ?? -1) };
        text = '';
      } else if (name === 'v' || name === 't') isOpen = true;
      else if (name === 'f') notes.add('formulas');
      else if (name === 'mergeCell') notes.add('merged');
    },
    text(t) {
      if (isOpen) text += t;
    },
    close(name) {
      if (name === 'v' || name === 't') isOpen = false;
      else if (name === 'c') {
        if (cell.type === 'e') {
          notes.add('error_cells');
          errors.push(column);
        }
        cells[column] = valueOf(text, cell, book, notes);
      } else if (name === 'row' && cells.some((c) => c?.trim()))
        ready.push({ at, cells: Array.from(cells, (c) => c ?? null), errors });
    },
  });
  for await (const _ of parts) {
    yield* ready;
    ready = [];
  }
  yield* ready;
}

/** The place of a column, from 0, in the name of a cell: `C5`. */
function columnIn(name: string): number {
  let n = 0;
  for (const letter of name.toUpperCase()) {
    if (letter < 'A' || letter > 'Z') break;
    n = n * 26 + letter.charCodeAt(0) - 64;
    if (n > 20_000) break;
  }
  return n - 1;
}

function valueOf(
  text: string,
  { type, style }: { type: string; style: number },
  book: Workbook,
  notes: Noted,
): string | null {
  if (text === '') return null;
  switch (type) {
    case 's':
      return book.texts[Number(text)] ?? null;
    case 'b':
      return text === '1' ? 'TRUE' : 'FALSE';
    case 'n':
      return book.dates.has(style) ? (dayOf(Number(text), book.countsFrom1904) ?? text) : numberOf(text, notes);
    case 'd':
      return text.replace('T', ' ');
    default:
      return text;
  }
}

/** The fifteen digits that a spreadsheet keeps, written out. */
function numberOf(text: string, notes: Noted): string {
  const n = Number(text);
  if (!Number.isFinite(n)) return text;
  if (Math.abs(n) >= 1e15) notes.add('long_numbers');
  const kept = Number(n.toPrecision(15));
  const plain = String(kept);
  return plain.includes('e') ? kept.toLocaleString('en-US', { useGrouping: false, maximumFractionDigits: 20 }) : plain;
}

/** A day, with the time of day where there is one, as ISO 8601; days are counted from 1899-12-30, or from 1904-01-01. */
function dayOf(serial: number, from1904: boolean): string | null {
  if (!Number.isFinite(serial) || serial < 0 || serial > 2_958_466) return null;
  const start = from1904 ? Date.UTC(1904, 0, 1) : Date.UTC(1899, 11, 30);
  const seconds = Math.round(serial * 86_400);
  const iso = new Date(start + seconds * 1000).toISOString();
  if (serial < 1) return iso.slice(11, 19);
  return seconds % 86_400 === 0 ? iso.slice(0, 10) : `${iso.slice(0, 10)} ${iso.slice(11, 19)}`;
}

function asRow({ at, cells, errors }: SheetRow, names: readonly string[], notes: Noted): Row {
  let trouble: string | null = null;
  const kept = names.map((_, i) => {
    const said = cells[i] ?? null;
    if (said === null) return null;
    const { text, trouble: of } = keptCell(said);
    if (of) notes.add('unfit_signs');
    trouble ??= of;
    return text === '' ? null : text;
  });
  if (cells.slice(names.length).some((c) => c?.trim())) {
    notes.add('ragged');
    trouble ??= `it has more cells than the header, which has ${names.length}`;
  }
  return { at, cells: kept.map((c, i) => (errors.includes(i) && c !== null ? `${errorMark}${c}` : c)), trouble };
}

/** Stands before what a cell that holds an error shows, so that it is never taken for a value. */
export const errorMark = '\u241b';
