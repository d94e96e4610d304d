import type { FieldView, TypeView } from '@tantamos/contract';
import { useQueries, useQuery } from '@tanstack/react-query';
import { queries } from '../queries';

/** Every type with its fields, as they come in. */
export function useAllTypes(): readonly TypeView[] {
  const types = useQuery(queries.types()).data ?? [];
  return useQueries({
    queries: types.filter((t) => t.notReadable === null).map((t) => queries.type(t.id)),
  }).flatMap((q) => q.data ?? []);
}

/** The fields of a type that point at another. */
export function waysTo(from: TypeView, to: string): readonly FieldView[] {
  return from.fields.filter((f) => f.refersTo === to && !f.hidden);
}
