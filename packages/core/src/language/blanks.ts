import { parse } from './parse';
import { print } from './print';
import type { Expression } from './syntax';

// A comparison with a blank is neither true nor false, so what says what a value is not leaves blanks out, in this language
// as in SQL. Here is what a filter would be that takes them in, so that what is left out can be counted, said and mended.

/** What a filter leaves out for being blank. */
export interface LeavingOut {
  /** The filter with the blanks of all of them taken in. */
  readonly taking: string;
  /** Each thing compared of the record itself, as it is written, and the filter with only its blanks taken in. */
  readonly operands: readonly { readonly text: string; readonly taking: string }[];
  /** Whether it also leaves out records for blanks of those that point at them. */
  readonly ofOthers: boolean;
}

/** The parts of a filter that say what a value is not, and what it would be with blanks taken in; null where there are none. */
export function leavingOut(filter: string): LeavingOut | null {
  const tree = parse(filter);
  const found = new Set<string>();
  let ofOthers = false;
  const all = taken(tree, false, (operand, isOwn) => {
    if (isOwn) found.add(operand);
    else ofOthers = true;
    return true;
  });
  if (found.size === 0 && !ofOthers) return null;
  const operands = [...found].map((text) => ({
    text,
    taking: print(taken(tree, false, (operand, isOwn) => isOwn && operand === text)),
  }));
  return { taking: print(all), operands, ofOthers };
}

/** `isOwn`: the operand is the record’s; else that of records that point at it. */
type Choose = (operand: string, isOwn: boolean) => boolean;

/** The expression (its opposite, where `negated`) with the blanks of chosen operands taken in; NOTs stand at what they deny. */
function taken(e: Expression, negated: boolean, choose: Choose): Expression {
  const { span } = e;
  switch (e.kind) {
    case 'and':
    case 'or': {
      const kind = negated === (e.kind === 'and') ? 'or' : 'and';
      return { kind, operands: e.operands.map((o) => taken(o, negated, choose)), span };
    }
    case 'not':
      return taken(e.operand, !negated, choose);
  }
  if (e.kind === 'call' && e.name === 'has' && e.args[1] && !negated) {
    const condition = taken(e.args[1], false, (operand) => choose(operand, false));
    return { ...e, args: [e.args[0]!, condition] };
  }
  const said: Expression = negated ? { kind: 'not', operand: e, span } : e;
  const blank = deniedOf(e, negated).filter((o) => choose(print(o), true));
  if (blank.length === 0) return said;
  const isNull = blank.map((operand): Expression => ({ kind: 'isNull', operand, span }));
  return { kind: 'or', operands: [said, ...isNull], span };
}

/** What a comparison says something of that it is not, each of which may be blank. */
function deniedOf(e: Expression, negated: boolean): Expression[] {
  switch (e.kind) {
    case 'compare':
      return (e.op === '<>') === negated ? [] : [e.left, e.right].flatMap(named);
    case 'in':
    case 'like':
    case 'between':
      return negated ? named(e.operand) : [];
    case 'name':
      return negated ? [e] : [];
    case 'call':
      return negated && !neverBlank.has(e.name) ? e.args.flatMap(named) : [];
    default:
      return [];
  }
}

/** Questions that a blank answers with yes or no. */
const neverBlank: ReadonlySet<string> = new Set(['has', 'isblank', 'in_selection', 'breaks_rule', 'in_run']);

/** What is written beside a value: a field, or something worked out of some; not a value by itself. */
function named(e: Expression): Expression[] {
  switch (e.kind) {
    case 'name':
      return [e];
    case 'call':
      if (e.name === 'casei' || e.name === 'accenti') return e.args.flatMap(named);
      return e.args.some((a) => named(a).length > 0) ? [e] : [];
    case 'arithmetic':
      return [e.left, e.right].some((a) => named(a).length > 0) ? [e] : [];
    default:
      return [];
  }
}
