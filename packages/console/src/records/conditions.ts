import { parse, print, type Expression } from '@tantamos/core';

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
  return conditions.join(' AND ');
}

function stage(operand: Expression): string {
  return operand.kind === 'or' ? `(${print(operand)})` : print(operand);
}
