import { clip, fieldOf, type Catalog, type Field, type RecordType } from '../catalog/catalog';
import { relationsOf } from '../language/relation';
import type { Context } from '../language/context';
import { fail, within } from '../problem';
import { checkSelection, type CheckedSelection, type Selection } from './selection';

export const relatedHows = ['pointing_at', 'pointed_at', 'siblings', 'descendants', 'ancestors'] as const;

/**
 * From a selection to its relatives. `pointing_at`: records whose `field` points at those of `of` (the bookings of these
 * growers); `pointed_at`: records that `field` of those of `of` points at (the growers of these invoices); `siblings`:
 * records with the same value of the reference `field`; `descendants` and `ancestors`: along the self-reference `field`.
 */
export interface Related {
  readonly of: Selection;
  readonly how: (typeof relatedHows)[number];
  readonly field: string;
  /** Are the records of `of` themselves in it? Only for siblings, descendants and ancestors; default: no. */
  readonly self?: boolean;
  /** Steps at most, for descendants and ancestors; default and most: 100. */
  readonly depth?: number;
}

export interface CheckedRelated {
  readonly of: CheckedSelection;
  readonly how: Related['how'];
  readonly field: Field;
  readonly self: boolean;
  readonly depth: number;
}

const mostSteps = 100;
const mostChained = 10;

export function checkRelated(related: Related, type: RecordType, catalog: Catalog, context: Context): CheckedRelated {
  if (chained(related) > mostChained) fail('too_deep', `Relatives may be chained ${mostChained} times.`);
  const of = within('of', () => checkSelection(related.of, catalog, context));
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
