import type { Value } from '@tantamos/contract';
import type { Catalog, Field } from '@tantamos/core';
import { namesOf } from './names';
import type { Database } from '../database/database';

/** Puts the names behind values: choices by their label, references by the name of the record, in one look-up a type. */
export class Labels {
  private readonly wanted = new Map<string, Set<string>>();
  private readonly names = new Map<string, Map<string, string>>();
  constructor(
    private readonly database: Database,
    private readonly catalog: Catalog,
  ) {}

  /** Says beforehand that this value will be shown. */
  want(field: Field, value: string | null): void {
    if (field.refersTo === null || value === null) return;
    const keys = this.wanted.get(field.refersTo);
    if (keys) keys.add(value);
    else this.wanted.set(field.refersTo, new Set([value]));
  }

  async load(): Promise<this> {
    for (const [typeId, keys] of this.wanted) {
      const type = this.catalog.find(typeId);
      if (type) this.names.set(typeId, await namesOf(this.database, type, [...keys]));
    }
    return this;
  }

  show(field: Field, value: string | null): Value {
    if (value === null) return { value };
    if (field.base === 'yes_no') return { value, label: value === 'true' ? 'Yes' : 'No' };
    const label =
      field.refersTo === null
        ? field.choices?.find((c) => c.value === value)?.label
        : this.names.get(field.refersTo)?.get(value);
    return label === undefined ? { value } : { value, label };
  }
}
