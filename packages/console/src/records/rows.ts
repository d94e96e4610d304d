import type { FieldView } from '@tantamos/contract';
import { parse, pathName, print, type Expression } from '@tantamos/core';
import { literalOf, nameOf } from './conditions';
import type { FieldChoice } from './fields';
import { lookOf, type Comparing } from '../components/kinds';

/** A filter as rows: all (or any) of these, each a row, a group of rows, or text that rows cannot show. */
export interface Group {
  readonly kind: 'group';
  readonly join: 'and' | 'or';
  readonly items: readonly Item[];
}
export interface Row {
  readonly kind: 'row';
  readonly path: string | null;
  readonly op: Op;
  /** Stored values, or names for references; as many as the operator takes. */
  readonly values: readonly string[];
}
export interface TextItem {
  readonly kind: 'text';
  readonly text: string;
  readonly why: string;
}
export type Item = Group | Row | TextItem;

export type Op =
  | 'is'
  | 'is_not'
  | 'not_or_blank'
  | 'one_of'
  | 'none_of'
  | 'none_or_blank'
  | 'contains'
  | 'starts'
  | 'ends'
  | 'less'
  | 'at_most'
  | 'more'
  | 'at_least'
  | 'between'
  | 'last'
  | 'next'
  | 'blank'
  | 'not_blank'
  | 'yes'
  | 'no'
  | 'holds';

/** How many values an operator takes; `many`: one or more. */
export const takes: Readonly<Record<Op, 0 | 1 | 2 | 'many'>> = {
  is: 1,
  is_not: 1,
  not_or_blank: 1,
  one_of: 'many',
  none_of: 'many',
  none_or_blank: 'many',
  contains: 1,
  starts: 1,
  ends: 1,
  less: 1,
  at_most: 1,
  more: 1,
  at_least: 1,
  between: 2,
  last: 1,
  next: 1,
  blank: 0,
  not_blank: 0,
  yes: 0,
  no: 0,
  holds: 1,
};

const blanks: Op[] = ['blank', 'not_blank'];

/** Operators that fit a field, the usual one first. */
export function opsFor({ field, path }: FieldChoice): Op[] {
  const all: Op[] =
    field.kind === 'reference' || field.choices
      ? ['is', 'is_not', 'not_or_blank', 'one_of', 'none_of', 'none_or_blank', ...blanks]
      : opsBy[lookOf(field.base).filter.comparing];
  // What is never blank has nothing to be said of its blanks.
  return mayBeBlank({ field, path }) ? all : all.filter((op) => op !== 'not_or_blank' && op !== 'none_or_blank');
}

function mayBeBlank({ field, path }: Pick<FieldChoice, 'field' | 'path'>): boolean {
  return !field.required || path.includes('.');
}

const opsBy: Record<Comparing, Op[]> = {
  texts: [
    'is',
    'is_not',
    'not_or_blank',
    'contains',
    'starts',
    'ends',
    'one_of',
    'none_of',
    'none_or_blank',
    ...blanks,
  ],
  numbers: ['is', 'is_not', 'not_or_blank', 'less', 'at_most', 'more', 'at_least', 'between', 'one_of', ...blanks],
  times: ['is', 'less', 'at_most', 'more', 'at_least', 'between', 'last', 'next', ...blanks],
  truths: ['yes', 'no', ...blanks],
  lists: ['holds', ...blanks],
  parts: ['contains', ...blanks],
  blanks,
};

/** An operator in words; of what may be blank it says what becomes of blanks. */
export function opWords(op: Op, choice: FieldChoice | undefined): string {
  const field = choice?.field;
  const nor = choice && mayBeBlank(choice) ? ' (nor blank)' : '';
  const time = field !== undefined && lookOf(field.base).filter.comparing === 'times';
  const words: Record<Op, string> = {
    is: time ? 'is on' : 'is',
    is_not: `is not${nor}`,
    not_or_blank: 'is not, or is blank',
    one_of: 'is one of',
    none_of: `is none of${nor}`,
    none_or_blank: 'is none of, or is blank',
    contains: 'contains',
    starts: 'starts with',
    ends: 'ends with',
    less: time ? 'is before' : 'is under',
    at_most: time ? 'is up to' : 'is at most',
    more: time ? 'is after' : 'is over',
    at_least: time ? 'is from' : 'is at least',
    between: 'is between',
    last: 'is in the last … days',
    next: 'is in the next … days',
    blank: 'is blank',
    not_blank: 'is not blank',
    yes: 'is yes',
    no: 'is no',
    holds: 'holds',
  };
  return words[op];
}

export const emptyRow: Row = { kind: 'row', path: null, op: 'is', values: [] };

/** A filter's text as rows. Throws the parser's problem where it cannot be read. */
export function rowsOf(filter: string, fields: readonly FieldChoice[]): Group {
  if (filter.trim() === '') return { kind: 'group', join: 'and', items: [] };
  const item = itemOf(parse(filter), fields);
  return item.kind === 'group' ? item : { kind: 'group', join: 'and', items: [item] };
}

