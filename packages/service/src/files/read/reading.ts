import { fail } from '@tantamos/core';

// What a file of values is read as: rows of texts, whatever it was written in.

/** A row as it stands in the file. */
export interface Row {
  /** Where it stands: the line of a text, the row of a sheet, from 1. */
  readonly at: number;
  /** By column; null: nothing stands there. */
  readonly cells: readonly (string | null)[];
  /** Why nothing of it can be used; null where it can. */
  readonly trouble: string | null;
}

/** What a person should know of a file as a whole. */
export interface FileNote {
  readonly code:
    | 'ragged'
    | 'same_headers'
    | 'formulas'
    | 'error_cells'
    | 'merged'
    | 'long_numbers'
    | 'unfit_signs'
    | 'no_header'
    | 'guessed_encoding';
  readonly message: string;
  readonly count: number;
}

/** How a file is read: found out, or said by the person. */
export interface Manner {
  readonly format: 'csv' | 'xlsx' | 'jsonl';
  readonly encoding: string | null;
  readonly separator: string | null;
  readonly sheet: string | null;
  readonly sheets: readonly string[];
  readonly hasHeader: boolean;
}

/** What a person says of how it is to be read; the rest is found out. */
export interface MannerSaid {
  readonly encoding?: string;
  readonly separator?: string;
  readonly sheet?: string;
  readonly header?: boolean;
}

/** A file under way: its rows come one after another, and its notes and columns are whole once all have come. */
export interface Reading {
  readonly manner: Manner;
  /** Names of the columns, so far. */
  columns(): readonly string[];
  rows(): AsyncIterable<Row>;
  notes(): readonly FileNote[];
}

export const mostColumns = 300;
export const mostRows = 2_000_000;
export const longestCell = 100_000;
export const mostBytes = 200 * 1024 * 1024;

export function tooManyColumns(): never {
  return fail('over_limit', `A file may have ${mostColumns} columns; this one has more.`, { where: 'file' });
}

/** Names for columns, each once: `Price`, `Price (2)`; what has none is called after its place. */
export function columnNames(said: readonly (string | null)[]): { readonly names: string[]; readonly alike: number } {
  const names: string[] = [];
  const known = new Map<string, number>();
  let alike = 0;
  for (const [i, one] of said.entries()) {
    const plain =
      keptCell((one ?? '').slice(0, 200))
        .text.replace(/\s+/g, ' ')
        .trim() || `Column ${i + 1}`;
    const before = known.get(plain.toLowerCase()) ?? 0;
    known.set(plain.toLowerCase(), before + 1);
    if (before > 0) alike++;
    names.push(before === 0 ? plain : `${plain} (${before + 1})`);
  }
  return { names, alike };
}

/** Is a row the names of what stands beneath it: texts, each once, none of them a value by itself? */
export function readsLikeHeader(cells: readonly (string | null)[]): boolean {
  const filled = cells.flatMap((c) => (c?.trim() ? [c.trim().toLowerCase()] : []));
  if (filled.length === 0) return false;
  const isValue = (text: string): boolean =>
    /^[-+]?[\d.,\s%€$£]+$/.test(text) || /@/.test(text) || /^\d{1,4}[-./]\d/.test(text);
  return !filled.some(isValue) && filled.every((text) => text.length <= 100);
}

/** A cell as it can be kept, and what stood in the way: signs that no database takes, or too many of any. */
export function keptCell(text: string): { readonly text: string; readonly trouble: string | null } {
  const isUnfit = /\u0000|[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/;
  if (text.length > longestCell)
    return {
      text: `${text.slice(0, 100)}…`,
      trouble: `a cell has ${text.length.toLocaleString('en-US')} characters; ${longestCell.toLocaleString('en-US')} is most`,
    };
  if (!isUnfit.test(text)) return { text, trouble: null };
  const kept = text.replace(new RegExp(isUnfit.source, 'g'), '\ufffd');
  return { text: kept, trouble: 'a cell holds a sign that cannot be stored' };
}

/** Notes that are counted as rows go by. */
export class Noted {
  private readonly counts = new Map<FileNote['code'], number>();
  constructor(private readonly words: Readonly<Partial<Record<FileNote['code'], (n: number) => string>>>) {}

  add(code: FileNote['code'], n = 1): void {
    this.counts.set(code, (this.counts.get(code) ?? 0) + n);
  }

  all(): FileNote[] {
    return [...this.counts].map(([code, count]) => ({
      code,
      count,
      message: this.words[code]?.(count) ?? noteWords[code](count),
    }));
  }
}

const said = (n: number, one: string, many: string): string => `${n.toLocaleString('en-US')} ${n === 1 ? one : many}`;

const noteWords: Readonly<Record<FileNote['code'], (n: number) => string>> = {
  ragged: (n) => `${said(n, 'row has', 'rows have')} another number of cells than the header.`,
  same_headers: (n) =>
    `${said(n, 'column has a name that another has', 'columns have names that others have')}: a number stands behind.`,
  formulas: (n) => `${said(n, 'cell is a formula: its', 'cells are formulas: their')} last result is taken.`,
  error_cells: (n) =>
    `${said(n, 'cell holds', 'cells hold')} an error, such as #DIV/0!: where it is used its row is not taken.`,
  merged: (n) => `${said(n, 'area is', 'areas are')} merged: only the first cell of each has a value.`,
  long_numbers: (n) =>
    `${said(n, 'number is', 'numbers are')} longer than the 15 digits a spreadsheet keeps: the rest was lost there. Codes are better kept as texts.`,
  unfit_signs: (n) =>
    `${said(n, 'row holds', 'rows hold')} what cannot be stored, and ${n === 1 ? 'is' : 'are'} not taken.`,
  no_header: () =>
    'The first row does not read like a header: it is taken as values, and columns are called after their place.',
  guessed_encoding: () =>
    'The text is no UTF-8: it is read as Windows-1252. If letters look wrong, say another encoding.',
};
