import { sql } from '../../sql/sql';
import { text as textTerm, whole } from '../term';
import type { FunctionEntry } from './entry';

const rest = {
  group: 'Numbers',
  source: 'Tantamos',
  evaluate() {
    throw new Error('Only the database draws.');
  },
} as const;

/** What made-up values are drawn with; nobody types these, so they are not among the functions of the language. */
export const drawnFunctions: readonly FunctionEntry[] = [
  {
    ...rest,
    name: 'drawn',
    doc: 'A whole number from 0 up, below the one given, that the text decides: always the same for the same.',
    example: "drawn('a', 10) < 10",
    parameters: [
      { name: 'text', type: 'text' },
      { name: 'below', type: 'number', writtenOut: true },
    ],
    result: 'number',
    sql: ([text, below]) =>
      whole(sql`tantamos.drawn(${text!.sql}, ${below!.sql}::bigint)`, 0, Number(below!.constant) - 1),
  },
  {
    ...rest,
    name: 'drawn_word',
    doc: 'One of a list of words or names that the text decides.',
    example: "drawn_word('a', 'first') <> ''",
    parameters: [
      { name: 'text', type: 'text' },
      { name: 'list', type: 'text', writtenOut: true },
    ],
    result: 'text',
    sql: ([text, list]) => textTerm(sql`tantamos.drawn_word(${text!.sql}, ${list!.sql})`, longestWord),
  },
];

/** Octets of the longest of them. */
const longestWord = 30;
