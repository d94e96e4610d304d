import type { EditKind } from './kind';
import { fieldName, literal } from './member';
import type { Literal } from './literal';
import { fieldWords, givenField, givenWords, valueSource } from './value';

/** Gives the field this value on every record; of a text field also the empty text. In a text, `{…}` is worked out. */
export interface SetEdit {
  readonly kind: 'set';
  readonly field: string;
  readonly value: Literal;
}

export const set: EditKind<SetEdit> = {
  members: { field: fieldName, value: literal },
  doc: 'One value on every record.',
  example: { kind: 'set', field: 'status', value: 'confirmed' },
  words: ['overwrite', 'change', 'assign', 'update', 'put'],
  lower(edit, about) {
    const field = givenField(about, edit.field);
    return [{ field, value: valueSource(field, edit.value, about), when: null }];
  },
  sentence(edit, told) {
    const { field, label } = fieldWords(told.into ?? told.type, edit.field);
    return `set ${label} to ${givenWords(field, edit.value, told)}`;
  },
};
