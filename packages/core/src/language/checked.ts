import type { Field, RecordType } from '../catalog/catalog';
import type { Span } from '../problem';
import type { Outcome } from '../job/outcome';
import type { ListChoice, Related } from '../selection/shape';
import type { Env, FunctionEntry } from './functions/entry';
import type { Arithmetic, Comparison } from './syntax';
import { typeOfBase, type ValueType } from './types';

/** The place itself, from 1 within its group; the size of the group; the highest number that is in use in it. */
export type PlaceWord = 'number' | 'size' | 'highest';

/**
 * The tree after checking: every name is a field of the catalog, every literal has the type of what it meets, every
 * operation has operands of the types it takes.
 * `named` is a text that stands for a record of another type until the names have been looked up.
 */
export type Checked =
  | { readonly kind: 'field'; readonly at: FieldPath }
  /** `dbType` is the database's; the text is canonical. */
  | { readonly kind: 'value'; readonly dbType: string; readonly text: string }
  /** Blank; `type` is what would stand there. */
  | { readonly kind: 'null'; readonly type: ValueType }
  | { readonly kind: 'named'; readonly question: NameQuestion; readonly dbType: string }
  | { readonly kind: 'blank'; readonly operand: Checked }
  | { readonly kind: 'not'; readonly operand: Checked }
  | { readonly kind: 'and' | 'or'; readonly operands: readonly Checked[] }
  | { readonly kind: 'compare'; readonly op: Comparison; readonly left: Checked; readonly right: Checked }
  | { readonly kind: 'in'; readonly operand: Checked; readonly list: readonly Checked[] }
  | { readonly kind: 'between'; readonly operand: Checked; readonly low: Checked; readonly high: Checked }
  | { readonly kind: 'like'; readonly operand: Checked; readonly pattern: Checked }
  | { readonly kind: 'isNull'; readonly operand: Checked }
  | {
      readonly kind: 'arithmetic';
      readonly op: Arithmetic;
      readonly type: 'number' | 'date';
      readonly left: Checked;
      readonly right: Checked;
    }
  | {
      readonly kind: 'call';
      readonly entry: FunctionEntry;
      readonly type: ValueType;
      readonly args: readonly Checked[];
    }
  /** A moment's day, or a day's first or last moment, in the workspace's time zone. */
  | { readonly kind: 'convert'; readonly type: 'date' | 'moment'; readonly last?: true; readonly operand: Checked }
  | { readonly kind: 'list'; readonly itemType: ValueType; readonly dbType: string; readonly items: readonly Checked[] }
  /** Both ends moments, or both dates; null: open. */
  | {
      readonly kind: 'interval';
      readonly of: 'date' | 'moment';
      readonly from: Checked | null;
      readonly to: Checked | null;
    }
  | {
      readonly kind: 'children';
      readonly fold: Fold;
      readonly type: ValueType;
      readonly relation: Relation;
      readonly value: Checked | null;
      readonly condition: Checked | null;
      /** As it was written, for what must be compiled again later. */
      readonly span: Span;
    }
  /** As the earlier parts of the order will have left it; without such parts, as it is. */
  | { readonly kind: 'planned'; readonly operand: Checked }
  /** Does the record break the rule of that name? What that asks is a condition like any other. */
  | { readonly kind: 'breaks'; readonly name: string; readonly operand: Checked }
  /** Something of the record's place in an order: of edits alone, never typed. */
  | { readonly kind: 'place'; readonly what: PlaceWord }
  /** Is the one its reference `key` points at, or (null) the record itself, in that saved selection? */
  | {
      readonly kind: 'selected';
      readonly name: string;
      readonly key: FieldPath | null;
      readonly selection: CheckedSelection;
    };

/** How the values of children become one. */
export type Fold = 'has' | 'count' | 'sum' | 'min' | 'max' | 'average';
export const folds: readonly Fold[] = ['has', 'count', 'sum', 'min', 'max', 'average'];

/** Records of `child` whose reference `field` points at the record. */
export interface Relation {
  readonly child: RecordType;
  readonly field: Field;
}

/** A field, reached from the record through zero or more references. */
export interface FieldPath {
  readonly through: readonly Step[];
  readonly type: RecordType;
  readonly field: Field;
  /** Not what the record has, but what the job will write. */
  readonly isNew?: true;
  /** Of a rule: not what the record becomes, but what it was. */
  readonly isOld?: true;
  /** Not a field of a record, but what a row of a file says of it (see `ColumnsBeside`). */
  readonly filed?: Filed;
}

/** What the service keeps by the record's key under `kept`: the value at a place, from 1; at 0 whether there is any. */
export interface Filed {
  readonly kept: string;
  readonly at: number;
}

/** One reference followed: from a field to the key of the type it points at. */
export interface Step {
  /** The type that `field` is of. */
  readonly from: RecordType;
  readonly field: Field;
  readonly type: RecordType;
}

/** “Which record of this type is meant by this text?” */
export interface NameQuestion {
  readonly typeId: string;
  readonly text: string;
  readonly where?: string;
  readonly span?: Span;
  /** What of that record is asked for; its key where nothing is said. */
  readonly at?: FieldPath;
}

