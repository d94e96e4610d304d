import { clip, type Catalog } from '../catalog/catalog';
import { keyFields } from '../catalog/key';
import { fail, within } from '../problem';
import { quote } from './print';
import { pathText } from '../catalog/path';
import {
  rebuild,
  typeOf,
  walk,
  type Checked,
  type CheckedSelection,
  type NameAnswer,
  type NameQuestion,
} from './checked';

/** Every name in the tree that stands for a record and must be looked up. */
export function namesIn(tree: Checked): NameQuestion[] {
  const questions: NameQuestion[] = [];
  walk(tree, (node) => {
    if (node.kind === 'named') questions.push(node.question);
    // What a saved selection asks is not at a place of this text.
    if (node.kind === 'selected')
      questions.push(...questionsOf(node.selection).map((q) => ({ ...q, span: undefined, where: node.name })));
  });
  return questions;
}

/** Answers, found by type and text. */
export class Answers {
  private readonly known = new Map<string, NameAnswer>();
  private readonly values = new Map<string, string | null>();
  add(question: NameQuestion, answer: NameAnswer): void {
    this.known.set(keyFor(question), answer);
  }
  /** The records that a question is answered with. */
  found(question: NameQuestion): NameAnswer['found'] {
    return this.known.get(keyFor(question))?.found ?? [];
  }
  /** What the one record meant has at the end of the path. */
  addValue(question: NameQuestion, text: string | null): void {
    this.values.set(`${keyFor(question)}\n${pathText(question.at!)}`, text);
  }
  value(question: NameQuestion): string | null {
    return this.values.get(`${keyFor(question)}\n${pathText(question.at!)}`) ?? null;
  }
  /** The one record that is meant by a text, where it is known. */
  record(typeId: string, text: string): { readonly key: string; readonly name: string } | undefined {
    const { found } = this.known.get(keyFor({ typeId, text })) ?? { found: [] };
    return found.length === 1 ? found[0] : undefined;
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

/** The tree with every name replaced by the key of the one record it means, or by what is asked of that record. */
export function bind(tree: Checked, answers: Answers, catalog: Catalog): Checked {
  return rebuild(tree, (node) =>
    node.kind === 'named'
      ? answered(node, answers, catalog)
      : node.kind === 'selected'
        ? { ...node, selection: bindSelection(node.selection, answers, catalog) }
        : node,
  );
}

function answered(node: Extract<Checked, { kind: 'named' }>, answers: Answers, catalog: Catalog): Checked {
  const { dbType, question } = node;
  // Throws where there is no such record, or more than one.
  const key = answers.key(question, catalog);
  const text = question.at ? answers.value(question) : key;
  return text === null ? { kind: 'null', type: typeOf(node) } : { kind: 'value', dbType, text };
}

/** Every name in a selection that must be looked up, those of what it is related to among them. */
export function questionsOf(selection: CheckedSelection): NameQuestion[] {
  const own = selection.condition ? namesIn(selection.condition) : [];
  const related = selection.related ? questionsOf(selection.related.of) : [];
  return [
    ...own.map((q) => ({ where: 'filter', ...q })),
    ...related.map((q) => ({ ...q, where: 'related.of.filter' })),
  ];
}

/** The selection with every name replaced by the key it means. */
export function bindSelection(selection: CheckedSelection, answers: Answers, catalog: Catalog): CheckedSelection {
  const { condition, related } = selection;
  return {
    ...selection,
    condition: condition && within('filter', () => bind(condition, answers, catalog)),
    related: related && within('related', () => ({ ...related, of: bindSelection(related.of, answers, catalog) })),
  };
}

/** The text with every name in it replaced by the key it means, so that it goes on meaning that record. */
export function boundText(
  source: string,
  questions: readonly NameQuestion[],
  answers: Answers,
  catalog: Catalog,
): string {
  const places = questions.filter((q) => q.span).sort((a, b) => b.span!.start - a.span!.start);
  return places.reduce((text, question) => {
    const { start, end } = question.span!;
    const key = answers.key(question, catalog);
    const isNumber = keyFields(catalog.type(question.typeId))[0]!.base === 'number';
    return text.slice(0, start) + (isNumber ? key : quote(key)) + text.slice(end);
  }, source);
}

function keyFor(question: Pick<NameQuestion, 'typeId' | 'text'>): string {
  return `${question.typeId}\n${question.text}`;
}
