import type { Catalog, Field, RecordType } from '../catalog/catalog';

/** Records of `type` that point by `field` at a record that is deleted, and what the database says of them. */
export interface Fall {
  readonly type: RecordType;
  readonly field: Field;
  readonly act: 'delete' | 'blank';
  readonly under: number | null;
}

/** How deep records fall with those they point at. */
const mostLevels = 4;

/**
 * What goes with a record of a type when it is deleted: what the database would delete by its own cascade, level by level,
 * and what it would set blank. Not what cannot be named or changed, or is of a type that is met again on the way: that
 * keeps the record.
 */
export function fallsOf(type: RecordType, catalog: Catalog): readonly Fall[] {
  const falls: Fall[] = [];
  const add = (of: RecordType, under: number | null, above: readonly string[]): void => {
    for (const p of of.pointers) {
      const child = p.type === null ? undefined : catalog.find(p.type);
      const field = child?.fields.find((f) => f.name === p.fields[0]);
      // What is seen only in part may have others that keep the record.
      if (child?.limits?.source) continue;
      const plain = p.fields.length === 1 && of.key.length === 1 && p.at[0] === of.key[0];
      if (!child || !field || !plain || child.notChangeable !== null || above.includes(child.id)) continue;
      if (p.onDelete === 'set_null') falls.push({ type: child, field, act: 'blank', under });
      if (p.onDelete !== 'cascade' || above.length > mostLevels) continue;
      falls.push({ type: child, field, act: 'delete', under });
      add(child, falls.length - 1, [...above, child.id]);
    }
  };
  add(type, null, [type.id]);
  return falls;
}
