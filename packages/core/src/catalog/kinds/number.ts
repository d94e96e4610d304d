import { raw, sql } from '../../sql/sql';
import { editable, type Kind } from './kind';

const mostDigits = 200;

export const number: Kind = {
  stored: ['int2', 'int4', 'int8', 'numeric', 'float4', 'float8'],
  words: 'a number',
  valueType: 'number',
  compares: 'order',
  inKey: true,
  literal: 'number',
  cell: 'number',
  hasRanges: true,
  whyNotEditable: editable,
  canonical({ trimmed, what, short, bad }) {
    if (!/^[+-]?(\d+(\.\d*)?|\.\d+)([eE][+-]?\d{1,2})?$/.test(trimmed))
      return bad(`${what} is a number; “${short}” is not.`);
    if (trimmed.length > mostDigits) return bad(`${what}: a number may have ${mostDigits} digits; this one has more.`);
    return trimmed;
  },
  asValue(column, dbType) {
    if (/^(smallint|integer|bigint)/.test(dbType)) return sql`${column}::numeric`;
    return /^numeric\(/.test(dbType) ? column : sql`tantamos.bounded(${column}::numeric)`;
  },
  inList: {
    fits: (entry) => /^-?\d{1,18}(\.\d{1,10})?$/.test(entry),
    is: (column, entry, { scale }) => sql`${column} = ${entry}::${raw(scale === 0 ? 'bigint' : 'numeric')}`,
  },
};
