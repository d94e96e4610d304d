import { conditionWords } from '../language/words';
import { noContext } from '../language/context';
import { and } from '../language/build';
import type { Change } from './change';
import { clear, type ClearEdit } from './clear';
import { compute, type ComputeEdit } from './compute';
import { copy, type CopyEdit } from './copy';
import { add, remove, type AddEdit, type RemoveEdit } from './entries';
import { fill, type FillEdit } from './fill';
import type { About, EditKind, Told } from './kind';
import { invent, type InventEdit } from './invent';
import { map, type MapEdit } from './map';
import { expression, optional, type Member } from './member';
import { move, type MoveEdit } from './move';
import { number, type NumberEdit } from './number';
import { put, type PutEdit } from './put';
import { replace, type ReplaceEdit } from './replace';
import { set, type SetEdit } from './set';
import { shift, type ShiftEdit } from './shift';
import { split, type SplitEdit } from './split';
import { tidy, type TidyEdit } from './tidy';
import { conditionAt } from './worked';

type AnyEdit =
  | SetEdit
  | FillEdit
  | ClearEdit
  | ComputeEdit
  | SplitEdit
  | CopyEdit
  | MoveEdit
  | MapEdit
  | ReplaceEdit
  | TidyEdit
  | ShiftEdit
  | NumberEdit
  | AddEdit
  | RemoveEdit
  | InventEdit
  | PutEdit;

/** What any edit may hold besides what its kind says. */
interface OfAny {
  /** Only records for which this condition holds; the others are left as they are. */
  readonly where?: string;
}

type WithAny<E> = E extends AnyEdit ? E & OfAny : never;

/** What is to be done to a record: each lowers to one change or more. All read the record as it was before the job. */
export type Edit = WithAny<AnyEdit>;

// The only list of edit kinds, in the order they are offered.
const kinds: { [K in Edit['kind']]: EditKind<Extract<AnyEdit, { kind: K }>> } = {
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
export const editKinds = Object.keys(kinds) as Edit['kind'][];

const ofAny: Readonly<Record<keyof OfAny, Member>> = { where: optional(expression) };

/** What an edit of this kind holds besides its kind. */
export function editMembers(kind: Edit['kind']): Readonly<Record<string, Member>> {
  return { ...kinds[kind].members, ...ofAny };
}

/** What an edit kind does, in one line, an example of it, and what else people call it. */
export function editHelp(kind: Edit['kind']): Pick<EditKind<AnyEdit>, 'doc' | 'example' | 'words'> {
  return kinds[kind];
}

export function lowerEdit(edit: Edit, about: About): readonly Change[] {
  const changes = kindOf(edit)
    .lower(edit, about)
    .map((c) => amongActive(c, about));
  if (edit.where === undefined) return changes;
  const only = conditionAt('where', edit.where, about);
  return changes.map((c) => ({ ...c, when: and(only, c.when) }));
}

/** The change, which says where those it points at must still be chosen. */
export function amongActive(change: Change, { catalog }: Pick<About, 'catalog'>): Change {
  const target = change.field.refersTo === null ? undefined : catalog.find(change.field.refersTo);
  return target && target.onlyActive !== null ? { ...change, active: target } : change;
}

export function editSentence(edit: Edit, told: Told): string {
  const said = kindOf(edit).sentence(edit, told);
  return edit.where === undefined ? said : `${said} (only where ${whereWords(edit.where, told)})`;
}

function whereWords(where: string, { type, catalog, inTree, inText }: Told): string {
  try {
    const condition = conditionAt('where', where, { type, catalog, context: { ...noContext, ofEdit: true } });
    return conditionWords(inTree ? inTree(condition) : condition);
  } catch {
    // A sentence is said of a job that is wrong, too; me() and saved selections are said as they are written.
    return (inText ? inText(where) : where).trim();
  }
}

function kindOf(edit: Edit): EditKind<AnyEdit> {
  return kinds[edit.kind];
}
