import { join, sql, type Sql } from '../../sql/sql';
import { Day, farMoment, Interval, order, type Value } from '../evaluate/value';
import { sizeOf, Term, yesNo } from '../term';
import type { FunctionEntry } from './entry';

/** Two stretches of time: a1 … a2 and b1 … b2. An open end lies before, or after, everything. */
interface Relation {
  readonly name: string;
  readonly doc: string;
  readonly example: string;
  /** Comparisons that must all hold, as `a1<b2`. */
  readonly tests: readonly string[];
  readonly negated?: true;
}

const may = "INTERVAL('2026-05-01', '2026-05-31')";
const booked = 'INTERVAL(start_on, end_on)';
const relations: readonly Relation[] = [
  {
    name: 'T_AFTER',
    doc: 'The first begins when the second is over.',
    example: `T_AFTER(start_on, ${may})`,
    tests: ['a1>b2'],
  },
  {
    name: 'T_BEFORE',
    doc: 'The first is over when the second begins.',
    example: `T_BEFORE(end_on, ${may})`,
    tests: ['a2<b1'],
  },
  {
    name: 'T_CONTAINS',
    doc: 'The second lies inside the first and touches no end.',
    example: `T_CONTAINS(${booked}, DATE('2026-05-10'))`,
    tests: ['a1<b1', 'a2>b2'],
  },
  {
    name: 'T_DISJOINT',
    doc: 'They have no time in common.',
    example: `T_DISJOINT(${booked}, ${may})`,
    tests: ['a1<=b2', 'a2>=b1'],
    negated: true,
  },
  {
    name: 'T_DURING',
    doc: 'The first lies inside the second and touches no end.',
    example: `T_DURING(start_on, ${may})`,
    tests: ['a1>b1', 'a2<b2'],
  },
  {
    name: 'T_EQUALS',
    doc: 'Both begin and end together.',
    example: `T_EQUALS(start_on, DATE('2026-05-01'))`,
    tests: ['a1=b1', 'a2=b2'],
  },
  {
    name: 'T_FINISHEDBY',
    doc: 'They end together; the first began before.',
    example: `T_FINISHEDBY(${booked}, ${may})`,
    tests: ['a1<b1', 'a2=b2'],
  },
  {
    name: 'T_FINISHES',
    doc: 'They end together; the first began later.',
    example: `T_FINISHES(${booked}, ${may})`,
    tests: ['a1>b1', 'a2=b2'],
  },
  {
    name: 'T_INTERSECTS',
    doc: 'They have some time in common.',
    example: `T_INTERSECTS(${booked}, ${may})`,
    tests: ['a1<=b2', 'a2>=b1'],
  },
  {
    name: 'T_MEETS',
    doc: 'The first ends where the second begins.',
    example: `T_MEETS(${booked}, ${may})`,
    tests: ['a2=b1'],
  },
  {
    name: 'T_METBY',
    doc: 'The first begins where the second ends.',
    example: `T_METBY(${booked}, ${may})`,
    tests: ['a1=b2'],
  },
  {
    name: 'T_OVERLAPPEDBY',
    doc: 'The first begins inside the second and ends after it.',
    example: `T_OVERLAPPEDBY(${booked}, ${may})`,
    tests: ['a1>b1', 'a1<b2', 'a2>b2'],
  },
  {
    name: 'T_OVERLAPS',
    doc: 'The first begins before the second and ends inside it.',
    example: `T_OVERLAPS(${booked}, ${may})`,
    tests: ['a1<b1', 'a2>b1', 'a2<b2'],
  },
  {
    name: 'T_STARTEDBY',
    doc: 'They begin together; the first ends later.',
    example: `T_STARTEDBY(${booked}, ${may})`,
    tests: ['a1=b1', 'a2>b2'],
  },
  {
    name: 'T_STARTS',
    doc: 'They begin together; the first ends earlier.',
    example: `T_STARTS(${booked}, ${may})`,
    tests: ['a1=b1', 'a2<b2'],
  },
];

