import { sha256 } from '@noble/hashes/sha2';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils';
import { raw, sql } from '../../sql/sql';
import Big from 'big.js';
import type { Value } from '../evaluate/value';
import { whole } from '../term';
import type { FunctionEntry } from './entry';

/** Of a digest (SHA-256, FIPS 180-4) the first 60 bits. */
const digits = 15;

function drawn(text: string, of: number): Value {
  const bits = BigInt(`0x${bytesToHex(sha256(utf8ToBytes(text))).slice(0, digits)}`);
  return new Big(String(bits % BigInt(of)));
}

/** What made-up values are drawn with; nobody types it, so it is not among the functions of the language. */
export const drawnFunction: FunctionEntry = {
  name: 'drawn',
  group: 'Numbers',
  source: 'Tantamos',
  doc: 'A whole number from 0 up, below the one given, that the text decides: always the same for the same.',
  example: "drawn('a', 10) < 10",
  parameters: [
    { name: 'text', type: 'text' },
    { name: 'below', type: 'number', writtenOut: true },
  ],
  result: 'number',
  evaluate: ([text, below]) => drawn(text as string, Number(below as Big)),
  sql([text, below]) {
    const most = Number(below!.constant);
    const hex = sql`left(encode(sha256(convert_to(${text!.sql}, 'UTF8')), 'hex'), ${raw(String(digits))})`;
    return whole(sql`(('x' || ${hex})::bit(60)::bigint % ${below!.sql}::bigint)`, 0, most - 1);
  },
};
