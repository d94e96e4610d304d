import type { EditKind } from './kind';
import { editableField, fieldWords, givenValue, givenWords, type Literal } from './value';

/** Gives the field this value on every record. */
export interface SetValue {
  readonly kind: 'set';
  readonly field: string;
  readonly value: Literal;
}

export const set: EditKind<SetValue> = {
  lower(edit, type) {
    const field = editableField(type, edit.field);
    return [{ field, value: { from: 'expression', tree: givenValue(field, edit.value) }, when: null }];
  },
  sentence(edit, type) {
    const { field, label } = fieldWords(type, edit.field);
    return `set ${label} to ${givenWords(field, edit.value)}`;
  },
};
