import type { Catalog, Field, RecordType } from '../catalog/catalog';
import type { Checked } from '../language/checked';
import { fill, type Fill } from './fill';
import { set, type Set } from './set';

/** One change to one field. */
export type Edit = Set | Fill;

/** What every edit comes down to: *field := expression, when condition* (null: always). */
export interface Assignment {
  readonly field: Field;
  readonly expression: Checked;
  readonly when: Checked | null;
}

/** What an edit kind must offer; this index is the only list of them. */
export interface EditKind<E> {
  /** Checks the edit against its type and lowers it; throws problems whose place is within the edit. */
  lower(edit: E, type: RecordType, catalog: Catalog): Assignment;
  /** The edit in words, without a full stop: “set status to Confirmed”. */
  sentence(edit: E, type: RecordType): string;
}

const kinds: { [K in Edit['kind']]: EditKind<Extract<Edit, { kind: K }>> } = { set, fill };
export const editKinds = Object.keys(kinds) as Edit['kind'][];

export function lowerEdit(edit: Edit, type: RecordType, catalog: Catalog): Assignment {
  return kindOf(edit).lower(edit, type, catalog);
}

export function editSentence(edit: Edit, type: RecordType): string {
  return kindOf(edit).sentence(edit, type);
}

function kindOf(edit: Edit): EditKind<Edit> {
  return kinds[edit.kind] as EditKind<Edit>;
}
