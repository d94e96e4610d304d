import type { AlongView, ChangeView, JournalRecord } from '@tantamos/contract';
import { alongOf, fieldNamed, isRows, keyWords, type Catalog, type Field, type WorkOrder } from '@tantamos/core';
import { Labels } from '../catalog/labels';
import { namesOf, seenAmong } from '../catalog/names';
import type { Database } from '../database/database';
import { wordsAsSeen } from './gate';
import type { JournalRow } from './journal';

/**
 * Journal rows with names and labels, as the person of the catalog may see them: without records and fields withheld from
 * them. The records' names are those of now.
 */
export async function journalRecords(
  database: Database,
  catalog: Catalog,
  rows: readonly JournalRow[],
): Promise<JournalRecord[]> {
  const labels = new Labels(database, catalog);
  const names = new Map<string, ReadonlyMap<string, string>>();
  const seen = await seenRows(database, catalog, rows);
  for (const row of seen)
    for (const change of row.changes) {
      const field = fieldOf(catalog, row.fieldsOf, change.field);
      if (field) [change.old, change.new].forEach((v) => labels.want(field, v));
    }
  for (const id of new Set(seen.map((r) => r.type))) {
    const type = catalog.find(id);
    const keys = seen.filter((r) => r.type === id).map((r) => r.key);
    if (type) names.set(id, await namesOf(database, type, keys));
  }
  await labels.load();
  // A type without names is named by its key.
  const nameOf = (row: JournalRow): string | null => {
    if (isRows({ id: row.type })) return `Row ${row.key}`;
    const type = catalog.find(row.type);
    return type?.nameField === null ? keyWords(type, row.key) : (names.get(row.type)?.get(row.key) ?? null);
  };
  return seen.map((row) => ({
    type: row.type,
    key: row.key,
    act: row.act,
    makes: row.fieldsOf === row.type ? null : row.fieldsOf,
    name: nameOf(row),
    outcome: row.outcome,
    cause: wordsAsSeen(row.cause, catalog.find(row.type)),
    changes: changeViews(catalog, row.fieldsOf, row.changes, labels),
  }));
}

type Change = JournalRow['changes'][number];

/** Changes of a record of a type, but for those of fields that are withheld. */
export function changeViews(
  catalog: Catalog,
  typeId: string,
  changes: readonly Change[],
  labels: Labels,
): ChangeView[] {
  return changes.flatMap((c) => {
    const field = fieldOf(catalog, typeId, c.field);
    if (field?.hidden) return [];
    const show = (value: string | null) => (field ? labels.show(field, value) : { value });
    const { label = c.field, kind = 'other' } = field ?? {};
    return [{ field: c.field, label, kind, old: show(c.old), new: show(c.new) }];
  });
}

export function fieldOf(catalog: Catalog, typeId: string, name: string): Field | undefined {
  const type = catalog.find(typeId);
  return type && fieldNamed(type, name);
}

export function alongViews(catalog: Catalog, order: WorkOrder, counts: readonly number[]): AlongView[] {
  return alongOf(order).map(({ entry, at }) => ({
    type: entry.type,
    label: catalog.find(entry.type)?.label ?? entry.type,
    act: entry.act,
    count: counts[at] ?? 0,
  }));
}

/**
 * Those whose records may be seen. Of a type of which the person sees only some records, one that is gone is not told from one that
 * is withheld: it is shown without its values, and only where the run itself deleted it or creates it.
 */
async function seenRows(
  database: Database,
  catalog: Catalog,
  rows: readonly JournalRow[],
): Promise<readonly JournalRow[]> {
  const isSeen = await seenAmong(database, catalog, rows);
  return rows.flatMap((row) => {
    if (isSeen(row)) return [row];
    // What an undo of a delete would make again is no record yet.
    const isOwn = row.act === 'create' || (row.act === 'delete' && row.outcome === 'changed');
    return isOwn ? [{ ...row, cause: null, changes: [] }] : [];
  });
}
