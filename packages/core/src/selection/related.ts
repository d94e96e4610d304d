import { clip, fieldOf, type Catalog, type Field, type RecordType } from '../catalog/catalog';
import type { CheckedRelated, CheckedSelection } from '../language/checked';
import { relationsOf } from '../language/relation';
import type { Context } from '../language/context';
import { fail, inside, within } from '../problem';
import type { Related, Selection } from './shape';

const mostSteps = 100;
const mostChained = 10;

/** `checkOf` checks the selection that these are relatives of. */
export function checkRelated(
  related: Related,
  type: RecordType,
  catalog: Catalog,
  context: Context,
  checkOf: (of: Selection, catalog: Catalog, context: Context) => CheckedSelection,
): CheckedRelated {
  if (chained(related) > mostChained) fail('too_deep', `Relatives may be chained ${mostChained} times.`);
  const of = inside('of', () => checkOf(related.of, catalog, context));
  const { how } = related;
  const depth = Math.min(mostSteps, related.depth ?? mostSteps);
  const self = related.self ?? false;
  const field = within('field', () => fieldOf(how === 'pointed_at' ? of.type : type, related.field));
  const points =
    how === 'pointed_at' ? field.refersTo === type.id : how === 'siblings' || field.refersTo === of.type.id;
  if (!points)
    fail('type_mismatch', wrongWay(related, field, type, of.type), {
      where: 'field',
      suggestions: relationsOf(catalog, how === 'pointed_at' ? type : of.type)
        .filter((r) => r.child.id === (how === 'pointed_at' ? of.type.id : type.id))
        .map((r) => r.field.name),
    });
  if (how !== 'pointing_at' && how !== 'pointed_at' && of.type.id !== type.id)
    fail('type_mismatch', `${relatedWords[how]} are of the same type; these are ${of.type.label.toLowerCase()}.`);
  if (how === 'siblings' && field.refersTo === null)
    fail('type_mismatch', `“${clip(field.name)}” is not a reference, so it tells nobody’s siblings.`, {
      where: 'field',
    });
  return { of, how, field, self, depth };
}

export const relatedWords: Readonly<Record<Related['how'], string>> = {
  pointing_at: 'Those pointing at them',
  pointed_at: 'Those they point at',
  siblings: 'Siblings',
  descendants: 'Descendants',
  ancestors: 'Ancestors',
};

function wrongWay(related: Related, field: Field, type: RecordType, of: RecordType): string {
  const [from, to] = related.how === 'pointed_at' ? [of, type] : [type, of];
  return `“${field.name}” of ${from.label.toLowerCase()} does not point at ${to.label.toLowerCase()}.`;
}

function chained(related: Related): number {
  let n = 1;
  for (let of = related.of; of.related && n <= mostChained; of = of.related.of) n++;
  return n;
}
