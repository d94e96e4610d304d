import type { Catalog, RecordType } from '../catalog/catalog';
import { fill, type Fill } from './fill';
import type { Assignment, EditKind } from './kind';
import { put, type Put } from './put';
import { set, type Set } from './set';

/** One change to one field. */
export type Edit = Set | Fill | Put;

// The only list of edit kinds.
const kinds: { [K in Edit['kind']]: EditKind<Extract<Edit, { kind: K }>> } = { set, fill, put };
export type { Assignment } from './kind';
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
