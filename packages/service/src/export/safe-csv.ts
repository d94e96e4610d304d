import { visibleControls } from '@tantamos/core';
import { stringify, type Stringifier } from 'csv-stringify';
import { safeCell } from './cells';

/**
 * Rows into CSV (RFC 4180) with this header, in which no cell is a formula to any spreadsheet. `controls`: control characters as
 * they are, or as signs that can be seen.
 */
export function safeCsv(header: readonly string[], controls: 'kept' | 'visible' = 'kept'): Stringifier {
  const safe = (text: string): string => safeCell(controls === 'visible' ? visibleControls(text) : text);
  const quoted = [';', ',', '\t'].map((sign) => sign);
  return stringify({
    header: true,
    columns: header.map((key) => ({ key, header: safe(key) })),
    record_delimiter: '\r\n',
    quoted_match: quoted,
    cast: { string: safe },
  });
}
