import type { Catalog, Field, RecordType } from '../catalog/catalog';
import type { Checked } from '../language/checked';

/** What every edit comes down to: *field := expression, when condition* (null: always). */
export interface Assignment {
  readonly field: Field;
  readonly expression: Checked;
  readonly when: Checked | null;
}

/** What an edit kind must offer; `edit.ts` lists them. */
export interface EditKind<E> {
  /** Checks the edit against its type and lowers it; throws problems whose place is within the edit. */
  lower(edit: E, type: RecordType, catalog: Catalog): Assignment;
  /** The edit in words, without a full stop: “set status to Confirmed”. */
  sentence(edit: E, type: RecordType): string;
}
