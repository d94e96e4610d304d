import type { FieldPath, Step } from '../language/checked';
import { fail, type Span } from '../problem';
import { clip, fieldOf, type Catalog, type RecordType } from './catalog';
import { hasKey } from './key';
import { dotted, undotted } from './names';

/** Follows `grower.owner.name` from a type; throws `unknown_field` or `type_mismatch` at the step that fails. */
export function resolvePath(
  catalog: Catalog,
  type: RecordType,
  parts: readonly { readonly name: string; readonly span?: Span }[],
): FieldPath {
  const through: Step[] = [];
  let here = type;
  for (const [i, part] of parts.entries()) {
    const field = fieldOf(here, part.name, part.span);
    if (i === parts.length - 1) return { through, type: here, field };
    const target = field.refersTo === null ? undefined : catalog.find(field.refersTo);
    if (!target || !hasKey(target) || target.hidden)
      return fail('type_mismatch', `“${clip(field.name)}” is not a reference, so nothing can follow it.`, {
        span: part.span,
      });
    through.push({ field, type: target, from: here });
    here = target;
  }
  return fail('unknown_field', 'A field name is missing.');
}

/** The same for a text such as a column name. */
export function resolveColumn(catalog: Catalog, type: RecordType, column: string): FieldPath {
  return resolvePath(
    catalog,
    type,
    undotted(column).map((name) => ({ name })),
  );
}

/** A path as it is written: `grower.owner.name`. */
export function pathText(path: FieldPath): string {
  return dotted([...(path.filed ? ['file'] : []), ...path.through.map((s) => s.field.name), path.field.name]);
}
