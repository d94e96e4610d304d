import { sql } from '../../sql/sql';
import { canonicalMoment, isClock } from './clock';
import { editable, type Kind } from './kind';

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
  asValue: (column, dbType, atZone) => sql`tantamos.bounded(${isClock(dbType) ? atZone(column) : column})`,
  inList: null,
};
