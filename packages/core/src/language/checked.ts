import type { Field, RecordType } from '../catalog/catalog';
import type { Span } from '../problem';
import type { Comparison } from './syntax';

/**
 * The tree after checking: every name is a field of the catalog, every literal has the type of what it meets.
 * `named` is a text that stands for a record of another type until the names have been looked up.
 */
export type Checked =
  | { readonly kind: 'field'; readonly at: FieldPath }
  | { readonly kind: 'value'; readonly dbType: string; readonly text: string }
  | { readonly kind: 'named'; readonly question: NameQuestion; readonly dbType: string }
  | { readonly kind: 'blank'; readonly operand: Checked }
  | { readonly kind: 'not'; readonly operand: Checked }
  | { readonly kind: 'and' | 'or'; readonly operands: readonly Checked[] }
  | { readonly kind: 'compare'; readonly op: Comparison; readonly left: Checked; readonly right: Checked }
  | { readonly kind: 'in'; readonly negated: boolean; readonly operand: Checked; readonly list: readonly Checked[] }
  | {
      readonly kind: 'between';
      readonly negated: boolean;
      readonly operand: Checked;
      readonly low: Checked;
      readonly high: Checked;
    }
  | { readonly kind: 'like'; readonly negated: boolean; readonly operand: Checked; readonly pattern: Checked }
  | { readonly kind: 'isNull'; readonly negated: boolean; readonly operand: Checked };

/** A field, reached from the record through zero or more references. */
export interface FieldPath {
  readonly through: readonly Step[];
  readonly type: RecordType;
  readonly field: Field;
}

/** One reference followed: from a field to the key of the type it points at. */
export interface Step {
  readonly field: Field;
  readonly type: RecordType;
}

/** “Which record of this type is meant by this text?” */
export interface NameQuestion {
  readonly typeId: string;
  readonly text: string;
  readonly where?: string;
  readonly span?: Span;
}

/** The records a name fits: none, one, or several with what tells them apart. */
export interface NameAnswer {
  readonly found: readonly { readonly key: string; readonly name: string; readonly hint: string }[];
  /** When none was found: the nearest names that exist. */
  readonly near: readonly string[];
}

/** Calls `visit` for every node, the outer before the inner. */
export function walk(tree: Checked, visit: (node: Checked) => void): void {
  visit(tree);
  for (const child of children(tree)) walk(child, visit);
}

function children(tree: Checked): readonly Checked[] {
  switch (tree.kind) {
    case 'field':
    case 'value':
    case 'named':
      return [];
    case 'blank':
    case 'not':
    case 'isNull':
      return [tree.operand];
    case 'and':
    case 'or':
      return tree.operands;
    case 'compare':
      return [tree.left, tree.right];
    case 'in':
      return [tree.operand, ...tree.list];
    case 'between':
      return [tree.operand, tree.low, tree.high];
    case 'like':
      return [tree.operand, tree.pattern];
  }
}
