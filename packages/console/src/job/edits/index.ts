import type { Edit } from '@tantamos/core';
import { clear } from './clear';
import { fill } from './fill';
import type { DraftEdit, EditForm } from './form';
import { put } from './put';
import { set } from './set';

export type { DraftEdit } from './form';

// The only list of edit kinds in the console, in the order they are offered.
const forms: { [K in Edit['kind']]: EditForm<K> } = { set, fill, clear, put };
export const editActions = Object.entries(forms) as [Edit['kind'], EditForm<Edit['kind']>][];

export function formOf(kind: Edit['kind']): EditForm<Edit['kind']> {
  return forms[kind] as unknown as EditForm<Edit['kind']>;
}

/** What is complete of these, as the service takes it; the rest waits to be filled in. */
export function completeEdits(edits: readonly DraftEdit[]): Edit[] {
  return edits.map((e) => formOf(e.kind).complete(e)).filter((e) => e !== null);
}
