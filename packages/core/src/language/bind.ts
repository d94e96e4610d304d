import { clip, type Catalog } from '../catalog/catalog';
import { fail } from '../problem';
import { quote } from './print';
import { walk, type Checked, type NameAnswer, type NameQuestion } from './checked';

/** Every name in the tree that stands for a record and must be looked up. */
export function namesIn(tree: Checked): NameQuestion[] {
  const questions: NameQuestion[] = [];
  walk(tree, (node) => {
    if (node.kind === 'named') questions.push(node.question);
  });
  return questions;
}

/** Answers, found by type and text. */
export class Answers {
  private readonly known = new Map<string, NameAnswer>();
  add(question: NameQuestion, answer: NameAnswer): void {
    this.known.set(keyFor(question), answer);
  }
  /** The key of the one record meant; throws `unknown_name` or `ambiguous_name`. */
  key(question: NameQuestion, catalog: Catalog): string {
    const { found, near } = this.known.get(keyFor(question)) ?? { found: [], near: [] };
    const { span, where } = question;
    const label = catalog.type(question.typeId).label;
    if (found.length === 1) return found[0]!.key;
    if (found.length === 0)
      return fail('unknown_name', `${label}: none is called “${clip(question.text)}”.`, {
        span,
        where,
        suggestions: span ? near.map(quote) : near,
      });
    const list = found.map((f) => `${f.key} (${f.hint})`).join(', ');
    return fail(
      'ambiguous_name',
      `${label}: ${found.length} are called “${clip(question.text)}”. Say which by its key: ${list}.`,
      { span, where, suggestions: found.map((f) => f.key) },
    );
  }
}

/** The tree with every name replaced by the key of the one record it means. */
export function bind(tree: Checked, answers: Answers, catalog: Catalog): Checked {
  const go = (node: Checked): Checked => {
    switch (node.kind) {
      case 'field':
      case 'value':
        return node;
      case 'named':
        return { kind: 'value', dbType: node.dbType, text: answers.key(node.question, catalog) };
      case 'blank':
      case 'not':
      case 'isNull':
        return { ...node, operand: go(node.operand) };
      case 'and':
      case 'or':
        return { ...node, operands: node.operands.map(go) };
      case 'compare':
        return { ...node, left: go(node.left), right: go(node.right) };
      case 'in':
        return { ...node, operand: go(node.operand), list: node.list.map(go) };
      case 'between':
        return { ...node, operand: go(node.operand), low: go(node.low), high: go(node.high) };
      case 'like':
        return { ...node, operand: go(node.operand), pattern: go(node.pattern) };
    }
  };
  return go(tree);
}

function keyFor(question: NameQuestion): string {
  return `${question.typeId}\n${question.text}`;
}
