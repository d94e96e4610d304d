import {
  closest,
  distinctValues,
  everyRecord,
  pathText,
  ProblemError,
  resolveColumn,
  type Catalog,
  type FieldPath,
  type RecordType,
} from '@tantamos/core';
import { mostCompared, nearestOf } from '../catalog/nearest';
import type { Database } from '../database/database';

/** For each text the nearest values of the fields that the list was matched with; never taken by themselves. */
export async function nearestNames(
  database: Database,
  catalog: Catalog,
  list: string,
  texts: readonly string[],
): Promise<Map<string, string[]>> {
  const row = await database.one<{ targets: { type: string; fields: string[] }[] }>(
    'select targets from tantamos.list where id = $1',
    [list],
  );
  const near = new Map<string, string[]>();
  for (const target of row?.targets ?? []) {
    const type = catalog.find(target.type);
    if (!type) continue;
    for (const field of target.fields) {
      const path = seenPath(catalog, type, field);
      if (path?.field.base !== 'text') continue;
      const values = distinctValues(everyRecord(type), pathText(path), catalog, mostCompared);
      for (const [text, found] of await nearestOf(database, values, texts))
        near.set(text, [...(near.get(text) ?? []), ...found]);
    }
  }
  return new Map([...near].map(([text, found]) => [text, closest(text, found)]));
}

/** A field that has been altered or withheld since the list was matched has no near names. */
function seenPath(catalog: Catalog, type: RecordType, field: string): FieldPath | null {
  try {
    return resolveColumn(catalog, type, field);
  } catch (error) {
    if (error instanceof ProblemError) return null;
    throw error;
  }
}
