import { fail } from '../problem';
import type { EditKind } from './kind';
import { fieldName } from './member';
import { editableField, fieldWords } from './value';

/** Leaves the field without a value (null) on every record. */
export interface ClearEdit {
  readonly kind: 'clear';
  readonly field: string;
}

export const clear: EditKind<ClearEdit> = {
  members: { field: fieldName },
  lower(edit, type) {
    const field = editableField(type, edit.field);
    if (field.required)
      fail('not_editable', `${field.label} is required, so it cannot be cleared.`, { where: 'field' });
    // Cast to the field's own type where it is written.
    return [{ field, value: { from: 'expression', tree: { kind: 'null', type: 'text' } }, when: null }];
  },
  sentence(edit, type) {
    return `clear ${fieldWords(type, edit.field).label}`;
  },
};
