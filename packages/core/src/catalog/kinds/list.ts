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
  whyNotEditable: (dbType) =>
    /^(text|character varying(\(\d+\))?)\[\]$/.test(dbType) ? null : 'only lists of texts can be changed yet.',
  canonical: ({ what, bad }) => bad(`${what} is a list: add and remove say what goes in and what comes out.`),
  term: (column) => new Term(column, 'list'),
  inList: null,
};
