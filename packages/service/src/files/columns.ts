import type { FileColumnView } from '@tantamos/contract';
import { dateOrders, decimalMarks, errorMark, type DateOrder } from '@tantamos/core';
import type { Connection } from '../database/database';

/** Columns asked about in one statement. */
const atOnce = 40;
const mostSamples = 5;
/** Rows that say what a column looks like; of those that look like dates all rows are asked which way round they are. */
const mostLooked = 1_000;

interface Counts extends DateCounts {
  readonly i: number;
  readonly filled: number;
  readonly samples: string[];
  /** Cells that are no number when read so. */
  readonly no_point: number;
  readonly no_comma: number;
}

interface DateCounts {
  /** Cells that are no date when read so. */
  readonly no_dmy: number;
  readonly no_mdy: number;
  /** Cells that are another date when read the other way. */
  readonly differ: number;
}

const cells = `tantamos.file_row r cross join unnest($2::int[]) i
  cross join lateral (select nullif(btrim(r.cells[i + 1], E' \\t\\r\\n\\u00a0'), '') as said) s
  cross join lateral (select case when not starts_with(said, $3) and length(said) <= 200 then said end as c) k`;
// Reading takes 15 µs a cell: what cannot be one is not read.
const noDate = `c !~* '^(\\d{1,4}[-/. ]|jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)'`;
const noNumber = `c !~ '^[^A-Za-z]*\\d'`;
const dates = `count(*) filter (where c is not null and (${noDate} or tantamos.read_date(c, 'dmy') is null))::int as no_dmy,
  count(*) filter (where c is not null and (${noDate} or tantamos.read_date(c, 'mdy') is null))::int as no_mdy,
  count(*) filter (where c ~ '^\\d{1,2}[-/.]\\d' and tantamos.read_date(c, 'dmy') is distinct from tantamos.read_date(c, 'mdy'))::int as differ`;

/** What each column looks like: how its numbers and dates are written. */
export async function columnsOf(
  connection: Connection,
  file: string,
  names: readonly string[],
  rows: number,
): Promise<FileColumnView[]> {
  const columns: FileColumnView[] = [];
  const step = Math.max(1, Math.ceil(rows / mostLooked));
  for (let first = 0; first < names.length; first += atOnce) {
    const some = names.slice(first, first + atOnce).map((_, i) => first + i);
    const { rows: found } = await connection.query<Counts>(
      `select i, count(c)::int as filled,
         coalesce((array_agg(distinct left(c, 60)) filter (where c is not null and n <= 200 * $4))[1:${mostSamples}], '{}') as samples,
         count(*) filter (where c is not null and (${noNumber} or tantamos.read_number(c, '.') is null))::int as no_point,
         count(*) filter (where c is not null and (${noNumber} or tantamos.read_number(c, ',') is null))::int as no_comma, ${dates}
       from ${cells} where r.file = $1 and n % $4 = 0 group by i order by i`,
      [file, some, errorMark, step],
    );
    const dated = found.filter((c) => looksLike(c) === 'date').map((c) => c.i);
    const ways = new Map<number, DateCounts>();
    if (dated.length > 0 && step > 1)
      for (const row of (
        await connection.query<DateCounts & { i: number }>(
          `select i, ${dates} from ${cells} where r.file = $1 group by i`,
          [file, dated, errorMark],
        )
      ).rows)
        ways.set(row.i, row);
    for (const row of found) columns.push(columnOf(names[row.i]!, { ...row, ...ways.get(row.i) }, looksLike(row)));
  }
  return columns;
}

function looksLike(c: Counts): FileColumnView['looks'] {
  if (c.filled === 0) return 'text';
  // A few that are none are told row by row.
  if (Math.min(c.no_point, c.no_comma) * 2 < c.filled) return 'number';
  return Math.min(c.no_dmy, c.no_mdy) * 2 < c.filled ? 'date' : 'text';
}

function columnOf(name: string, c: Counts, looks: FileColumnView['looks']): FileColumnView {
  // With both it is the point: 1,234 beside 12.5 is one thousand.
  const decimal = c.no_point <= c.no_comma ? decimalMarks[0] : decimalMarks[1];
  return { name, looks, decimal, order: orderOf(c), samples: c.samples };
}

/** Which comes first, where that is certain or does not matter; null where dates are ambiguous, or some were turned round. */
function orderOf(c: DateCounts): DateOrder | null {
  const [dmy, mdy] = dateOrders;
  if (c.differ === 0) return dmy;
  if (c.no_dmy === c.no_mdy) return null;
  // Some that only the one fits, and some that only the other does: a spreadsheet has turned round what it could.
  if (c.no_dmy > 0 && c.no_mdy > 0) return null;
  return c.no_dmy < c.no_mdy ? dmy : mdy;
}
