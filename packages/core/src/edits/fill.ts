import type { EditKind } from './kind';
import { fieldName, literal } from './member';
import { editableField, fieldWords, givenValue, givenWords, type Literal } from './value';

/** Gives the field this value where it is blank (null or empty text), and leaves the rest as they are. */
export interface FillEdit {
  readonly kind: 'fill';
  readonly field: string;
  readonly value: Literal;
}

export const fill: EditKind<FillEdit> = {
  members: { field: fieldName, value: literal },
  lower(edit, type) {
    const field = editableField(type, edit.field);
    const here = { kind: 'field', at: { through: [], type, field } } as const;
    const tree = givenValue(field, edit.value);
    return [{ field, value: { from: 'expression', tree }, when: { kind: 'blank', operand: here } }];
  },
  sentence(edit, type) {
    const { field, label } = fieldWords(type, edit.field);
    return `fill blank ${label} with ${givenWords(field, edit.value)}`;
  },
};
