import type { Catalog } from '../catalog/catalog';
import { bind, namesIn, type Answers } from '../language/bind';
import type { NameQuestion } from '../language/checked';
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
  const { condition, related } = selection;
  return {
    ...selection,
    condition: condition && within('filter', () => bind(condition, answers, catalog)),
    related: related && within('related', () => ({ ...related, of: bindSelection(related.of, answers, catalog) })),
  };
}
