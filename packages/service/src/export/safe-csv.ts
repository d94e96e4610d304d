import { stringify, type Stringifier } from 'csv-stringify';
import { safeCell } from './cells';

/** Rows into CSV (RFC 4180) with this header, in which no cell is a formula to any spreadsheet. */
export function safeCsv(header: readonly string[]): Stringifier {
  const quoted = [';', ',', '\t'].map((sign) => sign);
  return stringify({
    header: true,
    columns: header.map((key) => ({ key, header: safeCell(key) })),
    record_delimiter: '\r\n',
    quoted_match: quoted,
    cast: { string: safeCell },
  });
}
