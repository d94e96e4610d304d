import type { Span } from '../problem';

/** The expression language: OGC CQL2 (21-065r2), here its Basic class with LIKE, BETWEEN, IN and property paths. */
export type Expression =
  | { readonly kind: 'literal'; readonly type: LiteralType; readonly text: string; readonly span: Span }
  | { readonly kind: 'name'; readonly path: readonly Part[]; readonly span: Span }
  | { readonly kind: 'not'; readonly operand: Expression; readonly span: Span }
  | { readonly kind: 'and' | 'or'; readonly operands: readonly Expression[]; readonly span: Span }
  | {
      readonly kind: 'compare';
      readonly op: Comparison;
      readonly left: Expression;
      readonly right: Expression;
      readonly span: Span;
    }
  | {
      readonly kind: 'in';
      readonly negated: boolean;
      readonly operand: Expression;
      readonly list: readonly Expression[];
      readonly span: Span;
    }
  | {
      readonly kind: 'between';
      readonly negated: boolean;
      readonly operand: Expression;
      readonly low: Expression;
      readonly high: Expression;
      readonly span: Span;
    }
  | {
      readonly kind: 'like';
      readonly negated: boolean;
      readonly operand: Expression;
      readonly pattern: Expression;
      readonly span: Span;
    }
  | { readonly kind: 'isNull'; readonly negated: boolean; readonly operand: Expression; readonly span: Span };

/** Numbers keep their digits as typed, so money stays exact. */
export type LiteralType = 'text' | 'number' | 'yes_no' | 'date' | 'moment';
export type Comparison = '=' | '<>' | '<' | '<=' | '>' | '>=';

/** One step of a path such as `grower.owner.name`. */
export interface Part {
  readonly name: string;
  readonly span: Span;
}

/** Limits that keep hostile texts from costing anything. */
export const mostNesting = 200;
export const longestText = 1_000_000;
