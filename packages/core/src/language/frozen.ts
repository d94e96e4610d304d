import type { Catalog, Field, RecordType } from '../catalog/catalog';
import { fail } from '../problem';
import type { CheckedSelection } from './checked';
import type { Checked, FieldPath } from './checked';
import { entryNamed } from './functions';

/**
 * A checked and bound tree as JSON: types, fields and functions by their names, everything else as it is. Read back, it
 * means the same whatever has been hidden or renamed for people meanwhile; where a type or field is no longer there,
 * `unknown_type` or `unknown_field` says so.
 */
export type FrozenTree = { readonly kind: Checked['kind'] } & Readonly<Record<string, unknown>>;

interface FrozenPath {
  readonly of: string;
  readonly path: readonly string[];
}
type Json = Readonly<Record<string, unknown>>;

export function freezeTree(tree: Checked): FrozenTree {
  return parts(tree, (key, part) => {
    if (key === 'entry') return (part as { name: string }).name;
    if (key === 'at' || (tree.kind === 'selected' && key === 'key')) return part && freezePath(part as FieldPath);
    if (key === 'relation') {
      const { child, field } = part as { child: RecordType; field: Field };
      return { child: child.id, field: field.name };
    }
    if (key === 'selection') return freezeSelection(part as CheckedSelection);
    return isTree(part) ? freezeTree(part) : part;
  }) as FrozenTree;
}

export function thawTree(frozen: FrozenTree, catalog: Catalog): Checked {
  return parts(frozen, (key, part) => {
    if (key === 'entry')
      return entryNamed(part as string) ?? fail('unknown_function', `${String(part)} is no longer a function.`);
    if (key === 'at' || (frozen.kind === 'selected' && key === 'key'))
      return part && thawPath(part as FrozenPath, catalog);
    if (key === 'relation') {
      const { child, field } = part as { child: string; field: string };
      const type = typeNow(catalog, child);
      return { child: type, field: fieldNow(type, field) };
    }
    if (key === 'selection') return thawSelection(part as Json, catalog);
    return isTree(part) ? thawTree(part, catalog) : part;
  }) as unknown as Checked;
}

export function freezePath({ through, type, field }: FieldPath): FrozenPath {
  const path = [...through.map((s) => s.field.name), field.name];
  return { of: (through[0]?.from ?? type).id, path };
}

export function thawPath({ of, path }: FrozenPath, catalog: Catalog): FieldPath {
  let type = typeNow(catalog, of);
  const through: FieldPath['through'][number][] = [];
  for (const name of path.slice(0, -1)) {
    const field = fieldNow(type, name);
    if (field.refersTo === null)
      return fail('unknown_field', `${field.label} of ${type.label.toLowerCase()} is no reference any more.`);
    const target = typeNow(catalog, field.refersTo);
    through.push({ field, type: target, from: type });
    type = target;
  }
  return { through, type, field: fieldNow(type, path.at(-1)!) };
}

/** The type of that id, hidden or not. */
export function typeNow(catalog: Catalog, id: string): RecordType {
  return catalog.find(id) ?? fail('unknown_type', `The type “${id}” is no longer there.`);
}

/** The field of just that name, hidden or not. */
export function fieldNow(type: RecordType, name: string): Field {
  return (
    type.fields.find((f) => f.name === name) ?? fail('unknown_field', `${type.label} no longer have the field ${name}.`)
  );
}

function freezeSelection(s: CheckedSelection): Json {
  const { type, condition, related, take, env, ...plain } = s;
  return {
    ...plain,
    type: type.id,
    condition: condition && freezeTree(condition),
    related: related && { ...related, of: freezeSelection(related.of), field: [fieldOwner(s), related.field.name] },
    take: take && {
      ...take,
      order: take.order.map((o) => ({ ...o, path: freezePath(o.path) })),
      per: take.per && freezePath(take.per),
    },
    env: { timeZone: env.timeZone, now: String(env.now) },
  };
}

function thawSelection(frozen: Json, catalog: Catalog): CheckedSelection {
  const {
    type: id,
    condition,
    related,
    take,
    env,
    ...plain
  } = frozen as {
    type: string;
    condition: FrozenTree | null;
    related: (Json & { of: Json; field: [string, string] }) | null;
    take: (Json & { order: { path: FrozenPath; descending: boolean }[]; per: FrozenPath | null }) | null;
    env: { timeZone: string; now: string };
  };
  const type = typeNow(catalog, id);
  return {
    ...plain,
    type,
    condition: condition && thawTree(condition, catalog),
    related: related && {
      ...related,
      of: thawSelection(related.of, catalog),
      field: fieldNow(typeNow(catalog, related.field[0]), related.field[1]),
    },
    take: take && {
      ...take,
      order: take.order.map((o) => ({ ...o, path: thawPath(o.path, catalog) })),
      per: take.per && thawPath(take.per, catalog),
    },
    env: { timeZone: env.timeZone, now: BigInt(env.now) },
  } as unknown as CheckedSelection;
}

/** The type whose field a relation goes by: for those pointed at it is the other one's. */
function fieldOwner({ type, related }: CheckedSelection): string {
  return related!.how === 'pointed_at' ? related!.of.type.id : type.id;
}

function isTree(part: unknown): part is Checked {
  return typeof part === 'object' && part !== null && 'kind' in part;
}

function parts(node: object, change: (key: string, part: unknown) => unknown): Json {
  return Object.fromEntries(
    Object.entries(node).map(([key, part]) => [
      key,
      Array.isArray(part) ? part.map((p) => change(key, p)) : change(key, part),
    ]),
  );
}
