import { and, call, fieldTree, isBlank, not, textTree } from '../language/build';
import type { Checked } from '../language/checked';
import { fail } from '../problem';
import { clip } from '../catalog/catalog';
import type { Change } from './change';
import type { EditKind } from './kind';
import { anyText, fieldName, oneOf, optional } from './member';
import { sourceFor, sourceWords } from './source';
import { clearableField, editableField, fieldWords, isFreeText } from './value';
import { joined, worked } from './worked';

const whereFilled = ['leave', 'overwrite', 'join'] as const;

/** Takes the value of another field of the record, and clears that one. */
export interface MoveEdit {
  readonly kind: 'move';
  readonly field: string;
  readonly from: string;
  /** Where this field has a value: leave both as they are (the default), overwrite it, or join the two. */
  readonly filled?: (typeof whereFilled)[number];
  /** Stands between what is joined; a space where nothing is said. */
  readonly with?: string;
}

export const move: EditKind<MoveEdit> = {
  members: { field: fieldName, from: fieldName, filled: optional(oneOf(whereFilled)), with: optional(anyText) },
  doc: 'The value of another field of the record, which is cleared.',
  example: { kind: 'move', field: 'note', from: 'region', filled: 'join', with: ' / ' },
  words: ['rename', 'transfer', 'merge', 'join', 'shift to'],
  lower(edit, about) {
    const field = editableField(about.type, edit.field);
    const { from, value } = sourceFor('from', edit.from, field, about);
    if (from.at.through.length > 0)
      fail('bad_value', 'A value is moved within the record; from another one it is copied.', { where: 'from' });
    const source = clearableField(about.type, from.at.field.name);
    const own = fieldTree(about.type, field);
    const there = not(isBlank(from));
    const isFree = isBlank(own);
    const change = (tree: Checked, when: Checked | null): Change => ({
      field,
      value: worked(tree, field, about.catalog),
      when,
    });
    const cleared = (when: Checked | null): Change => ({
      field: source,
      value: { from: 'expression', tree: { kind: 'null', type: 'text' } },
      when,
    });
    switch (edit.filled ?? 'leave') {
      case 'leave':
        return [change(value, and(there, isFree)), cleared(and(there, isFree))];
      case 'overwrite':
        return [change(value, there), cleared(there)];
      case 'join': {
        if (!isFreeText(field))
          fail('type_mismatch', `${field.label} is no text, so nothing is joined to it.`, { where: 'filled' });
        const both = joined([own, textTree(edit.with ?? ' '), value]);
        const tree: Checked = call('if', 'text', isFree, value, both);
        return [change(tree, there), cleared(there)];
      }
    }
  },
  sentence(edit, of) {
    const { label } = fieldWords(of.type, edit.field);
    const filled = {
      leave: ' where that is blank',
      overwrite: ', over what is there',
      join: `, joined to what is there with “${clip(edit.with ?? ' ')}”`,
    }[edit.filled ?? 'leave'];
    return `move ${sourceWords(edit.from, of)} to ${label}${filled}`;
  },
};
