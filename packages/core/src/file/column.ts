import { closest } from '../catalog/closest';
import { clip, fail } from '../problem';

/** The place of a column that is called so, in any case; throws with the nearest. */
export function columnNamed(
  name: string,
  columns: readonly { readonly name: string }[],
  more: object = { where: 'column' },
): number {
  const at = columns.findIndex((c) => c.name.toLowerCase() === name.trim().toLowerCase());
  if (at >= 0) return at;
  const names = columns.map((c) => c.name);
  return fail('unknown_field', `The file has no column “${clip(name)}”.`, {
    ...more,
    suggestions: closest(name, names).length > 0 ? closest(name, names) : names.slice(0, 10),
  });
}
