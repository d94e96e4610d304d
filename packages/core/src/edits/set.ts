import type { EditKind } from './kind';
import { fieldName, literal } from './member';
import { editableField, fieldWords, givenValue, givenWords, type Literal } from './value';

/** Gives the field this value on every record; of a text field also the empty text. */
export interface SetEdit {
  readonly kind: 'set';
  readonly field: string;
  readonly value: Literal;
}

export const set: EditKind<SetEdit> = {
  members: { field: fieldName, value: literal },
  lower(edit, type) {
    const field = editableField(type, edit.field);
    return [{ field, value: { from: 'expression', tree: givenValue(field, edit.value) }, when: null }];
  },
  sentence(edit, type) {
    const { field, label } = fieldWords(type, edit.field);
    return `set ${label} to ${givenWords(field, edit.value)}`;
  },
};
