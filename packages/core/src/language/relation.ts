import { clip, type Catalog, type RecordType } from '../catalog/catalog';
import { hasKey } from '../catalog/key';
import { closest } from '../catalog/closest';
import { fail } from '../problem';
import type { Relation } from './checked';
import type { Part } from './syntax';

/** Every way in which records of other types (or of the same) point at this one. */
export function relationsOf(catalog: Catalog, type: RecordType): Relation[] {
  if (!hasKey(type)) return [];
  return catalog.types
    .filter((child) => !child.hidden)
    .flatMap((child) =>
      child.fields.filter((f) => f.refersTo === type.id && !f.hidden).map((field) => ({ child, field })),
    );
}

/**
 * The relation that a path such as `bookings`, `bookings.hives` or, where several fields point here, `growers.parent`
 * begins with, and the rest of the path. With `lenient`, null where the path begins with no type that points here.
 */
export function relationOf(
  catalog: Catalog,
  type: RecordType,
  path: readonly Part[],
  lenient: boolean,
): { relation: Relation | null; rest: readonly Part[] } {
  const [first, second] = path as [Part, Part | undefined];
  const all = relationsOf(catalog, type);
  const found = all.filter((r) => r.child.id.toLowerCase() === first.name.toLowerCase());
  if (found.length === 0) {
    if (lenient) return { relation: null, rest: path };
    return fail('unknown_type', `No “${clip(first.name)}” point at ${type.label.toLowerCase()}.`, {
      span: first.span,
      suggestions: closest(
        first.name,
        all.map((r) => r.child.id),
      ),
    });
  }
  const by = found.find((r) => r.field.name.toLowerCase() === second?.name.toLowerCase());
  if (by) return { relation: by, rest: path.slice(2) };
  if (found.length > 1)
    return fail(
      'ambiguous_name',
      `${found[0]!.child.label} point at ${type.label.toLowerCase()} by ${found.length} fields; say which.`,
      { span: first.span, suggestions: found.map((r) => `${r.child.id}.${r.field.name}`) },
    );
  return { relation: found[0]!, rest: path.slice(1) };
}
