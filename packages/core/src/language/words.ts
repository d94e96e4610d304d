import { clip, type RecordType } from '../catalog/catalog';
import { outcomeWords } from '../job/outcome';
import type { Checked, FieldPath } from './checked';
import type { Arithmetic, Comparison } from './syntax';

/** A condition in plain words: “status is Draft, valley is North and owner is Ines Calloway”. */
export function conditionWords(tree: Checked): string {
  switch (tree.kind) {
    case 'and':
      return list(tree.operands.map(wrapOr), 'and');
    case 'or':
      return orBlank(tree.operands) ?? list(tree.operands.map(conditionWords), 'or');
    case 'not':
      return denial(tree) ?? negation(tree.operand);
    case 'compare':
      return denial(tree) ?? compareWords(tree);
    case 'in':
    case 'between':
    case 'like':
    case 'isNull':
    case 'blank':
      return predicateWords(tree, '');
    case 'field':
      return `${operandWords(tree)} is yes`;
    case 'value':
      return tree.text === 'true' ? 'always' : 'never';
    case 'null':
      return 'never';
    case 'call':
      return callWords(tree);
    case 'children':
      return tree.fold === 'has' ? `it has ${childrenWords(tree)}` : operandWords(tree);
    case 'selected': {
      const key = tree.key === null ? 'it' : pathWords(tree.key);
      const { ofRun } = tree.selection;
      if (ofRun) return `run ${clip(tree.name)} left ${key} ${outcomeWords(ofRun.outcome)}`;
      return `${key} is in the selection “${clip(tree.name)}”`;
    }
    case 'breaks':
      return `it breaks the rule “${clip(tree.name)}”`;
    default:
      return operandWords(tree);
  }
}

/** “region is not North or is blank”: what is denied, with the blanks of it taken in. */
function orBlank([denied, blank, ...more]: readonly Checked[]): string | null {
  if (blank?.kind !== 'isNull' || more.length > 0 || blank.operand.kind !== 'field') return null;
  const words = denied && deniedWords(denied);
  return words?.field && pathWords(words.field) === pathWords(blank.operand.at) ? `${words.text} or is blank` : null;
}

/** A condition that says what a field is not, and the field, if it may be blank: its blanks are left out. */
function deniedWords(tree: Checked): { text: string; field: FieldPath | null } | null {
  const about = (side: Checked): FieldPath | null => {
    const inner = side.kind === 'convert' ? side.operand : side;
    return inner.kind === 'field' && (!inner.at.field.required || inner.at.through.length > 0) ? inner.at : null;
  };
  if (tree.kind === 'compare' && tree.op === '<>') return { text: compareWords(tree), field: about(tree.left) };
  if (tree.kind !== 'not') return null;
  const { operand } = tree;
  if (operand.kind === 'in' || operand.kind === 'between' || operand.kind === 'like')
    return { text: predicateWords(operand, 'not '), field: about(operand.operand) };
  return operand.kind === 'field' ? { text: `${operandWords(operand)} is no`, field: about(operand) } : null;
}

/** The same with what becomes of blanks. */
function denial(tree: Checked): string | null {
  const words = deniedWords(tree);
  return words && `${words.text}${words.field ? ' (nor blank)' : ''}`;
}

type Predicate = Extract<Checked, { kind: 'in' | 'between' | 'like' | 'isNull' | 'blank' }>;

function negation(operand: Checked): string {
  switch (operand.kind) {
    case 'in':
    case 'between':
    case 'like':
    case 'isNull':
    case 'blank':
      return predicateWords(operand, 'not ');
    case 'children':
      return operand.fold === 'has' ? `it has no ${childrenWords(operand)}` : `not ${operandWords(operand)}`;
    case 'field':
      return `${operandWords(operand)} is no`;
    default:
      return `not (${conditionWords(operand)})`;
  }
}

function predicateWords(tree: Predicate, not: string): string {
  const operand = operandWords(tree.operand);
  const beside = tree.operand.kind === 'field' ? tree.operand.at : null;
  switch (tree.kind) {
    case 'in':
      return `${operand} is ${not ? 'none' : 'one'} of ${listWords(tree)}`;
    case 'between':
      return `${operand} is ${not}between ${operandWords(tree.low, beside)} and ${operandWords(tree.high, beside)}`;
    case 'like':
      return `${operand} is ${not}like ${operandWords(tree.pattern)}`;
    default:
      return `${operand} is ${not}blank`;
  }
}

const textTests: Readonly<Record<string, string>> = {
  starts_with: 'starts with',
  ends_with: 'ends with',
  contains: 'contains',
};

