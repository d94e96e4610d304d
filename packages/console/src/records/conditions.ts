import { parse, print, quote, type Expression } from '@tantamos/core';
import type { Field } from '@tantamos/core';
import { lookOf } from '../components/kinds';

const span = { start: 0, end: 0 };

/** The conditions that must all hold, as texts: the stages of the selection line. One that cannot be read stays whole. */
export function conditionsOf(filter: string): string[] {
  if (filter.trim() === '') return [];
  try {
    const tree = parse(filter);
    return tree.kind === 'and' ? tree.operands.map(stage) : [print(tree)];
  } catch {
    return [filter];
  }
}

export function joinConditions(conditions: readonly string[]): string {
  return conditions.filter((c) => c.trim() !== '').join(' AND ');
}

/** The filter narrowed by one more condition. */
export function narrowed(filter: string, condition: Expression): string {
  const before = conditionsOf(filter);
  // An OR at the top of a lone condition would take in what comes after it.
  const safe = before.length === 1 ? [bracketed(before[0]!)] : before;
  return joinConditions([...safe, stage(condition)]);
}

/** A path such as `grower.owner` as an expression. */
export function nameOf(path: string): Expression {
  const tree = parse(path);
  return tree.kind === 'name' ? tree : { kind: 'name', path: [{ name: path, span }], span };
}

/** A stored value as a literal that means it where it meets this field. */
export function literalOf(field: Pick<Field, 'base'>, value: string): Expression {
  const type = lookOf(field.base).filter.literal;
  const text = type === 'moment' ? value.replace(/^(\d{4}-\d\d-\d\d) /, '$1T').replace(/\+00$/, 'Z') : value;
  return { kind: 'literal', type, text, span };
}

/** “One of these values”, blank among them where null is. */
export function isOneOf(path: string, field: Pick<Field, 'base'>, values: readonly (string | null)[]): Expression {
  const operand = nameOf(path);
  const known = values.filter((v): v is string => v !== null).map((v) => literalOf(field, v));
  const parts: Expression[] = [];
  if (known.length === 1) parts.push({ kind: 'compare', op: '=', left: operand, right: known[0]!, span });
  if (known.length > 1) parts.push({ kind: 'in', operand, list: known, span });
  if (values.includes(null)) parts.push({ kind: 'isNull', operand, span });
  return parts.length === 1 ? parts[0]! : { kind: 'or', operands: parts, span };
}

/** The opposite: none of these values. A blank is kept unless it is left out too. */
export function isNoneOf(
  path: string,
  field: Pick<Field, 'base'> & { required?: boolean },
  values: readonly (string | null)[],
): Expression {
  const operand = nameOf(path);
  const known = values.filter((v): v is string => v !== null).map((v) => literalOf(field, v));
  const isNull: Expression = { kind: 'isNull', operand, span };
  const not: Expression | null =
    known.length === 0
      ? null
      : known.length === 1
        ? { kind: 'compare', op: '<>', left: operand, right: known[0]!, span }
        : { kind: 'not', operand: { kind: 'in', operand, list: known, span }, span };
  if (values.includes(null)) {
    const notNull: Expression = { kind: 'not', operand: isNull, span };
    return not === null ? notNull : not;
  }
  if (field.required && !path.includes('.')) return not!;
  // A comparison with a blank is neither true nor false: blanks stay only if that is said.
  return { kind: 'or', operands: [not!, isNull], span };
}

export function inSelection(name: string): Expression {
  return parse(`in_selection(${quote(name)})`);
}

function stage(operand: Expression): string {
  return operand.kind === 'or' ? `(${print(operand)})` : print(operand);
}

function bracketed(condition: string): string {
  const tree = parse(condition);
  return tree.kind === 'or' ? `(${condition})` : condition;
}
