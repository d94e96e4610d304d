import type { TypeSummary, TypeView } from '@tantamos/contract';
import { linkField, linksOf, noPacing, type Catalog, type RecordType, type Unreadable } from '@tantamos/core';

export function typeSummary(t: RecordType): TypeSummary {
  const {
    id,
    label,
    comment,
    key,
    nameField,
    ownerFields,
    activeField,
    onlyActive,
    notChangeable,
    hidden,
    bounds,
    about,
  } = t;
  // The database's estimate is of all records, not of those that the person may see.
  const count = t.limits?.source ? 0 : about;
  return {
    id,
    label,
    comment,
    key,
    nameField,
    ownerFields,
    activeField,
    openWhen: t.openWhen,
    newKeys: t.newKeys,
    refusesInactive: onlyActive !== null,
    notChangeable,
    notReadable: null,
    hidden,
    bounds,
    about: count,
  };
}

/** A type that is there and cannot be read: its name and why. */
export function unreadableSummary({ name, label, reason }: Unreadable): TypeSummary {
  return {
    id: name,
    label,
    comment: null,
    key: [],
    nameField: null,
    ownerFields: [],
    activeField: null,
    openWhen: null,
    newKeys: null,
    refusesInactive: false,
    notChangeable: reason,
    notReadable: reason,
    hidden: false,
    bounds: { mostRecords: null, typedFrom: 0, largestBatch: 0, ...noPacing },
    about: 0,
  };
}

/** `withHidden`: as administrators set it. */
export function typeView(catalog: Catalog, t: RecordType, withHidden = false): TypeView {
  const fields = withHidden ? t.fields : t.fields.filter((f) => !f.hidden);
  const shown = new Set(fields.map((f) => f.name));
  return {
    ...typeSummary(t),
    fields,
    links: linksOf(catalog, t).map(linkField),
    unreadable: t.unreadable,
    rules: t.rules.filter((r) => r.fields.every((f) => shown.has(f))).map(({ name, message }) => ({ name, message })),
    triggers: t.triggers.map((trigger) => ({
      ...trigger,
      onFields: trigger.onFields?.filter((f) => shown.has(f)) ?? null,
    })),
  };
}
