import type { EditKind } from './kind';
import { fieldName } from './member';
import { clearableField, fieldWords } from './value';

/** Leaves the field without a value (null) on every record. */
export interface ClearEdit {
  readonly kind: 'clear';
  readonly field: string;
}

export const clear: EditKind<ClearEdit> = {
  members: { field: fieldName },
  doc: 'No value any more.',
  example: { kind: 'clear', field: 'note' },
  words: ['empty', 'blank', 'delete value', 'remove', 'erase', 'null'],
  lower(edit, { type }) {
    const field = clearableField(type, edit.field);
    // Cast to the field's own type where it is written.
    return [{ field, value: { from: 'expression', tree: { kind: 'null', type: 'text' } }, when: null }];
  },
  sentence(edit, { type }) {
    return `clear ${fieldWords(type, edit.field).label}`;
  },
};
