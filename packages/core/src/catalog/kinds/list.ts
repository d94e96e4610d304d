import { Term } from '../../language/term';
import type { Kind } from './kind';

export const list: Kind = {
  stored: [],
  words: 'a list',
  valueType: 'list',
  compares: 'order',
  inKey: false,
  literal: null,
  cell: 'text',
  hasRanges: false,
  whyNotEditable: () => 'lists cannot be changed yet.',
  canonical: ({ what, bad }) => bad(`${what} is of a kind that cannot be written here.`),
  term: (column) => new Term(column, 'list'),
  inList: null,
};
