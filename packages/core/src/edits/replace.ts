import { clip } from '../catalog/catalog';
import { and, call, fieldTree, isBlank, not, textTree } from '../language/build';
import { casings, matchings, type Matching } from '../language/functions/replaced';
import { fail } from '../problem';
import type { EditKind } from './kind';
import { anyText, fieldName, oneOf, optional, shortText, yesNo } from './member';
import { editableField, fieldWords, isFreeText } from './value';
import { worked } from './worked';

/** Finds a piece of text and writes another in its place. */
export interface ReplaceEdit {
  readonly kind: 'replace';
  readonly field: string;
  readonly find: string;
  readonly with: string;
  /** Where it must stand: anywhere (the default), as a word of its own, at the start, at the end, or as the whole value. */
  readonly match?: Matching;
  readonly anyCase?: boolean;
}

export const replace: EditKind<ReplaceEdit> = {
  members: {
    field: fieldName,
    find: shortText,
    with: anyText,
    match: optional(oneOf(matchings)),
    anyCase: optional(yesNo),
  },
  doc: 'One piece of text by another, wherever it stands.',
  example: { kind: 'replace', field: 'note', find: 'colour', with: 'color', match: 'word', anyCase: true },
  words: ['find', 'substitute', 'correct', 'typo', 'search and replace', 'rename'],
  lower(edit, about) {
    const field = editableField(about.type, edit.field);
    if (!isFreeText(field))
      fail('type_mismatch', `${field.label} is no free text; map says which of its values become which.`, {
        where: 'field',
      });
    const own = fieldTree(about.type, field);
    const made = call(
      'replaced',
      'text',
      own,
      textTree(edit.find),
      textTree(edit.with),
      textTree(edit.match ?? 'part'),
      textTree(casings[edit.anyCase ? 1 : 0]),
    );
    return [{ field, value: worked(made, field, about.catalog), when: and(not(isBlank(own))) }];
  },
  sentence(edit, { type }) {
    const where: Record<Matching, string> = {
      part: '',
      word: ' as a word',
      start: ' at the start',
      end: ' at the end',
      whole: ' as the whole',
    };
    const by = edit.with === '' ? 'nothing' : `“${clip(edit.with)}”`;
    const anyCase = edit.anyCase ? ' in any case' : '';
    return `replace “${clip(edit.find)}”${where[edit.match ?? 'part']}${anyCase} by ${by} in ${fieldWords(type, edit.field).label}`;
  },
};
