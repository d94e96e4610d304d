import { textColumn } from '../../language/term';
import { editable, type Kind } from './kind';

export const json: Kind = {
  stored: ['json', 'jsonb'],
  words: 'JSON',
  valueType: 'text',
  compares: 'nothing',
  inKey: false,
  literal: null,
  cell: 'text',
  hasRanges: false,
  whyNotEditable: editable,
  canonical: ({ trimmed, what, short, bad }) =>
    isStorableJson(trimmed) ? trimmed : bad(`${what} is JSON, such as {"a": 1}; “${short}” is not.`),
  term: (column, _, ground) => textColumn(column, ground),
  inList: null,
};

const longestJson = 1_000_000;
const deepestJson = 100;

/** JSON (RFC 8259) of a depth and with numbers and characters that PostgreSQL keeps. */
function isStorableJson(text: string): boolean {
  if (text.length > longestJson || /\p{Cs}/u.test(text)) return false;
  let outside: string;
  try {
    JSON.parse(text);
    const strings = /"(?:[^"\\]|\\.)*"/g;
    // NUL and halves of surrogate pairs are JSON, and no text of a database; nor is a number of thousands of digits kept.
    if ([...text.matchAll(strings)].some(([s]) => /\0|\p{Cs}/u.test(String(JSON.parse(s))))) return false;
    outside = text.replace(strings, '""');
  } catch {
    return false;
  }
  let depth = 0;
  for (const [bracket] of outside.matchAll(/[[{\]}]/g)) {
    depth += bracket === '[' || bracket === '{' ? 1 : -1;
    if (depth > deepestJson) return false;
  }
  return !/[eE][+-]?\d{4}|\d{1000}/.test(outside);
}
