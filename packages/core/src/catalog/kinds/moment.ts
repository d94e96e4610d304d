import { sql, type Sql } from '../../sql/sql';
import { Term } from '../../language/term';
import { canonicalMoment, isClock } from './clock';
import { editable, type Kind } from './kind';

/** Clocks of years that any zone can be applied to. */
const inYears = (clock: Sql): Sql =>
  sql`(case when ${clock} between timestamp '0001-01-01' and timestamp '9999-12-31 23:59:59.999999' then ${clock} end)`;

export const moment: Kind = {
  stored: ['timestamp', 'timestamptz'],
  words: 'a moment',
  valueType: 'moment',
  compares: 'order',
  inKey: true,
  literal: 'time',
  cell: 'text',
  hasRanges: true,
  whyNotEditable: editable,
  canonical: ({ trimmed, what, short, bad }) =>
    canonicalMoment(trimmed) ?? bad(`${what} is a moment such as 2026-05-01T08:00:00Z; “${short}” is not.`),
  term: (column, dbType, _, atZone) =>
    new Term(sql`tantamos.bounded(${isClock(dbType) ? atZone(inYears(column)) : column})`, 'moment'),
  inList: null,
};
