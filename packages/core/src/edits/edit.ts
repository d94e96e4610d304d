import type { Catalog, RecordType } from '../catalog/catalog';
import type { Change } from './change';
import { fill, type Fill } from './fill';
import type { EditKind } from './kind';
import { put, type Put } from './put';
import { set, type SetValue } from './set';

/** What is to be done to a record: each lowers to one change or more. */
export type Edit = SetValue | Fill | Put;

// The only list of edit kinds.
const kinds: { [K in Edit['kind']]: EditKind<Extract<Edit, { kind: K }>> } = { set, fill, put };
export const editKinds = Object.keys(kinds) as Edit['kind'][];

export function lowerEdit(edit: Edit, type: RecordType, catalog: Catalog): readonly Change[] {
  return kindOf(edit).lower(edit, type, catalog);
}

export function editSentence(edit: Edit, type: RecordType): string {
  return kindOf(edit).sentence(edit, type);
}

function kindOf(edit: Edit): EditKind<Edit> {
  return kinds[edit.kind] as EditKind<Edit>;
}
