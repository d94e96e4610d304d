import { sql } from '../../sql/sql';
import { date as dateTerm } from '../../language/term';
import { isDay } from './clock';
import { editable, type Kind } from './kind';

export const date: Kind = {
  stored: ['date'],
  words: 'a date',
  valueType: 'date',
  compares: 'order',
  inKey: true,
  literal: 'time',
  cell: 'date',
  hasRanges: true,
  whyNotEditable: editable,
  canonical: ({ trimmed, what, short, bad }) =>
    isDay(trimmed) ? trimmed : bad(`${what} is a date such as 2026-05-01; “${short}” is not.`),
  term: (column, _, ground) =>
    ground.column(
      sql`${column} between date '1600-01-01' and date '2400-01-01'`,
      dateTerm(column, -135_140, 157_054),
      dateTerm(sql`tantamos.bounded(${column}::date)`),
    ),
  inList: {
    fits: (entry) => /^\d{4}-\d{2}-\d{2}$/.test(entry),
    is: (column, entry) => sql`${column}::text = ${entry}`,
  },
};