/** The text of rows; rows that are not filled in yet are left out. */
export function textOf(group: Group, fields: readonly FieldChoice[]): string {
  const parts = group.items.flatMap((item): string[] => {
    if (item.kind === 'text') return [item.text];
    if (item.kind === 'group') {
      const inner = textOf(item, fields);
      return inner === '' ? [] : [item.items.length > 1 ? `(${inner})` : inner];
    }
    const tree = treeOf(item, fields);
    return tree ? [tree.kind === 'or' || tree.kind === 'and' ? `(${print(tree)})` : print(tree)] : [];
  });
  return parts.join(` ${group.join.toUpperCase()} `);
}

function itemOf(e: Expression, fields: readonly FieldChoice[]): Item {
  const denied = deniedRow(e, fields);
  if (denied) return denied;
  if (e.kind === 'and' || e.kind === 'or')
    return { kind: 'group', join: e.kind, items: e.operands.map((o) => itemOf(o, fields)) };
  const row = rowOf(e, fields);
  if (row && opsFor(fields.find((f) => f.path === row.path)!).includes(row.op)) return row;
  return { kind: 'text', text: print(e), why: whyText(e, fields) };
}

/** `region <> 'North' OR region IS NULL`, which is one row. */
function deniedRow(e: Expression, fields: readonly FieldChoice[]): Row | null {
  if (e.kind !== 'or' || e.operands.length !== 2) return null;
  const [denied, blank] = e.operands.map((o) => rowOf(o, fields));
  if (blank?.op !== 'blank' || denied?.path !== blank.path) return null;
  const op = denied.op === 'is_not' ? 'not_or_blank' : denied.op === 'none_of' ? 'none_or_blank' : null;
  return op && { ...denied, op };
}

function rowOf(e: Expression, fields: readonly FieldChoice[]): Row | null {
  const inner = e.kind === 'not' ? e.operand : e;
  const not = e.kind === 'not';
  const row = (operand: Expression, op: Op, values: readonly string[] = []): Row | null => {
    const path = operand.kind === 'name' ? pathName(operand.path) : null;
    return path !== null && fields.some((f) => f.path === path) ? { kind: 'row', path, op, values } : null;
  };
  const plain = (v: Expression): string | null =>
    v.kind === 'literal' && v.type !== 'null' ? v.text : v.kind === 'call' && v.name === 'me' ? 'me()' : null;
  const all = (list: readonly Expression[]): string[] | null => {
    const values = list.map(plain);
    return values.every((v): v is string => v !== null) ? values : null;
  };
  switch (inner.kind) {
    case 'name': {
      const field = fields.find((f) => f.path === pathName(inner.path));
      return field?.field.base === 'yes_no' ? row(inner, not ? 'no' : 'yes') : null;
    }
    case 'isNull':
      return row(inner.operand, not ? 'not_blank' : 'blank');
    case 'in': {
      const values = all(inner.list);
      return values && row(inner.operand, not ? 'none_of' : 'one_of', values);
    }
    case 'between': {
      if (not) return null;
      const days = lastDays(inner.low, inner.high);
      if (days) return row(inner.operand, days.op, [days.days]);
      const values = all([inner.low, inner.high]);
      return values && row(inner.operand, 'between', values);
    }
    case 'like':
      return not ? null : likeRow(inner, row);
    case 'compare': {
      if (not) return null;
      const value = plain(inner.right);
      if (value === null) return null;
      if (inner.right.kind === 'literal' && inner.right.type === 'yes_no')
        return inner.op === '=' ? row(inner.left, value === 'true' ? 'yes' : 'no') : null;
      const ops = { '=': 'is', '<>': 'is_not', '<': 'less', '<=': 'at_most', '>': 'more', '>=': 'at_least' } as const;
      return row(inner.left, ops[inner.op], [value]);
    }
    case 'call': {
      const [list, items] = inner.args;
      if (inner.name !== 'a_contains' || not || items?.kind !== 'list' || items.items.length !== 1) return null;
      const value = plain(items.items[0]!);
      return value === null ? null : row(list!, 'holds', [value]);
    }
    default:
      return null;
  }
}

type MakeRow = (operand: Expression, op: Op, values?: readonly string[]) => Row | null;

/** `CASEI(name) LIKE CASEI('%part%')`: what “contains” is written as. */
function likeRow(e: Extract<Expression, { kind: 'like' }>, row: MakeRow): Row | null {
  const inside = (x: Expression): Expression | null =>
    x.kind === 'call' && x.name === 'casei' ? (x.args[0] ?? null) : null;
  const operand = inside(e.operand);
  const pattern = inside(e.pattern);
  if (!operand || pattern?.kind !== 'literal') return null;
  const [, before, middle, after] = /^(%?)((?:[^%_\\]|\\.)*)(%?)$/s.exec(pattern.text) ?? [];
  if (middle === undefined || (!before && !after)) return null;
  const op = before && after ? 'contains' : after ? 'starts' : 'ends';
  return row(operand, op, [middle.replace(/\\(.)/gs, '$1')]);
}

