import type { EditKind } from './kind';
import { editableField, fieldWords, givenValue, givenWords, type Given } from './value';

/** Gives the field this value on every record. */
export interface Set {
  readonly kind: 'set';
  readonly field: string;
  readonly value: Given;
}

export const set: EditKind<Set> = {
  lower(edit, type) {
    const field = editableField(type, edit.field);
    return { field, expression: givenValue(field, edit.value), when: null };
  },
  sentence(edit, type) {
    const { field, label } = fieldWords(type, edit.field);
    return `set ${label} to ${givenWords(field, edit.value)}`;
  },
};
