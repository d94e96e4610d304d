import { clip, type RecordType } from '../catalog/catalog';
import type { Checked, FieldPath } from './checked';
import type { Comparison } from './syntax';

/** A condition in plain words: “status is Draft, valley is North and owner is Ines Calloway”. */
export function conditionWords(tree: Checked): string {
  switch (tree.kind) {
    case 'and':
      return list(tree.operands.map(wrapOr), 'and');
    case 'or':
      return list(tree.operands.map(conditionWords), 'or');
    case 'not':
      return `not (${conditionWords(tree.operand)})`;
    case 'compare':
      return compareWords(tree);
    case 'in':
      return `${operandWords(tree.operand)} is ${tree.negated ? 'none' : 'one'} of ${listWords(tree)}`;
    case 'between':
      return `${operandWords(tree.operand)} is ${tree.negated ? 'not ' : ''}between ${operandWords(tree.low)} and ${operandWords(tree.high)}`;
    case 'like':
      return `${operandWords(tree.operand)} is ${tree.negated ? 'not ' : ''}like ${operandWords(tree.pattern)}`;
    case 'isNull':
    case 'blank':
      return `${operandWords(tree.operand)} is ${'negated' in tree && tree.negated ? 'not ' : ''}blank`;
    case 'field':
      return `${operandWords(tree)} is yes`;
    case 'value':
      return tree.text === 'true' ? 'always' : 'never';
    case 'named':
      return operandWords(tree);
  }
}

/** “a, b and c”. */
export function list(items: readonly string[], last: 'and' | 'or'): string {
  if (items.length < 2) return items.join('');
  return `${items.slice(0, -1).join(', ')} ${last} ${items.at(-1)}`;
}

/** The type's label as it stands inside a sentence. */
export function typeWords(type: RecordType): string {
  return /^\p{Lu}\p{Ll}/u.test(type.label) ? type.label[0]!.toLowerCase() + type.label.slice(1) : type.label;
}

const signs: Record<Comparison, [plain: string, dates: string]> = {
  '=': ['is', 'is'],
  '<>': ['is not', 'is not'],
  '<': ['is under', 'is before'],
  '<=': ['is at most', 'is up to'],
  '>': ['is over', 'is after'],
  '>=': ['is at least', 'is from'],
};

function compareWords(tree: Extract<Checked, { kind: 'compare' }>): string {
  const { left, right, op } = tree;
  const field = left.kind === 'field' ? left.at : right.kind === 'field' ? right.at : null;
  if (field?.field.base === 'yes_no' && right.kind === 'value')
    return `${operandWords(left)} is ${(right.text === 'true') === (op === '=') ? 'yes' : 'no'}`;
  const time = field?.field.base === 'date' || field?.field.base === 'moment';
  return `${operandWords(left)} ${signs[op][time ? 1 : 0]} ${operandWords(right, field)}`;
}

function operandWords(tree: Checked, beside: FieldPath | null = null): string {
  switch (tree.kind) {
    case 'field':
      return [...tree.at.through.map((s) => s.field), tree.at.field]
        .map((f) => f.label.toLowerCase())
        .join(' ’s ')
        .replaceAll(' ’s', '’s');
    case 'named':
      return clip(tree.question.text);
    case 'value': {
      const choice = beside?.field.choices?.find((c) => c.value === tree.text);
      if (choice) return choice.label;
      if (beside?.field.kind === 'reference') return `no. ${tree.text}`;
      return tree.dbType === 'text' ? `“${clip(tree.text)}”` : tree.text;
    }
    default:
      return conditionWords(tree);
  }
}

function listWords(tree: Extract<Checked, { kind: 'in' }>): string {
  const beside = tree.operand.kind === 'field' ? tree.operand.at : null;
  const shown = tree.list.slice(0, 5).map((item) => operandWords(item, beside));
  const more = tree.list.length - shown.length;
  return list(more > 0 ? [...shown, `${more} more`] : shown, 'or');
}

function wrapOr(tree: Checked): string {
  return tree.kind === 'or' ? `(${conditionWords(tree)})` : conditionWords(tree);
}
