import { doneAct, type Catalog, type WorkOrder } from '@tantamos/core';

/** The parts of an order as a person sees them, each with its totals: those of `rows`, or of all where it is the only one. */
export function partsSeen<T extends object>(
  catalog: Catalog,
  kind: 'edit' | 'undo',
  { parts }: WorkOrder,
  whole: T,
  rows: readonly ({ readonly part: number } & T)[],
) {
  const label = (id: string): string => catalog.find(id)?.label ?? id;
  return parts.map(({ act, type, of }, i) => {
    const { part: _, ...found } = rows.find((row) => row.part === i) ?? { part: i, ...zeros(whole) };
    return {
      act,
      done: doneAct(kind, act),
      type,
      label: label(type),
      madeFor: act === 'create' && of !== null ? label(of) : null,
      totals: parts.length === 1 ? whole : (found as unknown as T),
    };
  });
}

function zeros<T extends object>(whole: T): T {
  return Object.fromEntries(Object.keys(whole).map((name) => [name, 0])) as T;
}