/** `BETWEEN TODAY() - 30 AND TODAY()`. */
function lastDays(low: Expression, high: Expression): { op: Op; days: string } | null {
  const today = (e: Expression): boolean => e.kind === 'call' && e.name === 'today';
  const shifted = (e: Expression, op: '+' | '-'): string | null =>
    e.kind === 'arithmetic' && e.op === op && today(e.left) && e.right.kind === 'literal' && e.right.type === 'number'
      ? e.right.text
      : null;
  const [back, on] = [shifted(low, '-'), shifted(high, '+')];
  if (back !== null && today(high)) return { op: 'last', days: back };
  return on !== null && today(low) ? { op: 'next', days: on } : null;
}

function treeOf(row: Row, fields: readonly FieldChoice[]): Expression | null {
  const choice = fields.find((f) => f.path === row.path);
  if (!choice) return null;
  const { field } = choice;
  const operand = nameOf(choice.path);
  const values = row.values.map((v) => v.trim()).filter((v) => v !== '');
  const needed = takes[row.op];
  if (needed === 'many' ? values.length === 0 : values.length < needed) return null;
  const span = { start: 0, end: 0 };
  const value = (i: number): Expression => valueOf(field, values[i]!);
  switch (row.op) {
    case 'not_or_blank':
    case 'none_or_blank': {
      const denied = treeOf({ ...row, op: row.op === 'not_or_blank' ? 'is_not' : 'none_of' }, fields);
      return denied && { kind: 'or', operands: [denied, { kind: 'isNull', operand, span }], span };
    }
    case 'blank':
      return { kind: 'isNull', operand, span };
    case 'not_blank':
      return { kind: 'not', operand: { kind: 'isNull', operand, span }, span };
    case 'yes':
      return operand;
    case 'no':
      return { kind: 'not', operand, span };
    case 'one_of':
      return { kind: 'in', operand, list: values.map((_, i) => value(i)), span };
    case 'none_of':
      return { kind: 'not', operand: { kind: 'in', operand, list: values.map((_, i) => value(i)), span }, span };
    case 'between':
      return { kind: 'between', operand, low: value(0), high: value(1), span };
    case 'contains':
    case 'starts':
    case 'ends': {
      const text = values[0]!.replace(/[\\%_]/g, '\\$&');
      const pattern = `${row.op === 'starts' ? '' : '%'}${text}${row.op === 'ends' ? '' : '%'}`;
      const casei = (arg: Expression): Expression => ({
        kind: 'call',
        name: 'casei',
        nameSpan: span,
        args: [arg],
        span,
      });
      return {
        kind: 'like',
        operand: casei(operand),
        pattern: casei({ kind: 'literal', type: 'text', text: pattern, span }),
        span,
      };
    }
    case 'last':
    case 'next':
      return parse(
        row.op === 'last'
          ? `${print(operand)} BETWEEN TODAY() - ${digits(values[0]!)} AND TODAY()`
          : `${print(operand)} BETWEEN TODAY() AND TODAY() + ${digits(values[0]!)}`,
      );
    case 'holds':
      return {
        kind: 'call',
        name: 'a_contains',
        nameSpan: span,
        args: [operand, { kind: 'list', items: [{ kind: 'literal', type: 'text', text: values[0]!, span }], span }],
        span,
      };
    default: {
      const signs = { is: '=', is_not: '<>', less: '<', at_most: '<=', more: '>', at_least: '>=' } as const;
      return { kind: 'compare', op: signs[row.op], left: operand, right: value(0), span };
    }
  }
}

function digits(text: string): string {
  return text.replace(/\D/g, '') || '0';
}

/** What a person typed or chose as a literal; a number that is none stays a text, so that the mistake is told. */
function valueOf(field: FieldView, text: string): Expression {
  const span = { start: 0, end: 0 };
  if (text === 'me()') return parse('me()');
  const asText: Expression = { kind: 'literal', type: 'text', text, span };
  if (field.kind === 'reference')
    return /^\d+$/.test(text) && field.base === 'number' ? literalOf(field, text) : asText;
  if (field.base === 'number') return /^-?\d+(\.\d+)?$/.test(text) ? literalOf(field, text) : asText;
  if (field.base === 'moment')
    return /^\d{4}-\d\d-\d\d$/.test(text) ? literalOf({ base: 'date' }, text) : literalOf(field, text);
  return literalOf(field, text);
}

function whyText(e: Expression, fields: readonly FieldChoice[]): string {
  const inner = e.kind === 'not' ? e.operand : e;
  if (inner.kind === 'and' || inner.kind === 'or') return 'a NOT around a group has no row';
  if (inner.kind === 'call') return `${inner.name.toUpperCase()} has no row`;
  if (inner.kind === 'compare' || inner.kind === 'between' || inner.kind === 'in' || inner.kind === 'like') {
    const operand = inner.kind === 'compare' ? inner.left : inner.operand;
    if (operand.kind === 'name' && !fields.some((f) => f.path === pathName(operand.path)))
      return `rows know no field “${pathName(operand.path)}”`;
    return operand.kind === 'name' ? 'what it is compared with has no row' : 'it compares something worked out';
  }
  return 'it has no row';
}
