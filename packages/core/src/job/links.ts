import type { Catalog, Field, RecordType } from '../catalog/catalog';
import { hasKey } from '../catalog/key';
import type { Change } from '../edits/change';
import { amongActive, type Edit } from '../edits/edit';
import type { About } from '../edits/kind';
import { givenValue } from '../edits/value';
import { conditionAt } from '../edits/worked';
import { and, fieldTree, not } from '../language/build';
import type { Checked, CheckedSelection } from '../language/checked';
import { textWithoutFields } from '../language/text-with-fields';
import { typeWords } from '../language/words';
import { fail, within } from '../problem';
import { everyRecord } from '../selection/selection';
import { keyTree, neededOf } from './also';
import { fallsOf, type Fall } from './falls';

/** Records that do nothing but join one of a type with one of another: the certificates of growers. */
export interface Link {
  readonly type: RecordType;
  /** Points at the type whose records have entries. */
  readonly by: Field;
  /** Points at what is an entry. */
  readonly to: Field;
}

/** What one entry that goes in or comes out comes to: links that are made for records of the selection, or links that go. */
export interface CheckedLink {
  readonly act: 'create' | 'delete';
  readonly link: Link;
  /** Of a create the records that have no such link yet; of a delete the links themselves. */
  readonly selection: CheckedSelection;
  readonly changes: readonly Change[];
  /** Whose keys go in, or come out. */
  readonly entries: readonly Checked[];
  readonly falls: readonly Fall[];
  /** Which edit of its part says so, and which of its entries; null: all of them. */
  readonly edit: number;
  readonly entry: number | null;
}

/** An edit of entries. */
export type EntryEdit = Extract<Edit, { kind: 'add' | 'remove' }>;

/**
 * The lists that a type’s records have in tables of links: types with two required references, one of them here, that need
 * nothing else.
 */
export function linksOf(catalog: Catalog, of: RecordType): readonly Link[] {
  if (!hasKey(of) || of.key.length > 1) return [];
  return catalog.types.flatMap((type): Link[] => {
    if (type.hidden || type.id === of.id || type.limits?.source) return [];
    const points = type.fields.filter((f) => f.refersTo !== null && !f.hidden && f.required);
    const by = points.find((f) => f.refersTo === of.id);
    const to = points.find((f) => f !== by && f.refersTo !== of.id);
    const isOne = type.fields.every((f) => f.refersTo === null || f === by || f === to);
    if (!by || !to || !isOne || !hasKey(type)) return [];
    return neededOf(type).every((f) => f === by || f === to) ? [{ type, by, to }] : [];
  });
}

/** Such a list as a field that takes entries and gives them up. */
export function linkField({ type, to }: Link): Field {
  return {
    ...to,
    name: type.id,
    label: type.label,
    comment: type.comment,
    kind: 'list',
    base: 'list',
    required: false,
    unique: false,
    notEditable: type.notChangeable,
    default: null,
  };
}

/** The link that an edit is about; null where it is about a field. */
export function linkMeant(edit: Edit, catalog: Catalog, of: RecordType): Link | null {
  const name = edit.field.toLowerCase();
  if (of.fields.some((f) => f.name.toLowerCase() === name)) return null;
  return linksOf(catalog, of).find((l) => l.type.id.toLowerCase() === name) ?? null;
}

/** Throws problems whose place is within the edit; `asked` says of the names in a tree where in the job they stand. */
export function checkLink(
  edit: Edit,
  link: Link,
  selection: CheckedSelection,
  about: Omit<About, 'into'>,
  asked: (tree: Checked) => Checked,
): readonly Omit<CheckedLink, 'edit'>[] {
  if (edit.kind !== 'add' && edit.kind !== 'remove')
    fail('type_mismatch', `${link.type.label} are joined to ${typeWords(about.type)}: add and remove say which.`, {
      where: 'kind',
    });
  const { type, to } = link;
  if (type.notChangeable !== null) fail('not_changeable', type.notChangeable, { where: 'field' });
  if (edit.separator !== undefined)
    fail('bad_value', `${type.label} are records; nothing stands between them.`, { where: 'separator' });
  const only = edit.where === undefined ? null : asked(conditionAt('where', edit.where, about));
  const those = narrowed(selection, only);
  const entries = edit.entries.map((entry, i) => entryOf(entry, `entries[${i}]`, link, about, asked));
  const isOneOf = entries.map(({ tree }): Checked => ({
    kind: 'compare',
    op: '=',
    left: fieldTree(type, to),
    right: tree,
  }));
  if (edit.kind === 'remove')
    return [
      {
        act: 'delete',
        link,
        selection: {
          ...everyRecord(type),
          env: selection.env,
          related: { of: those, how: 'pointing_at', field: link.by, self: false, depth: 1 },
          condition: isOneOf.length > 1 ? { kind: 'or', operands: isOneOf } : isOneOf[0]!,
        },
        changes: [],
        entries: entries.map((e) => e.tree),
        falls: fallsOf(type, about.catalog),
        entry: null,
      },
    ];
  const pointing: Change = {
    field: link.by,
    value: { from: 'expression', tree: keyTree(about.type) },
    when: null,
  };
  return entries.map(({ change, tree }, i) => ({
    act: 'create',
    link,
    selection: narrowed(those, not(hasLink(link, isOneOf[i]!))),
    changes: [pointing, change],
    entries: [tree],
    falls: [],
    entry: i,
  }));
}

function hasLink({ type: child, by: field }: Link, condition: Checked): Checked {
  return {
    kind: 'children',
    fold: 'has',
    type: 'yes_no',
    relation: { child, field },
    value: null,
    condition,
    span: { start: 0, end: 0 },
  };
}

/** Those of a selection for which a condition holds, however the selection was made. */
function narrowed(selection: CheckedSelection, condition: Checked | null): CheckedSelection {
  if (condition === null) return selection;
  // The first of an order, and picked ones, are what they were before the condition.
  if (selection.take === null) return { ...selection, condition: and(selection.condition, condition) };
  const these: Checked = { kind: 'selected', name: 'these', key: null, selection };
  return { ...everyRecord(selection.type), env: selection.env, condition: and(these, condition) };
}

function entryOf(
  said: string,
  where: string,
  { to }: Link,
  about: Omit<About, 'into'>,
  asked: (tree: Checked) => Checked,
): { readonly change: Change; readonly tree: Checked } {
  if (said.trim() === '') fail('bad_value', 'An entry is missing.', { where });
  const value = within(where, () => textWithoutFields(said.trim()));
  const tree = asked(givenValue(to, value, where));
  return { change: amongActive({ field: to, value: { from: 'expression', tree }, when: null }, about), tree };
}
