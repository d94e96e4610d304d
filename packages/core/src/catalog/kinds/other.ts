import { textColumn } from '../../language/term';
import type { Kind } from './kind';

/** Whatever the database has that is of no other kind: read, and left as it is. */
export const other: Kind = {
  stored: [],
  words: 'of a kind that cannot be used here',
  valueType: null,
  compares: 'nothing',
  inKey: false,
  literal: null,
  cell: 'text',
  hasRanges: false,
  whyNotEditable: (dbType) => `fields of the database type ${dbType} can be read and not changed.`,
  canonical: ({ what, bad }) => bad(`${what} is of a kind that cannot be written here.`),
  term: (column, _, ground) => textColumn(column, ground),
  inList: null,
};
