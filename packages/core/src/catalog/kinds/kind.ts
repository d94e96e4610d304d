import type { Ground, Term } from '../../language/term';
import type { Sql } from '../../sql/sql';
import type { ValueType } from './value-type';

export type { ValueType };

/** What a person wrote, and how to say that it is not right. */
export interface Said {
  readonly text: string;
  readonly trimmed: string;
  /** The field, as a person calls it. */
  readonly what: string;
  /** The text cut to a length that fits a sentence. */
  readonly short: string;
  bad(message: string): never;
}

/** How values of a field compare and are written, whatever the field is for: one file a kind. */
export interface Kind {
  /** Names of the database's types that hold it (source: pg_type.typname). */
  readonly stored: readonly string[];
  /** “a number”. */
  readonly words: string;
  /** What its values are in the language; null where they cannot be used. */
  readonly valueType: ValueType | null;
  /** What may be asked of two values. */
  readonly compares: 'order' | 'equality' | 'nothing';
  /** May it be part of a key: its text is lossless, and a person can write it. */
  readonly inKey: boolean;
  /** What stands opposite it in a filter; null where nothing does. */
  readonly literal: 'text' | 'number' | 'yes_no' | 'time' | null;
  /** Is it a column of numbers, or of dates, in a spreadsheet. */
  readonly cell: 'text' | 'number' | 'date';
  /** Can its values be counted by ranges. */
  readonly hasRanges: boolean;
  /** Why a field of it cannot be changed; null where it can. */
  whyNotEditable(dbType: string): string | null;
  /** What a person wrote as the text the database takes; says what would be right where it is not. */
  canonical(said: Said): string;
  /**
   * Its column as a value of the language, blank where the language has no place for what is in it; `atZone`: clocks as
   * moments.
   */
  term(column: Sql, dbType: string, ground: Ground, atZone: (column: Sql) => Sql): Term;
  /** How an entry of a pasted list meets it; null where none can. `text`: by letters, small and capital alike. */
  readonly inList: 'text' | InList | null;
}

export interface InList {
  /** Could the entry be a value of it. */
  fits(entry: string): boolean;
  is(column: Sql, entry: Sql, field: { readonly scale: number | null }): Sql;
}

export const editable = (): null => null;
