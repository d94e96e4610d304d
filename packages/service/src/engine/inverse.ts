import {
  frozenForm,
  typeNow,
  wholeRecord,
  type Along,
  type Catalog,
  type OrderPart,
  type RecordType,
  type WorkOrder,
} from '@tantamos/core';

const inverseAct: Readonly<Record<Along['act'], Along['act']>> = {
  create: 'delete',
  delete: 'create',
  blank: 'restore',
  restore: 'blank',
};

/** The order that takes a run's order back: its parts from the last to the first, each act by its inverse. */
export function inverse(order: WorkOrder, catalog: Catalog): WorkOrder {
  return {
    form: frozenForm,
    env: order.env,
    parts: [...order.parts].reverse().map((part) => inversePart(part, catalog)),
  };
}

/** An order that takes back only some fields: what was made along stays. */
export function narrowed(order: WorkOrder, fields: readonly string[] | undefined): WorkOrder {
  if (!fields) return order;
  const parts = order.parts.map((part): OrderPart => {
    const kept = part.writes.flatMap((name, i) => (fields.includes(name) ? [i] : []));
    const writes = kept.map((i) => part.writes[i]!);
    const declared = part.declared && { declared: kept.map((i) => part.declared![i]!) };
    return { ...part, writes, ...declared, along: [], reads: fieldReadsOf(part.type, writes) };
  });
  return { ...order, parts };
}

function inversePart(part: OrderPart, catalog: Catalog): OrderPart {
  const type = typeNow(catalog, part.type);
  const all = type.fields.map((f) => f.name);
  const rest = {
    id: part.id,
    type: part.type,
    of: part.type,
    inOrder: false,
    along: part.along.map((a) => inverseAlong(a, catalog)),
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

/** What is deleted again is frozen whole, so that the undo can itself be undone. */
function inverseAlong(along: Along, catalog: Catalog): Along {
  const act = inverseAct[along.act];
  if (along.act !== 'create') return { ...along, act };
  return { ...along, act, created: true, writes: wholeRecord(typeNow(catalog, along.type)).map((f) => f.name) };
}

function fieldReads(type: RecordType, names: readonly string[]): OrderPart['reads'] {
  return fieldReadsOf(type.id, names);
}

function fieldReadsOf(type: string, names: readonly string[]): OrderPart['reads'] {
  return names.map((name) => ({ kind: 'field', at: { of: type, path: [name] } }));
}
