import { clip, type Field } from '../catalog/catalog';
import { entryOf } from '../catalog/kinds/list';
import { call, fieldTree, isBlank, not, numberTree, textTree } from '../language/build';
import type { Checked } from '../language/checked';
import { noResultsOf, type NoResult } from '../language/no-result';
import { textWithoutFields } from '../language/text-with-fields';
import { fitToField } from '../language/value';
import { list } from '../language/words';
import { fail, within } from '../problem';
import type { About, EditKind, Told } from './kind';
import { fieldName, many, optional, shortText } from './member';
import { editableField, fieldWords, isFreeText } from './value';
import { textWorked, worked, type TextWorked } from './worked';

/** Adds entries to a list, or to a text that holds several, each unless it is among them; the order is kept. */
export interface AddEdit {
  readonly kind: 'add';
  readonly field: string;
  /** In each, what stands in braces is worked out. */
  readonly entries: readonly string[];
  /** Of a text: stands between entries; `, ` where nothing is said. */
  readonly separator?: string;
}

/** Takes entries out of a list, or a text that holds several; the order of the others is kept. */
export interface RemoveEdit extends Omit<AddEdit, 'kind'> {
  readonly kind: 'remove';
}

const usual = ', ';
const members = { field: fieldName, entries: many(shortText, 20), separator: optional(shortText) };

function listField(edit: Omit<AddEdit, 'kind'>, { type }: About): Field {
  const field = editableField(type, edit.field);
  if (field.base !== 'list' && !isFreeText(field))
    fail('type_mismatch', `${field.label} is neither a list nor a free text, so it holds no entries.`, {
      where: 'field',
    });
  if (field.base === 'list' && edit.separator !== undefined)
    fail('bad_value', `${field.label} is a list of its own; nothing stands between its entries.`, {
      where: 'separator',
    });
  return field;
}

/** The list after one entry more has gone in, or come out; a blank one is none in a text, and keeps a list as it is. */
function dealt(
  which: 'with' | 'without',
  edit: Omit<AddEdit, 'kind'>,
  field: Field,
  start: Checked,
  about: About,
): TextWorked {
  const separator = edit.separator ?? usual;
  const between = separator.trim() || separator;
  const refusals: NoResult[] = [];
  const tree = edit.entries.reduce<Checked>((all, said, i) => {
    const where = `entries[${i}]`;
    if (field.base !== 'list' && said.includes(between))
      fail('bad_value', `“${clip(said)}” holds the separator “${between}”; say each entry by itself.`, { where });
    const entry = entryWorked(said, where, about);
    refusals.push(...entry.refusals);
    if (field.base !== 'list') {
      const text = entry.tree.kind === 'value' ? entry.tree : call('coalesce', 'text', entry.tree, textTree(''));
      return call(`${which}_entry`, 'text', all, text, textTree(separator));
    }
    const item = itemTree(entry.tree, where, field);
    if (item.kind !== 'value')
      refusals.push({ when: { kind: 'isNull', operand: entry.tree }, words: 'the entry is blank' });
    return call(`${which}_item`, 'list', all, item);
  }, start);
  return { tree, refusals: [...refusals, ...noResultsOf(tree)] };
}

function entryWorked(entry: string, where: string, about: About): TextWorked {
  if (entry.trim() === '') fail('bad_value', 'An entry is missing.', { where });
  return textWorked(where, entry, about) ?? { tree: textTree(textWithoutFields(entry.trim())), refusals: [] };
}

function itemTree(tree: Checked, where: string, { dbType, label, ...field }: Field): Checked {
  const entry = entryOf(dbType)!;
  if (entry.base !== 'text') {
    if (tree.kind !== 'value')
      fail('bad_value', `Entries of ${label} are no texts, so nothing in braces is worked out in them.`, { where });
    const one = { ...field, ...entry, label: `An entry of ${label}`, scale: 0, precision: null, choices: null };
    const text = within(where, () => fitToField(one, tree.text));
    if (entry.base === 'number' && !/^[+-]?\d+$/.test(text))
      fail('bad_value', `Entries of ${label} are whole numbers, written in digits; “${clip(text)}” is not.`, { where });
    return textTree(entry.base === 'number' ? String(BigInt(text.replace('+', ''))) : text);
  }
  const most = Number(/\((\d+)\)/.exec(entry.dbType)?.[1] ?? Infinity);
  if (tree.kind === 'value' && [...tree.text].length > most)
    fail('value_too_long', `Entries of ${label} take ${most} characters; this has ${[...tree.text].length}.`, {
      where,
    });
  // A longer one would be cut without a word; nothing at all is told.
  if (tree.kind === 'value' || most === Infinity) return tree;
  return tooLong(tree, most);
}

function tooLong(tree: Checked, most: number): Checked {
  const fits: Checked = {
    kind: 'compare',
    op: '<=',
    left: call('len', 'number', tree),
    right: numberTree(String(most)),
  };
  return call('if', 'text', fits, tree);
}

/** “add “steep” to tags”; of what stands in a table of links, the entries are records. */
function entriesWords(edit: Omit<AddEdit, 'kind'>, verb: string, { type, catalog, nameOf }: Told): string {
  const { field, label } = fieldWords(type, edit.field);
  const links = field ? undefined : catalog.find(edit.field.toLowerCase());
  const to = links?.fields.find((f) => f.refersTo !== null && f.refersTo !== type.id)?.refersTo ?? null;
  const named = edit.entries.map((e) => (to === null ? e : (nameOf(to, e.trim()) ?? e)));
  const quoted = named.map((e) => `“${clip(e)}”`);
  return `${verb.replace('…', list(quoted, 'and'))} ${links?.label.toLowerCase() ?? label}`;
}

export const add: EditKind<AddEdit> = {
  members,
  doc: 'Entries into a list, such as tags, unless they are there already.',
  example: { kind: 'add', field: 'tags', entries: ['steep', 'visited'] },
  words: ['append', 'tag', 'label', 'keyword', 'list', 'include'],
  lower(edit, about) {
    const field = listField(edit, about);
    const own = fieldTree(about.type, field);
    const start = field.base === 'list' ? own : call('coalesce', 'text', own, textTree(''));
    const { tree, refusals } = dealt('with', edit, field, start, about);
    return [{ field, value: worked(tree, field, about.catalog, { refusals }), when: null }];
  },
  sentence: (edit, told) => entriesWords(edit, 'add … to', told),
};

export const remove: EditKind<RemoveEdit> = {
  members,
  doc: 'Entries out of a list, such as tags.',
  example: { kind: 'remove', field: 'tags', entries: ['steep'] },
  words: ['untag', 'take out', 'delete entry', 'exclude'],
  lower(edit, about) {
    const field = listField(edit, about);
    const own = fieldTree(about.type, field);
    const { tree, refusals } = dealt('without', edit, field, own, about);
    const isNone: Checked = field.base === 'list' ? { kind: 'isNull', operand: own } : isBlank(own);
    return [{ field, value: worked(tree, field, about.catalog, { refusals }), when: not(isNone) }];
  },
  sentence: (edit, told) => entriesWords(edit, 'remove … from', told),
};
