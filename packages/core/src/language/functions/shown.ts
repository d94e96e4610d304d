import { clockAt, type Value } from '../evaluate/value';
import { join, raw, sql, value } from '../../sql/sql';
import { text as textTerm } from '../term';
import type { FunctionEntry } from './entry';
import { asPlainText } from './text';

/** What texts for people are made with; nobody types these, so they are not among the functions of the language. */
export const shownFunctions: readonly FunctionEntry[] = [
  {
    name: 'grouped',
    group: 'Numbers',
    source: 'Tantamos',
    doc: 'A number with so many decimals at least, its thousands apart, and a decimal mark.',
    example: "grouped(hives, 0, ',', '.', 4) <> ''",
    parameters: [
      { name: 'number', type: 'number' },
      { name: 'decimals', type: 'number', writtenOut: true },
      { name: 'between', type: 'text', writtenOut: true },
      { name: 'mark', type: 'text', writtenOut: true },
      { name: 'from', type: 'number', writtenOut: true },
    ],
    result: 'text',
    evaluate: ([n, decimals, between, mark, from]) =>
      grouped(asPlainText(n!), {
        decimals: Number(decimals),
        between: between as string,
        mark: mark as string,
        from: Number(from),
      }),
    sql: (all) =>
      textTerm(
        sql`tantamos.grouped(${join(
          all.map((t, i) => (i === 1 || i === 4 ? sql`${t.sql}::integer` : t.canonical)),
          ', ',
        )})`,
        longest,
      ),
  },
  {
    name: 'clock',
    group: 'Dates',
    source: 'Tantamos',
    doc: 'What a clock of the workspace’s zone shows at a moment: 14:05.',
    example: "clock(updated_at) < '12:00'",
    parameters: [{ name: 'moment', type: 'moment' }],
    result: 'text',
    evaluate: ([m]: readonly Value[], { timeZone }) => clockAt(m as bigint, timeZone),
    sql: ([m], { timeZone }) =>
      textTerm(sql`(to_char(${m!.sql} at time zone ${value(timeZone)}, ${raw(`'HH24:MI'`)}) collate "C")`, 5),
  },
];

/** Octets of the longest number, with a separator of a few octets after every digit. */
const longest = 500;

interface Grouping {
  readonly decimals: number;
  readonly between: string;
  readonly mark: string;
  /** Digits from which on thousands stand apart. */
  readonly from: number;
}

function grouped(plain: string, { decimals, between, mark, from }: Grouping): string {
  const [, sign, whole, fraction = ''] = /^(-?)(\d+)(?:\.(\d+))?$/.exec(plain)!;
  const apart = whole!.length < from ? whole! : whole!.replace(/\B(?=(\d{3})+$)/g, between);
  const digits = fraction.padEnd(decimals, '0');
  return `${sign}${apart}${digits === '' ? '' : mark}${digits}`;
}
