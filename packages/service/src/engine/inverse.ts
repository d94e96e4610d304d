import {
  alongOf,
  alongReference,
  frozenForm,
  referencesTo,
  typeNow,
  wholeRecord,
  type Along,
  type Catalog,
  type OrderPart,
  type RecordType,
  type WorkOrder,
} from '@tantamos/core';

/** What takes back what was done to related records. A reference that followed follows back, as any that refers to the value now. */
const inverseAct: Readonly<Record<Along['act'], Along['act'] | null>> = {
  create: 'delete',
  delete: 'create',
  blank: 'restore',
  restore: 'blank',
  default: 'restore',
  follow: null,
};

/** The order that takes a run's order back: its parts from the last to the first, each act by its inverse. */
export function inverse(order: WorkOrder, catalog: Catalog): WorkOrder {
  return {
    form: frozenForm,
    env: order.env,
    parts: order.parts
      .map((part, i) =>
        inversePart(
          part,
          alongOf(order).filter((a) => a.part === i),
          catalog,
        ),
      )
      .reverse(),
  };
}

/** An order that takes back only some fields, and of related records only what refers to the values of these. */
export function narrowed(order: WorkOrder, fields: readonly string[] | undefined): WorkOrder {
  if (!fields) return order;
  const parts = order.parts.map((part): OrderPart => {
    const kept = part.writes.flatMap((name, i) => (fields.includes(name) ? [i] : []));
    const writes = kept.map((i) => part.writes[i]!);
    const declared = part.declared && { declared: kept.map((i) => part.declared![i]!) };
    const along = part.along.filter((a) => writes.includes(a.referenced ?? a.restoredWith ?? ''));
    return { ...part, writes, ...declared, along, reads: fieldReadsOf(part.type, writes) };
  });
  return { ...order, parts };
}

function inversePart(part: OrderPart, related: ReturnType<typeof alongOf>, catalog: Catalog): OrderPart {
  const type = typeNow(catalog, part.type);
  const all = type.fields.map((f) => f.name);
  const rest = {
    id: part.id,
    type: part.type,
    of: part.type,
    inOrder: false,
    along: [
      ...related.flatMap(({ entry, at }) => inverseAlong(entry, at, part.act, catalog)),
      ...(part.act === 'update' ? referencesTo(type, catalog, part.writes).changes.map(alongReference) : []),
    ],
  };
  switch (part.act) {
    case 'update':
      return {
        ...rest,
        act: 'update',
        reads: fieldReads(type, part.writes),
        writes: part.writes,
        // Values that were kept then come back.
        ...(part.declared ? { declared: part.declared } : {}),
        // What was handed on is handed back, the last first.
        ...(part.passing ? { inOrder: true, passing: part.passing } : {}),
      };
    case 'create':
      return { ...rest, act: 'delete', reads: fieldReads(type, all), writes: wholeRecord(type).map((f) => f.name) };
    case 'delete':
      return { ...rest, act: 'create', of: null, reads: [], writes: part.writes };
  }
}

/** What is deleted again is frozen whole, so that the undo can itself be undone. `was`: the place of the entry in the run's order. */
function inverseAlong(along: Along, was: number, of: OrderPart['act'], catalog: Catalog): Along[] {
  const act = inverseAct[along.act];
  // References that were restored with a value refer to it: they are among all those that do so now.
  if (act === null || (of === 'update' && along.act === 'restore')) return [];
  const { referenced, restoredWith: _, ...rest } = along;
  if (along.act !== 'create')
    return [{ ...rest, act, was, ...(referenced === undefined ? {} : { restoredWith: referenced }) }];
  const writes = wholeRecord(typeNow(catalog, along.type)).map((f) => f.name);
  return [{ ...rest, act, was, created: true, writes }];
}

function fieldReads(type: RecordType, names: readonly string[]): OrderPart['reads'] {
  return fieldReadsOf(type.id, names);
}

function fieldReadsOf(type: string, names: readonly string[]): OrderPart['reads'] {
  return names.map((name) => ({ kind: 'field', at: { of: type, path: [name] } }));
}
