import type { Catalog, RecordType } from '../catalog/catalog';
import type { Change } from './change';
import { clear, type ClearEdit } from './clear';
import { fill, type FillEdit } from './fill';
import type { EditKind } from './kind';
import type { Member } from './member';
import { put, type PutEdit } from './put';
import { set, type SetEdit } from './set';

/** What is to be done to a record: each lowers to one change or more. */
export type Edit = SetEdit | FillEdit | ClearEdit | PutEdit;

// The only list of edit kinds, in the order they are offered.
const kinds: { [K in Edit['kind']]: EditKind<Extract<Edit, { kind: K }>> } = { set, fill, clear, put };
export const editKinds = Object.keys(kinds) as Edit['kind'][];

/** What an edit of this kind holds besides its kind. */
export function editMembers(kind: Edit['kind']): Readonly<Record<string, Member>> {
  return kinds[kind].members;
}

export function lowerEdit(edit: Edit, type: RecordType, catalog: Catalog): readonly Change[] {
  return kindOf(edit).lower(edit, type, catalog);
}

export function editSentence(edit: Edit, type: RecordType): string {
  return kindOf(edit).sentence(edit, type);
}

function kindOf(edit: Edit): EditKind<Edit> {
  return kinds[edit.kind] as EditKind<Edit>;
}
