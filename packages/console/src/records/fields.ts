import type { FieldView, TypeView } from '@tantamos/contract';
import { dotted, undotted } from '@tantamos/core';
import { useQueries } from '@tanstack/react-query';
import { queries } from '../queries';

/** A field of the type or of one it refers to, by the path that leads there. */
export interface FieldChoice {
  readonly path: string;
  readonly label: string;
  readonly field: FieldView;
}

/** All fields that a filter, a column or an order may name: the type's own, and two references deep. */
export function useFields(type: TypeView): readonly FieldChoice[] {
  const targets = (types: readonly (TypeView | undefined)[]): string[] => [
    ...new Set(types.flatMap((t) => (t ? t.fields.flatMap((f) => (f.hidden ? [] : (f.refersTo ?? []))) : []))),
  ];
  const first = useQueries({ queries: targets([type]).map(queries.type) }).map((q) => q.data);
  const second = useQueries({ queries: targets(first).map(queries.type) }).map((q) => q.data);
  const known = new Map([type, ...first, ...second].flatMap((t) => (t ? [[t.id, t] as const] : [])));
  return fieldsFrom(type, known, 2);
}

function fieldsFrom(type: TypeView, known: ReadonlyMap<string, TypeView>, deep: number): FieldChoice[] {
  const own = type.fields.filter((f) => !f.hidden);
  const further = own.flatMap((f): FieldChoice[] => {
    const target = f.refersTo === null ? undefined : known.get(f.refersTo);
    if (deep === 0 || !target) return [];
    return fieldsFrom(target, known, deep - 1)
      .filter((t) => t.field.kind !== 'key')
      .map((t) => ({ path: dotted([f.name, ...undotted(t.path)]), label: `${f.label} › ${t.label}`, field: t.field }));
  });
  return [
    ...own.map((f) => ({ path: dotted([f.name]), label: f.label, field: f })),
    ...further.sort((a, b) => depth(a) - depth(b)),
  ];
}

function depth({ path }: FieldChoice): number {
  return undotted(path).length;
}
