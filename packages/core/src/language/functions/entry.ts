import type { ValueType } from '../types';
import type { Value } from '../evaluate/value';
import type { Ground, Term } from '../term';

/** A type a parameter takes: one of the language's, or `A`/`B`, which must be one type wherever they stand in a call. */
export type ParameterType = ValueType | 'A' | 'B';

export interface Parameter {
  readonly name: string;
  readonly type: ParameterType;
  readonly optional?: true;
  /** Takes these too: any value, as TEXT writes it; a number, as whether it is not 0. */
  readonly takes?: 'any' | 'number';
  /** May be given again and again; where several repeat, they do so together. */
  readonly repeats?: true;
  /** The only texts it takes, as a literal. */
  readonly oneOf?: readonly string[];
  /** A text that stands in the expression itself, never one worked out. */
  readonly writtenOut?: true;
}

/** What both back ends must know besides the arguments. */
export interface Env {
  /** IANA name of the workspace's time zone. */
  readonly timeZone: string;
  /** The moment that NOW() and TODAY() mean, in microseconds since 1970-01-01T00:00Z: the same for a whole statement. */
  readonly now: bigint;
}

export type Source = 'OGC CQL2' | 'OpenFormula' | 'SQL' | 'Tantamos';

/**
 * A function of the language, whole: signature, both back ends, where it comes from, one line for people. A blank
 * argument makes the result blank, unless `takesBlanks`. Both back ends are total: what cannot be worked out is blank.
 */
export interface FunctionEntry {
  readonly name: string;
  readonly group: Group;
  readonly source: Source;
  readonly doc: string;
  /** On bookings of the demo. */
  readonly example: string;
  readonly parameters: readonly Parameter[];
  readonly result: ParameterType;
  readonly takesBlanks?: true;
  evaluate(args: readonly Value[], env: Env): Value;
  /** For the database: natively where what is known of the arguments allows it (`Ground`), the same to the last digit. */
  sql(args: readonly Term[], env: Env, ground: Ground): Term;
}

/** Only asks what comes first, as comparisons do: then whatever a field holds has its place, and nothing is blank for it. */
export function ordersOnly({ parameters }: FunctionEntry): boolean {
  return parameters.every((p) => p.type === 'interval');
}

export const groups = ['Text', 'Logic', 'Numbers', 'Dates', 'Comparing texts', 'Lists', 'Times'] as const;
export type Group = (typeof groups)[number];

/** `LEFT(text, length?)`: how a call is written, repeats with an ellipsis. */
export function signatureOf({ name, parameters }: Pick<FunctionEntry, 'name' | 'parameters'>): string {
  const parts = parameters.map((p) => `${p.name}${p.optional ? '?' : ''}`);
  const repeats = parameters.some((p) => p.repeats);
  const last = parameters.findLastIndex((p) => p.repeats);
  if (repeats) parts.splice(last + 1, 0, '…');
  return `${name}(${parts.join(', ')})`;
}

/** The parameters that `count` arguments fall on; null when so many do not fit. */
export function spread(parameters: readonly Parameter[], count: number): readonly Parameter[] | null {
  const first = parameters.findIndex((p) => p.repeats);
  if (first < 0) {
    const needed = parameters.filter((p) => !p.optional).length;
    return count < needed || count > parameters.length ? null : parameters.slice(0, count);
  }
  const group = parameters.filter((p) => p.repeats);
  const head = parameters.slice(0, first);
  const tail = parameters.slice(first + group.length);
  const rest = count - head.length;
  if (rest < group.length) return null;
  const extra = rest % group.length;
  if (extra > tail.length) return null;
  const rounds = Array.from({ length: Math.floor(rest / group.length) }, () => group).flat();
  return [...head, ...rounds, ...tail.slice(0, extra)];
}