const signs: Readonly<Record<string, (order: number) => boolean>> = {
  '<': (o) => o < 0,
  '>': (o) => o > 0,
  '=': (o) => o === 0,
  '<=': (o) => o <= 0,
  '>=': (o) => o >= 0,
};

/** An interval as an argument of a T_ function: its two ends, open ones as infinity. */
export class IntervalTerm extends Term {
  constructor(
    readonly from: Sql,
    readonly to: Sql,
  ) {
    super(sql`(${from}, ${to})`, 'interval');
  }
}

const endsOfTerm = (term: Term): readonly [Sql, Sql] =>
  term instanceof IntervalTerm ? [term.from, term.to] : [term.sql, term.sql];

export const timeFunctions: readonly FunctionEntry[] = relations.map(({ name, doc, example, tests, negated }) => ({
  name,
  group: 'Times',
  source: 'OGC CQL2',
  doc,
  example,
  parameters: [
    { name: 'time', type: 'interval' },
    { name: 'other', type: 'interval' },
  ],
  result: 'yes_no',
  evaluate: ([a, b]) => {
    const ends: Record<string, Value | typeof below | typeof above> = { ...endsOf('a', a!), ...endsOf('b', b!) };
    const all = both(
      tests.map((t) => {
        const [, left, sign, right] = /^(..)([<>=]+)(..)$/.exec(t)!;
        const found = orderEnds(ends[left!]!, ends[right!]!);
        return found === null ? null : signs[sign!]!(found);
      }),
    );
    return all === null ? null : all !== Boolean(negated);
  },
  sql: ([a, b], _, ground) => {
    const hold = ground.once([...endsOfTerm(a!), ...endsOfTerm(b!)], (a1, a2, b1, b2) => {
      const side: Record<string, Sql> = { a1: a1, a2: a2, b1: b1, b2: b2 };
      const parts = tests.map((t) => {
        const [, left, sign, right] = /^(..)([<>=]+)(..)$/.exec(t)!;
        return sql`${side[left!]!} ${signSql[sign!]!} ${side[right!]!}`;
      });
      // What is quickly asked is asked first.
      return sql`(${join(
        parts.toSorted((a, b) => sizeOf(a) - sizeOf(b)),
        ' and ',
      )})`;
    });
    return yesNo(negated ? sql`(not ${hold})` : hold);
  },
}));

const signSql: Readonly<Record<string, Sql>> = {
  '<': sql`<`,
  '>': sql`>`,
  '=': sql`=`,
  '<=': sql`<=`,
  '>=': sql`>=`,
};

const below = Symbol('before everything');
const above = Symbol('after everything');

function endsOf(name: string, v: Value): Record<string, Value | typeof below | typeof above> {
  if (!(v instanceof Interval)) return { [`${name}1`]: v, [`${name}2`]: v };
  const [from, to] = [v.from, v.to];
  return { [`${name}1`]: from === openEnd ? below : from, [`${name}2`]: to === openEnd ? above : to };
}

/** Marks an open end of an interval in memory; a blank end is null. */
export const openEnd = '..';

function orderEnds(a: Value | typeof below | typeof above, b: Value | typeof below | typeof above): number | null {
  if (a === null || b === null) return null;
  // The database has one word for an open end and for an endless time that is stored.
  const rank = (end: unknown): number => (end === below ? -1 : end === above ? 1 : endless(end as Value));
  if (typeof a === 'symbol' || typeof b === 'symbol') return Math.sign(rank(a) - rank(b));
  return order(a, b);
}

function endless(time: Value): -1 | 0 | 1 {
  const far =
    time instanceof Day
      ? time.number === Infinity || time.number === -Infinity
      : time === farMoment || time === -farMoment;
  if (!far) return 0;
  return (time instanceof Day ? time.number : Number(time)) < 0 ? -1 : 1;
}

/** AND of three-valued truths. */
function both(truths: readonly (boolean | null)[]): boolean | null {
  if (truths.includes(false)) return false;
  return truths.includes(null) ? null : true;
}
