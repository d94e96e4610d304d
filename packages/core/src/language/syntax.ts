import { clip, fail, type Span } from '../problem';

/**
 * The expression language: OGC CQL2 (21-065r2), as a tree. Text and JSON both come down to it and can be printed from
 * it, so the tree holds exactly what both can say; `NOT IN` is a `not` around an `in`, for instance.
 */
export type Expression =
  | { readonly kind: 'literal'; readonly type: LiteralType; readonly text: string; readonly span: Span }
  /** `isNew`: what a job will make of the field, written new(field); `isOld`: what it was before, written old(field). */
  | {
      readonly kind: 'name';
      readonly path: readonly Part[];
      readonly isNew?: true;
      readonly isOld?: true;
      readonly span: Span;
    }
  | { readonly kind: 'not'; readonly operand: Expression; readonly span: Span }
  | { readonly kind: 'and' | 'or'; readonly operands: readonly Expression[]; readonly span: Span }
  | {
      readonly kind: 'compare';
      readonly op: Comparison;
      readonly left: Expression;
      readonly right: Expression;
      readonly span: Span;
    }
  | { readonly kind: 'in'; readonly operand: Expression; readonly list: readonly Expression[]; readonly span: Span }
  | {
      readonly kind: 'between';
      readonly operand: Expression;
      readonly low: Expression;
      readonly high: Expression;
      readonly span: Span;
    }
  | { readonly kind: 'like'; readonly operand: Expression; readonly pattern: Expression; readonly span: Span }
  | { readonly kind: 'isNull'; readonly operand: Expression; readonly span: Span }
  | {
      readonly kind: 'arithmetic';
      readonly op: Arithmetic;
      readonly left: Expression;
      readonly right: Expression;
      readonly span: Span;
    }
  /** A function of the standard (CASEI, A_CONTAINS, T_DURING …) or one of ours; `name` is lower case. */
  | {
      readonly kind: 'call';
      readonly name: string;
      readonly nameSpan: Span;
      readonly args: readonly Expression[];
      readonly span: Span;
    }
  | { readonly kind: 'list'; readonly items: readonly Expression[]; readonly span: Span }
  /** From … to; null is an open end, written `'..'`. */
  | {
      readonly kind: 'interval';
      readonly from: Expression | null;
      readonly to: Expression | null;
      readonly span: Span;
    };

/** Numbers keep their digits, so money stays exact. The text of `null` is empty. */
export type LiteralType = 'text' | 'number' | 'yes_no' | 'date' | 'moment' | 'null';
export type Comparison = '=' | '<>' | '<' | '<=' | '>' | '>=';
export type Arithmetic = '+' | '-' | '*' | '/' | '%' | 'div' | '^';

/** One step of a path such as `grower.owner.name`. */
export interface Part {
  readonly name: string;
  readonly span: Span;
}

export const comparisons: readonly Comparison[] = ['=', '<>', '<', '<=', '>', '>='];
export const arithmetics: readonly Arithmetic[] = ['+', '-', '*', '/', '%', 'div', '^'];

/** Limits that keep hostile texts from costing anything. */
export const mostNesting = 200;
export const longestText = 1_000_000;
export const mostTokens = 60_000;

/** Words that cannot be the name of a field unless quoted. */
export const reservedWords: ReadonlySet<string> = new Set([
  'and',
  'or',
  'not',
  'in',
  'between',
  'like',
  'is',
  'null',
  'true',
  'false',
  'div',
]);

/**
 * A number's digits in one canonical form, valid in JSON too: no sign but `-`, no idle zeros before, a digit around the
 * point. Throws `bad_value` for a text that is not a number, or whose exponent has more than four digits.
 */
export function canonicalDigits(text: string, span?: Span): string {
  const parts = /^([+-]?)0*(\d*)(?:\.(\d*))?(?:[eE]([+-]?0*\d{1,4}))?$/.exec(text);
  if (!parts || !/\d/.test(text))
    return fail('bad_value', `“${clip(text)}” is not a number that can be used here.`, { span });
  const [, sign, whole, fraction, exponent] = parts;
  const power = exponent === undefined || Number(exponent) === 0 ? '' : `e${Number(exponent)}`;
  return `${sign === '-' ? '-' : ''}${whole || '0'}${fraction ? `.${fraction}` : ''}${power}`;
}

/** The same tree without its spans: what two writings of one expression have in common. */
export function withoutSpans(tree: Expression): unknown {
  return JSON.parse(JSON.stringify(tree, (key, v: unknown) => (key === 'span' || key === 'nameSpan' ? undefined : v)));
}

/** Calls `visit` for every node, the outer before the inner. */
export function walkSyntax(e: Expression, visit: (e: Expression) => void): void {
  visit(e);
  for (const part of partsOf(e)) walkSyntax(part, visit);
}

/** What an expression is made of, one level down. */
export function partsOf(e: Expression): readonly Expression[] {
  switch (e.kind) {
    case 'literal':
    case 'name':
      return [];
    case 'not':
    case 'isNull':
      return [e.operand];
    case 'and':
    case 'or':
      return e.operands;
    case 'compare':
    case 'arithmetic':
      return [e.left, e.right];
    case 'in':
      return [e.operand, ...e.list];
    case 'between':
      return [e.operand, e.low, e.high];
    case 'like':
      return [e.operand, e.pattern];
    case 'call':
      return e.args;
    case 'list':
      return e.items;
    case 'interval':
      return [e.from, e.to].filter((p) => p !== null);
  }
}

/** A call as it was written; new(field) and old(field) are names, which stand wherever the field may. */
export function called(name: string, nameSpan: Span, args: readonly Expression[], span: Span): Expression {
  const [only] = args;
  if (name === 'new' && args.length === 1 && only?.kind === 'name') return { ...only, isNew: true, span };
  if (name === 'old' && args.length === 1 && only?.kind === 'name') return { ...only, isOld: true, span };
  return { kind: 'call', name, nameSpan, args, span };
}