/** The records a name fits: none, one, or several with what tells them apart. */
export interface NameAnswer {
  readonly found: readonly { readonly key: string; readonly name: string; readonly hint: string }[];
  /** When none was found: the nearest names that exist. */
  readonly near: readonly string[];
}

/** A selection whose names have been found: what its parts ask, as trees. */
export interface CheckedSelection {
  readonly type: RecordType;
  readonly related: CheckedRelated | null;
  readonly condition: Checked | null;
  /** The condition as it was written. */
  readonly source: string | null;
  readonly list: ListChoice | null;
  readonly take: CheckedTake | null;
  readonly keys: readonly string[] | null;
  readonly drop: readonly string[] | null;
  /** Those of which a run came to this outcome; said by expressions alone. */
  readonly ofRun?: { readonly id: string; readonly outcome: Outcome };
  readonly env: Env;
}

export interface CheckedTake {
  readonly count: number;
  readonly order: readonly { readonly path: FieldPath; readonly descending: boolean }[];
  readonly seed: string | null;
  readonly per: FieldPath | null;
}

export interface CheckedRelated {
  readonly of: CheckedSelection;
  readonly how: Related['how'];
  readonly field: Field;
  readonly self: boolean;
  readonly depth: number;
}

/** Calls `visit` for every node, the outer before the inner; not into the selections that are asked about. */
export function walk(tree: Checked, visit: (node: Checked) => void): void {
  visit(tree);
  for (const child of childrenOf(tree)) walk(child, visit);
}

/** The same for the fields of the record itself, leaving out what is asked of its children. */
export function walkOwn(tree: Checked, visit: (node: Checked) => void): void {
  visit(tree);
  if (tree.kind !== 'children') for (const child of childrenOf(tree)) walkOwn(child, visit);
}

/** The tree with every part of it replaced; `change` gets nodes whose parts have been replaced already. */
export function rebuild(tree: Checked, change: (node: Checked) => Checked): Checked {
  const go = (node: Checked): Checked => rebuild(node, change);
  switch (tree.kind) {
    case 'field':
    case 'value':
    case 'null':
    case 'named':
    case 'place':
    case 'selected':
      return change(tree);
    case 'blank':
    case 'not':
    case 'isNull':
    case 'planned':
    case 'breaks':
    case 'convert':
      return change({ ...tree, operand: go(tree.operand) });
    case 'and':
    case 'or':
      return change({ ...tree, operands: tree.operands.map(go) });
    case 'compare':
    case 'arithmetic':
      return change({ ...tree, left: go(tree.left), right: go(tree.right) });
    case 'in':
      return change({ ...tree, operand: go(tree.operand), list: tree.list.map(go) });
    case 'between':
      return change({ ...tree, operand: go(tree.operand), low: go(tree.low), high: go(tree.high) });
    case 'like':
      return change({ ...tree, operand: go(tree.operand), pattern: go(tree.pattern) });
    case 'call':
      return change({ ...tree, args: tree.args.map(go) });
    case 'list':
      return change({ ...tree, items: tree.items.map(go) });
    case 'interval':
      return change({ ...tree, from: tree.from && go(tree.from), to: tree.to && go(tree.to) });
    case 'children':
      return change({ ...tree, value: tree.value && go(tree.value), condition: tree.condition && go(tree.condition) });
  }
}

function childrenOf(tree: Checked): readonly Checked[] {
  switch (tree.kind) {
    case 'field':
    case 'value':
    case 'null':
    case 'named':
    case 'place':
    case 'selected':
      return [];
    case 'blank':
    case 'not':
    case 'isNull':
    case 'planned':
    case 'breaks':
    case 'convert':
      return [tree.operand];
    case 'and':
    case 'or':
      return tree.operands;
    case 'compare':
    case 'arithmetic':
      return [tree.left, tree.right];
    case 'in':
      return [tree.operand, ...tree.list];
    case 'between':
      return [tree.operand, tree.low, tree.high];
    case 'like':
      return [tree.operand, tree.pattern];
    case 'call':
      return tree.args;
    case 'list':
      return tree.items;
    case 'interval':
      return [tree.from, tree.to].filter((t) => t !== null);
    case 'children':
      return [tree.value, tree.condition].filter((t) => t !== null);
  }
}

/** The type a tree's value has. A `named` stands for a key, which is compared and nothing else. */
export function typeOf(tree: Checked): ValueType {
  switch (tree.kind) {
    case 'field':
      return typeOfBase(tree.at.field.base) ?? 'text';
    case 'value':
      return typeOfDb(tree.dbType);
    case 'named':
      return typeOfDb(tree.dbType);
    case 'null':
    case 'arithmetic':
    case 'call':
    case 'convert':
    case 'children':
      return tree.type;
    case 'place':
      return 'number';
    case 'planned':
      return typeOf(tree.operand);
    case 'list':
      return 'list';
    case 'interval':
      return 'interval';
    default:
      return 'yes_no';
  }
}

function typeOfDb(dbType: string): ValueType {
  if (/^(smallint|integer|bigint|numeric(\(.*\))?|real|double precision)$/.test(dbType)) return 'number';
  if (dbType === 'boolean') return 'yes_no';
  if (dbType === 'date') return 'date';
  return /^timestamp(tz|\(\d\))?( with(out)? time zone)?$/.test(dbType) ? 'moment' : 'text';
}
