import { isBlank, not } from '../language/build';
import type { EditKind } from './kind';
import { fieldName, oneOf, optional } from './member';
import { sourceFor, sourceWords } from './source';
import { clearableField, editableField, fieldWords } from './value';
import { worked } from './worked';

const ofBlanks = ['leave', 'clear'] as const;

/** Takes the value of another field, of the record or of one it points at (`grower.note`). */
export interface CopyEdit {
  readonly kind: 'copy';
  readonly field: string;
  readonly from: string;
  /** Where the other field is blank: leave this one as it is (the default), or clear it. */
  readonly blank?: (typeof ofBlanks)[number];
}

export const copy: EditKind<CopyEdit> = {
  members: { field: fieldName, from: fieldName, blank: optional(oneOf(ofBlanks)) },
  doc: 'The value of another field, of the record or of one it points at.',
  example: { kind: 'copy', field: 'note', from: 'grower.note' },
  words: ['same as', 'parent', 'take over', 'inherit', 'duplicate'],
  lower(edit, about) {
    const clears = edit.blank === 'clear';
    const field = (clears ? clearableField : editableField)(about.type, edit.field);
    const { from, value } = sourceFor('from', edit.from, field, about);
    const source = worked(value, field, about.catalog, { blank: clears ? 'cleared' : 'refused' });
    return [{ field, value: source, when: clears ? null : not(isBlank(from)) }];
  },
  sentence(edit, of) {
    const clears = edit.blank === 'clear' ? ', cleared where that is blank' : '';
    return `copy ${sourceWords(edit.from, of)} to ${fieldWords(of.type, edit.field).label}${clears}`;
  },
};
