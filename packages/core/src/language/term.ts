import { join, raw, sql, type Sql, type SqlParameter } from '../sql/sql';
import type { ValueType } from '../catalog/kinds/value-type';
import { firstDay, lastDay, mostDecimals, mostNumber } from './limits';

/** What holds of every value that a piece of SQL gives, blanks aside. */
export interface Known {
  /** Least and greatest: of numbers, of dates in days since 1970-01-01, of texts in octets. */
  readonly low: number;
  readonly high: number;
  /** Digits after the point, of numbers. */
  readonly digits: number;
}

/** A piece of SQL as a value of the language, with what is known of it. */
export class Term {
  constructor(
    /** A `bigint` where `whole`, else of the one type that the database has for the type (see `dbTypes`). */
    readonly sql: Sql,
    readonly type: ValueType,
    readonly known: Known = anyOf(type),
    /** Numbers: kept as `bigint`. */
    readonly whole = false,
    /** Its canonical text, where it is always the same. */
    readonly constant: string | null = null,
  ) {}

  /** In the one database type that the language has for its type. */
  get canonical(): Sql {
    return this.whole ? sql`${this.sql}::numeric` : this.sql;
  }

  get low(): number {
    return this.known.low;
  }
  get high(): number {
    return this.known.high;
  }
  /** Its size without a sign. */
  get most(): number {
    return Math.max(-this.low, this.high);
  }

  /** The whole part of that; a fraction of twenty nines is still none. */
  get cut(): number | null {
    return this.constant === null ? null : Number(this.constant.split('.')[0]);
  }

  /** The number it always is; null where it is not always the same. */
  get number(): number | null {
    return this.constant === null ? null : Number(this.constant);
  }
}

/** Whole numbers below this are kept as `bigint`. */
export const mostWhole = 9e18;

/** What is known of any value of a type. */
export function anyOf(type: ValueType): Known {
  switch (type) {
    case 'number':
      return { low: -mostNumber, high: mostNumber, digits: mostDecimals };
    case 'date':
      return { low: firstDay, high: lastDay, digits: 0 };
    default:
      return { low: 0, high: Infinity, digits: 0 };
  }
}

/** A number of the database's type `numeric`, between these, with so many digits after the point. */
export function numeric(piece: Sql, low: number, high: number, digits: number): Term {
  return new Term(piece, 'number', { low, high, digits });
}

/** A number of the database's type `bigint`, between these. */
export function whole(piece: Sql, low: number, high: number, constant: string | null = null): Term {
  return new Term(piece, 'number', { low, high, digits: 0 }, true, constant);
}

export function date(piece: Sql, low = firstDay, high = lastDay): Term {
  return new Term(piece, 'date', { low, high, digits: 0 });
}

/** A text of at most so many octets. */
export function text(piece: Sql, octets = Infinity): Term {
  return new Term(piece, 'text', { low: 0, high: octets, digits: 0 });
}

/** A column as a text, ordered by code point; `most`: the octets that its type allows. */
export function textColumn(column: Sql, ground: Ground, most: number | '' = Infinity): Term {
  const said = sql`(${column}::text collate "C")`;
  if (most && most <= usualOctets) return text(said, most);
  return ground.column(
    sql`octet_length(${column}::text) <= ${raw(String(usualOctets))}`,
    text(said, usualOctets),
    text(said),
  );
}

const usualOctets = 2000;

export function yesNo(piece: Sql): Term {
  return new Term(piece, 'yes_no');
}

/** Terms of one type as values of one database type, and what is known of whichever of them. */
export function alike(terms: readonly Term[]): { readonly sqls: readonly Sql[]; as(piece: Sql): Term } {
  const isWhole = terms.every((t) => t.whole);
  const type = terms.find((t) => t.type !== 'blank')?.type ?? 'blank';
  const known = {
    low: Math.min(...terms.map((t) => t.low)),
    high: Math.max(...terms.map((t) => t.high)),
    digits: Math.max(...terms.map((t) => t.known.digits)),
  };
  return {
    sqls: terms.map((t) => (isWhole ? t.sql : t.canonical)),
    as: (piece) => new Term(piece, type, known, isWhole),
  };
}

/**
 * The ground on which an expression is put into SQL. What SQL does natively is used where what is known of the operands
 * says that it gives the same and cannot fail; else a function of ours checks first.
 *
 * `usual`: the columns are taken to be as they mostly are (`tests` says how), and what is known follows from that. `any`:
 * they may hold anything. `rare`: the same, for the few records that are not as usual.
 */
export class Ground {
  /** What must hold of a record for what was made to be right. */
  readonly tests = new Map<string, Sql>();
  /** How often too little was known. */
  falls = 0;
  /** How often a column was looked at first for what it may hold. */
  looks = 0;

  constructor(
    readonly columns: 'usual' | 'any' | 'rare',
    private readonly alias: () => Sql,
  ) {}

  /** May the native way be taken? */
  allows(test: boolean): boolean {
    if (!test) this.falls++;
    return test;
  }

  /** A column as it mostly is, or as it may be. */
  column(test: Sql, usual: Term, any: Term): Term {
    if (this.columns !== 'usual') {
      if (any.sql !== usual.sql) this.looks++;
      return any;
    }
    this.tests.set(JSON.stringify(test.pieces), test);
    return usual;
  }

  /**
   * A function of ours. No argument is long, so that the database takes its body for the call; where it is rarely called
   * that is not worth it, since a query of its own keeps the database from working in parallel.
   */
  call(name: string, ...args: readonly Sql[]): Sql {
    const called = (...each: readonly Sql[]): Sql => sql`tantamos.${raw(name)}(${join(each, ', ')})`;
    return this.columns === 'rare' ? called(...args) : this.once(args, called, short);
  }

  /** A piece that names others several times: a long one is worked out once, in a query of its own. */
  once(pieces: readonly Sql[], use: (...pieces: readonly Sql[]) => Sql, most = long): Sql {
    const isLong = pieces.map((piece) => sizeOf(piece) > most);
    if (!isLong.includes(true)) return use(...pieces);
    const alias = this.alias();
    const named = pieces.map((piece, i) => (isLong[i] ? sql`${alias}.${raw(`a${i + 1}`)}` : piece));
    const columns = pieces.flatMap((piece, i) => (isLong[i] ? [sql`${piece} as ${raw(`a${i + 1}`)}`] : []));
    return sql`(select ${use(...named)} from (select ${join(columns, ', ')} offset 0) ${alias})`;
  }
}

/** Three functions, one in the other, are short enough to be said twice; those that take long only where they are `short`. */
const long = 400;
/** A column or a value, cast. */
export const short = 10;

const sizes = new WeakMap<Sql, number>();

/** Of how many words and values a piece consists. */
export function sizeOf(piece: Sql): number {
  const known = sizes.get(piece);
  if (known !== undefined) return known;
  let size = 0;
  for (const part of piece.pieces) size += typeof part === 'string' || isParameter(part) ? 1 : sizeOf(part);
  sizes.set(piece, size);
  return size;
}

const isParameter = (part: SqlParameter | Sql): part is SqlParameter => 'parameter' in part;
