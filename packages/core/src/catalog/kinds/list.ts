import { Term } from '../../language/term';
import type { Kind } from './kind';

/** What stands in a list: equal entries are written alike, so that their texts tell whether one is there already. */
export type EntryBase = 'text' | 'number' | 'uuid' | 'date';

/** What the entries of a list are, and their own type of the database; null of lists that cannot be changed. */
export function entryOf(dbType: string): { readonly base: EntryBase; readonly dbType: string } | null {
  const entry = /^(.+)\[\]$/.exec(dbType)?.[1] ?? '';
  if (/^(text|character varying(\(\d+\))?)$/.test(entry)) return { base: 'text', dbType: entry };
  if (['smallint', 'integer', 'bigint'].includes(entry)) return { base: 'number', dbType: entry };
  return entry === 'uuid' || entry === 'date' ? { base: entry, dbType: entry } : null;
}

export const list: Kind = {
  stored: [],
  words: 'a list',
  valueType: 'list',
  compares: 'order',
  inKey: false,
  literal: null,
  cell: 'text',
  hasRanges: false,
  whyNotEditable: (dbType) =>
    entryOf(dbType) ? null : 'only lists of texts, whole numbers, dates and UUIDs can be changed yet.',
  canonical: ({ what, bad }) => bad(`${what} is a list: add and remove say what goes in and what comes out.`),
  term: (column) => new Term(column, 'list'),
  inList: null,
};
