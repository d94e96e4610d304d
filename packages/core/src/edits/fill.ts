import { fieldTree, isBlank } from '../language/build';
import type { EditKind } from './kind';
import { fieldName, literal } from './member';
import type { Literal } from './literal';
import { editableField, fieldWords, givenWords, valueSource } from './value';

/** Gives the field this value where it is blank (null or empty text), and leaves the rest as they are. */
export interface FillEdit {
  readonly kind: 'fill';
  readonly field: string;
  readonly value: Literal;
}

export const fill: EditKind<FillEdit> = {
  members: { field: fieldName, value: literal },
  doc: 'One value where there is none; the rest are left as they are.',
  example: { kind: 'fill', field: 'region', value: '{valley} side' },
  words: ['default', 'missing', 'empty', 'blank', 'complete'],
  lower(edit, about) {
    const field = editableField(about.type, edit.field);
    return [{ field, value: valueSource(field, edit.value, about), when: isBlank(fieldTree(about.type, field)) }];
  },
  sentence(edit, told) {
    const { field, label } = fieldWords(told.type, edit.field);
    return `fill blank ${label} with ${givenWords(field, edit.value, told)}`;
  },
};