function callWords({ entry, args }: Extract<Checked, { kind: 'call' }>): string {
  const test = textTests[entry.name];
  if (test) return `${operandWords(args[0]!)} ${test} ${operandWords(args[1]!)}`;
  if (entry.name === 'ISBLANK') return `${operandWords(args[0]!)} is blank`;
  if (entry.name === 'TODAY' || entry.name === 'NOW') return entry.name === 'NOW' ? 'now' : 'today';
  if (entry.name === 'CASEI' || entry.name === 'ACCENTI')
    return `${operandWords(args[0]!)} (${entry.name === 'CASEI' ? 'in any case' : 'with or without accents'})`;
  return `${entry.name}(${args.map((a) => operandWords(a)).join(', ')})`;
}

function childrenWords({ relation, condition }: Extract<Checked, { kind: 'children' }>): string {
  return `${typeWords(relation.child)}${condition ? ` where ${conditionWords(condition)}` : ''}`;
}

/** “a, b and c”. */
export function list(items: readonly string[], last: 'and' | 'or'): string {
  if (items.length < 2) return items.join('');
  return `${items.slice(0, -1).join(', ')} ${last} ${items.at(-1)}`;
}

/** The type's label as it stands inside a sentence. */
export function typeWords(type: Pick<RecordType, 'label'>): string {
  return /^\p{Lu}\p{Ll}/u.test(type.label) ? type.label[0]!.toLowerCase() + type.label.slice(1) : type.label;
}

/** “240 bookings”, “1 record of bookings”: a type's label is the name of many. */
export function countedWords(count: number, type: Pick<RecordType, 'label'>, how = ''): string {
  return `${count.toLocaleString('en-US')} ${how}${count === 1 ? 'record of ' : ''}${typeWords(type)}`;
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
  const inside = (side: Checked): Checked => (side.kind === 'convert' ? side.operand : side);
  const [l, r] = [inside(left), inside(right)];
  const field = l.kind === 'field' ? l.at : r.kind === 'field' ? r.at : null;
  if (field?.field.base === 'yes_no' && right.kind === 'value')
    return `${operandWords(left)} is ${(right.text === 'true') === (op === '=') ? 'yes' : 'no'}`;
  const time = field?.field.base === 'date' || field?.field.base === 'moment';
  return `${operandWords(left)} ${signs[op][time ? 1 : 0]} ${operandWords(right, field)}`;
}

/** “grower’s owner”. */
export function pathWords(path: FieldPath): string {
  const words = [...path.through.map((s) => s.field), path.field].map((f) => f.label.toLowerCase()).join('’s ');
  if (path.isOld) return `old ${words}`;
  return path.isNew ? `new ${words}` : words;
}

const calculationWords: Partial<Record<Arithmetic, string>> = { '-': '−', '*': '×', '/': '÷' };

function operandWords(tree: Checked, beside: FieldPath | null = null): string {
  switch (tree.kind) {
    case 'field':
      return pathWords(tree.at);
    case 'named':
      return clip(tree.question.text);
    case 'value': {
      const choice = beside?.field.choices?.find((c) => c.value === tree.text);
      if (choice) return choice.label;
      if (beside?.field.kind === 'reference') return `no. ${tree.text}`;
      return tree.dbType === 'text' ? `“${clip(tree.text)}”` : tree.text;
    }
    case 'null':
      return 'blank';
    case 'arithmetic':
      return `${operandWords(tree.left)} ${calculationWords[tree.op] ?? tree.op} ${operandWords(tree.right)}${tree.type === 'date' ? ' days' : ''}`;
    case 'convert':
      return operandWords(tree.operand, beside);
    case 'list':
      return list(
        tree.items.map((i) => operandWords(i)),
        'and',
      );
    case 'interval':
      return `${tree.from ? operandWords(tree.from) : 'ever'} to ${tree.to ? operandWords(tree.to) : 'ever'}`;
    case 'children':
      return foldWords(tree);
    case 'call':
      return callWords(tree);
    default:
      return conditionWords(tree);
  }
}

function foldWords(tree: Extract<Checked, { kind: 'children' }>): string {
  const { fold, value } = tree;
  if (fold === 'has') return `having ${childrenWords(tree)}`;
  if (fold === 'count' || value === null) return `the number of ${childrenWords(tree)}`;
  const names = { sum: 'sum', min: 'least', max: 'greatest', average: 'average' };
  return `the ${names[fold]} ${operandWords(value)} of ${childrenWords(tree)}`;
}

function listWords(tree: Extract<Checked, { kind: 'in' }>): string {
  const beside = tree.operand.kind === 'field' ? tree.operand.at : null;
  const shown = tree.list.slice(0, 5).map((item) => operandWords(item, beside));
  const more = tree.list.length - shown.length;
  if (shown.length === 0) return 'nothing';
  return list(more > 0 ? [...shown, `${more} more`] : shown, 'or');
}

function wrapOr(tree: Checked): string {
  return tree.kind === 'or' ? `(${conditionWords(tree)})` : conditionWords(tree);
}
