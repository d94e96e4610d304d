import type { FieldView, Found, FoundRecord, JobBody, TypeView, Value } from '@tantamos/contract';
import { fitToField, ProblemError, type Edit } from '@tantamos/core';
import { lookOf } from '../components/kinds';

// Cells that were edited in the grid and not written yet: gathered, counted, each to be withdrawn, one job together.

export interface PendingCell {
  /** As the service takes it; null: blank. */
  readonly value: string | null;
  /** The same as people read it. */
  readonly shown: string | null;
  /** What stood there when it was edited; left out where it was not in sight. */
  readonly was?: string | null;
}

/** By field, then by the key of the record. */
export type PendingCells = Readonly<Record<string, Readonly<Record<string, PendingCell>>>>;

/** More than these are work for a file or an edit of the job. */
export const mostCells = 2000;
/** So many records, all in sight, may be changed at once without a look at their preview. */
export const mostNow = 20;

/** With these as well; what becomes what it was is no change. */
export function withCells(
  cells: PendingCells,
  field: string,
  fresh: Readonly<Record<string, PendingCell>>,
): PendingCells {
  const { [field]: before = {}, ...others } = cells;
  const all = Object.entries({ ...before, ...fresh }).filter(([, cell]) => cell.value !== cell.was);
  return all.length > 0 ? { ...others, [field]: Object.fromEntries(all) } : others;
}

/** Without those of which this is so. */
export function withoutCells(cells: PendingCells, gone: (key: string, field: string) => boolean): PendingCells {
  return Object.fromEntries(
    Object.entries(cells).flatMap(([field, of]) => {
      const left = Object.entries(of).filter(([key]) => !gone(key, field));
      return left.length > 0 ? [[field, Object.fromEntries(left)]] : [];
    }),
  );
}

export interface ListedCell extends PendingCell {
  readonly field: string;
  readonly key: string;
}

export function listed(cells: PendingCells): readonly ListedCell[] {
  return Object.entries(cells).flatMap(([field, of]) =>
    Object.entries(of).map(([key, cell]) => ({ ...cell, field, key })),
  );
}

export function keysOf(cells: PendingCells): readonly string[] {
  return [...new Set(Object.values(cells).flatMap((of) => Object.keys(of)))];
}

/** One job of all of them. */
export function jobOfCells(type: string, cells: PendingCells, why: string): JobBody {
  const edits = Object.entries(cells).map(([field, of]): Edit => ({
    kind: 'put',
    field,
    values: Object.fromEntries(Object.entries(of).map(([key, { value }]) => [key, value])),
  }));
  return {
    selection: { type, keys: [...keysOf(cells)] },
    edits,
    ...(why.trim() ? { why: why.trim() } : {}),
  };
}

/** The field of a column that may be edited in the grid, or why it may not. */
export function editableColumn(type: TypeView, column: string): FieldView | string {
  const field = type.fields.find((f) => f.name === column);
  if (!field) return 'It is a field of another record: open that one.';
  return (
    type.notChangeable ??
    field.notEditable ??
    (field.base === 'list' ? 'Lists take entries by an edit of the job.' : field)
  );
}

/** What was typed or pasted, as the service takes it; null: blank. Throws in words where the field does not take it. */
export function fitting(field: FieldView, text: string): string | null {
  if (text.trim() === '') {
    if (field.required) throw new Error(`${field.label} is required, so it cannot be blank.`);
    return null;
  }
  if (field.refersTo !== null) return text.trim();
  try {
    return fitToField(field, text);
  } catch (error) {
    throw error instanceof ProblemError ? new Error(error.message) : error;
  }
}

export function shownAs(field: FieldView, value: string | null): string | null {
  return (field.choices ?? lookOf(field.base).input.options)?.find((c) => c.value === value)?.label ?? value;
}

/** A block of cells, by its corners. */
export interface Block {
  readonly top: number;
  readonly bottom: number;
  readonly left: number;
  readonly right: number;
}

export function blockOf(a: { row: number; column: number }, b: { row: number; column: number }): Block {
  return {
    top: Math.min(a.row, b.row),
    bottom: Math.max(a.row, b.row),
    left: Math.min(a.column, b.column),
    right: Math.max(a.column, b.column),
  };
}

/** A block as spreadsheets take it, out of the rows that it covers: tabs between cells. */
export function textOfBlock(rows: readonly (readonly Value[])[], { left, right }: Block): string {
  const cell = (text: string): string => (/["\t\n\r]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  return rows
    .map((values) =>
      values
        .slice(left, right + 1)
        .map((v) => cell(v.label ?? v.value ?? ''))
        .join('\t'),
    )
    .join('\n');
}

export interface Filled {
  readonly cells: PendingCells;
  /** How many were taken, and why the others were not. */
  readonly taken: number;
  readonly left: readonly string[];
}

/** Texts put into cells from one on: to the right and down, over the records that are loaded. */
export function filled(
  cells: PendingCells,
  type: TypeView,
  columns: Found['columns'],
  records: readonly FoundRecord[],
  at: { readonly row: number; readonly column: number },
  rows: readonly (readonly string[])[],
): Filled {
  const left: string[] = [];
  const fresh = new Map<string, Record<string, PendingCell>>();
  let taken = 0;
  rows.forEach((texts, i) => {
    const record = records[at.row + i];
    if (!record?.key) return void left.push(`Row ${i + 1} has no record beneath it.`);
    texts.forEach((text, j) => {
      const column = columns[at.column + j];
      if (!column) return void left.push(`“${clipped(text)}” has no column.`);
      const field = editableColumn(type, column.name);
      if (typeof field === 'string') return void left.push(`${column.label}: ${field}`);
      try {
        const was = record.values[at.column + j]!;
        const value = fitting(field, text === was.label ? (was.value ?? '') : text);
        const of = fresh.get(field.name) ?? {};
        of[record.key!] = { value, shown: shownAs(field, value), was: was.value };
        fresh.set(field.name, of);
        taken++;
      } catch (error) {
        left.push((error as Error).message);
      }
    });
  });
  let all = cells;
  for (const [field, of] of fresh) all = withCells(all, field, of);
  return { cells: all, taken, left };
}

const clipped = (text: string): string => (text.length > 40 ? `${text.slice(0, 39)}…` : text);
