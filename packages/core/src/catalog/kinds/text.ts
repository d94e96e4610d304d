import { sql } from '../../sql/sql';
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
  asValue: (column) => sql`(${column}::text collate "C")`,
  inList: 'text',
};
