import { isBlank, not } from '../language/build';
import type { EditKind } from './kind';
import { clip } from '../catalog/catalog';
import { fail } from '../problem';
import { fieldName, oneOf, optional, shortText } from './member';
import { chosenSource, sourceFor, sourceWords } from './source';
import { clearableField, editableField, fieldWords } from './value';
import { worked } from './worked';

const ofBlanks = ['leave', 'clear'] as const;

/** Takes the value of another field, of the record or of one it points at (`grower.note`), or of one chosen record. */
export interface CopyEdit {
  readonly kind: 'copy';
  readonly field: string;
  readonly from: string;
  /** The one record to take it from, by name or key. */
  readonly record?: string;
  /** Its type; that of the records that are changed where nothing is said. */
  readonly of?: string;
  /** Where the other field is blank: leave this one as it is (the default), or clear it. */
  readonly blank?: (typeof ofBlanks)[number];
}

export const copy: EditKind<CopyEdit> = {
  members: {
    field: fieldName,
    from: fieldName,
    record: optional(shortText),
    of: optional(fieldName),
    blank: optional(oneOf(ofBlanks)),
  },
  doc: 'The value of another field, of the record, of one it points at, or of one chosen record.',
  example: { kind: 'copy', field: 'note', from: 'grower.note' },
  words: ['same as', 'parent', 'take over', 'inherit', 'duplicate'],
  lower(edit, about) {
    const clears = edit.blank === 'clear';
    const field = (clears ? clearableField : editableField)(about.type, edit.field);
    if (edit.of !== undefined && edit.record === undefined)
      fail('bad_value', 'Say which record to take the value from, or leave the type out.', { where: 'record' });
    const { from, value } =
      edit.record === undefined
        ? sourceFor('from', edit.from, field, about)
        : chosenSource({ ...edit, record: edit.record }, field, about);
    const source = worked(value, field, about.catalog, { blank: clears ? 'cleared' : 'refused' });
    return [{ field, value: source, when: clears ? null : not(isBlank(from)) }];
  },
  sentence(edit, of) {
    const clears = edit.blank === 'clear' ? ', cleared where that is blank' : '';
    const type = edit.of === undefined ? of.type : of.catalog.find(edit.of);
    const source = type ? sourceWords(edit.from, { ...of, type }) : clip(edit.from);
    const whose =
      edit.record === undefined ? '' : ` of ${(type && of.nameOf(type.id, edit.record)) ?? `“${clip(edit.record)}”`}`;
    return `copy ${source}${whose} to ${fieldWords(of.type, edit.field).label}${clears}`;
  },
};
