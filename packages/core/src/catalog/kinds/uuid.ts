import { textColumn } from '../../language/term';
import { sql } from '../../sql/sql';
import { editable, type Kind } from './kind';

const shape = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/i;

/** RFC 9562. */
export const uuid: Kind = {
  stored: ['uuid'],
  words: 'a UUID',
  valueType: 'text',
  compares: 'order',
  inKey: true,
  literal: 'text',
  cell: 'text',
  hasRanges: false,
  whyNotEditable: editable,
  canonical: ({ trimmed, what, short, bad }) =>
    shape.test(trimmed) ? trimmed.toLowerCase() : bad(`${what} is a UUID; “${short}” is not.`),
  term: (column, _, ground) => textColumn(column, ground, 36),
  inList: { fits: (entry) => shape.test(entry), is: (column, entry) => sql`${column} = ${entry}::uuid` },
};
