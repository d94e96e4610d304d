import { textColumn } from '../../language/term';
import { editable, type Kind } from './kind';

export const text: Kind = {
  stored: ['text', 'varchar', 'bpchar', 'citext'],
  words: 'a text',
  valueType: 'text',
  compares: 'order',
  inKey: true,
  literal: 'text',
  cell: 'text',
  hasRanges: false,
  whyNotEditable: editable,
  canonical: ({ text: said }) => said,
  term(column, dbType, ground) {
    const [, characters] = /^character(?: varying)?\((\d+)\)$/.exec(dbType) ?? [];
    return textColumn(column, ground, characters && 4 * Number(characters));
  },
  inList: 'text',
};
