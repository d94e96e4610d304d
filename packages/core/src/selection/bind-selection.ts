import type { Catalog } from '../catalog/catalog';
import { bind, boundText, namesIn, type Answers } from '../language/bind';
import { walkOwn, type NameQuestion } from '../language/checked';
import { within } from '../problem';
import type { CheckedSelection } from './selection';

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
  const { condition, related, source } = selection;
  if (!condition && !related) return selection;
  const asks: string[] = [];
  const bound = condition && within('filter', () => bind(condition, answers, catalog));
  if (condition && source !== null)
    walkOwn(condition, (node) => {
      if (node.kind === 'children') asks.push(slice(source, node.span, namesIn(condition), answers, catalog));
      if (node.kind === 'selected' && node.key.through.length === 0) asks.push(...node.selection.asks);
    });
  return {
    ...selection,
    condition: bound,
    related: related && within('related', () => ({ ...related, of: bindSelection(related.of, answers, catalog) })),
    asks,
  };
}

function slice(
  source: string,
  span: { start: number; end: number },
  questions: readonly NameQuestion[],
  answers: Answers,
  catalog: Catalog,
): string {
  const within = questions.flatMap((q) =>
    q.span && q.span.start >= span.start && q.span.end <= span.end
      ? [{ ...q, span: { start: q.span.start - span.start, end: q.span.end - span.start } }]
      : [],
  );
  return boundText(source.slice(span.start, span.end), within, answers, catalog);
}
