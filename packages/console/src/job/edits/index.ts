import type { Edit } from '@tantamos/core';
import { clear } from './clear';
import { compute } from './compute';
import { copy } from './copy';
import { add, remove } from './entries';
import { fill } from './fill';
import type { DraftEdit, EditForm } from './form';
import { invent } from './invent';
import { map } from './map';
import { move } from './move';
import { number } from './number';
import { put } from './put';
import { replace } from './replace';
import { set } from './set';
import { shift } from './shift';
import { split } from './split';
import { tidy } from './tidy';

export { isLink, type DraftEdit, type Result } from './form';

// The only list of edit kinds in the console, in the order they are offered.
const forms: { [K in Edit['kind']]: EditForm<K> } = {
  set,
  fill,
  clear,
  compute,
  split,
  copy,
  move,
  map,
  replace,
  tidy,
  shift,
  number,
  add,
  remove,
  invent,
  put,
};
export const editActions = Object.entries(forms) as [Edit['kind'], EditForm<Edit['kind']>][];

export function formOf(kind: Edit['kind']): EditForm<Edit['kind']> {
  return forms[kind];
}

function completeEdit(edit: DraftEdit): Edit | null {
  const complete = formOf(edit.kind).complete(edit);
  const where = edit.where?.trim();
  return complete && where ? { ...complete, where } : complete;
}

/** What is complete of these, as the service takes it; the rest waits to be filled in. */
export function completeEdits(edits: readonly DraftEdit[]): Edit[] {
  return edits.flatMap((e) => completeEdit(e) ?? []);
}
