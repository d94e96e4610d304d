import { resolveColumn, type Catalog, type FieldPath, type RecordType } from '@tantamos/core';

/** The paths that column names mean. */
export function pathsOf(catalog: Catalog, type: RecordType, columns: readonly string[]): FieldPath[] {
  return columns.map((c) => resolveColumn(catalog, type, c));
}

/** “Grower › Name”. */
export function pathLabel(path: FieldPath): string {
  return [...path.through.map((s) => s.field.label), path.field.label].join(' › ');
}
