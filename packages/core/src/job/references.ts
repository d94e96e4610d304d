import type { Catalog, Field, Pointer, RecordType } from '../catalog/catalog';

/** What happens to records that refer by `field` to a value of a record that changes: the database's ON UPDATE action. */
export interface ReferenceChange {
  readonly type: RecordType;
  readonly field: Field;
  /** The field of the changed record that they refer to, directly or through others that refer to it. */
  readonly referenced: string;
  /** Cleared, set to its default, or given the new value. */
  readonly act: 'blank' | 'default' | 'follow';
}

/** A foreign key that keeps a value from being changed while records refer to it, and why. */
export interface KeptReference {
  readonly referenced: string;
  readonly schema: string;
  readonly table: string;
  /** The column that refers to the value; null: it cannot be read, so that any value may be referred to. */
  readonly column: string | null;
  /** After the label of the field: “cannot change: …”. */
  readonly why: string;
}

export const noReferences = { changes: [], kept: [] } as const;

/** How deep references follow one another. */
const mostLevels = 4;

/**
 * What the database does to other records when these fields of a record change, and what keeps it from being done. A record
 * that refers to one that follows refers to the same value, so that all levels are found by it.
 */
export function referencesTo(
  type: RecordType,
  catalog: Catalog,
  writes: readonly string[],
): { readonly changes: readonly ReferenceChange[]; readonly kept: readonly KeptReference[] } {
  const changes: ReferenceChange[] = [];
  const kept: KeptReference[] = [];
  const add = (of: RecordType, name: string, referenced: string, level: number): void => {
    for (const p of of.pointers) {
      if (!p.at.includes(name)) continue;
      const found = actOf(p, catalog);
      const column = p.type === null && !p.withheld ? null : (p.fields[p.at.indexOf(name)] ?? null);
      if ('why' in found) {
        // One that refuses and cannot be read speaks for itself when the time comes.
        if (column !== null || p.onUpdate !== 'refuse')
          kept.push({ referenced, schema: p.schema, table: p.table, column, why: found.why });
        continue;
      }
      if (level >= mostLevels || changes.some((c) => c.type.id === found.type.id && c.field === found.field)) {
        kept.push({ referenced, schema: p.schema, table: p.table, column, why: `${p.label} refer to it in a circle` });
        continue;
      }
      changes.push({ ...found, referenced });
      if (found.act === 'follow') add(found.type, found.field.name, referenced, level + 1);
    }
  };
  for (const name of writes) add(type, name, name, 1);
  return { changes, kept };
}

function actOf(
  { type: id, label, fields, onUpdate }: Pointer,
  catalog: Catalog,
): Omit<ReferenceChange, 'referenced'> | { readonly why: string } {
  const refer = `${label} refer to it`;
  if (onUpdate === 'refuse') return { why: refer };
  const type = id === null ? undefined : catalog.find(id);
  if (!type || type.limits?.source) return { why: `${label}, which cannot be read here, may refer to it` };
  const field = fields.length === 1 ? type.fields.find((f) => f.name === fields[0]) : undefined;
  if (!field) return { why: `${refer} by several fields` };
  if (type.notChangeable !== null) return { why: `${refer}, and cannot be changed here` };
  if (onUpdate === 'cascade') return { type, field, act: 'follow' };
  const hasDefault = onUpdate === 'set_default' && field.default !== null;
  if (hasDefault) return { type, field, act: 'default' };
  return field.required ? { why: `${refer}, and cannot be without a value` } : { type, field, act: 'blank' };
}
