import { mostDecimals, mostNumber } from '../../language/limits';
import { numeric, Term, whole } from '../../language/term';
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
  term(column, dbType, ground) {
    const most = { smallint: 2 ** 15, integer: 2 ** 31, bigint: 2 ** 63 }[dbType];
    if (most) return whole(sql`${column}::bigint`, -most, most);
    const [, digits, scale = '0'] = /^numeric\((\d+)(?:,(-?\d+))?\)$/.exec(dbType) ?? [];
    const greatest = 10 ** (Number(digits) - Number(scale));
    if (digits && greatest < mostNumber && Number(scale) <= mostDecimals)
      return numeric(sql`nullif(${column}, 'NaN')`, -greatest, greatest, Math.max(0, Number(scale)));
    // The text of a float has all its digits; a cast would round them.
    if (dbType !== 'numeric' && !digits) return new Term(sql`tantamos.bounded(${column}::text::numeric)`, 'number');
    return ground.column(
      sql`(abs(${column}) < 1e20 and scale(${column}) <= 10)`,
      numeric(column, -1e20, 1e20, 10),
      new Term(sql`tantamos.bounded(${column}::numeric)`, 'number'),
    );
  },
  inList: {
    fits: (entry) => /^-?\d{1,18}(\.\d{1,10})?$/.test(entry),
    is: (column, entry, { scale }) => sql`${column} = ${entry}::${raw(scale === 0 ? 'bigint' : 'numeric')}`,
  },
};
