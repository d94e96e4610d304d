import type { Field, RecordType } from '../catalog/catalog';
import { fieldOf } from '../catalog/catalog';
import type { Checked } from '../language/checked';
import { always } from '../language/build';
import type { NoResult } from '../language/no-result';
import { textWithoutFields } from '../language/text-with-fields';
import { fitToField } from '../language/value';
import { fail, within } from '../problem';
import type { ValueSource } from './change';
import type { About, Told } from './kind';
import type { Literal } from './literal';
import { textWorked, worked } from './worked';

/** The field of that name if a person may change it; throws `unknown_field` or `not_editable` with the reason. */
export function editableField(type: RecordType, name: string): Field {
  return within('field', () => {
    const field = fieldOf(type, name);
    if (field.notEditable !== null) fail('not_editable', `${field.label} cannot be changed: ${field.notEditable}`);
    return field;
  });
}

/** The field that an edit gives a value: of the record itself or, of one that is made for it, any that can be given one. */
export function givenField({ type, into }: Pick<About, 'type' | 'into'>, name: string): Field {
  if (!into) return editableField(type, name);
  return within('field', () => {
    const field = fieldOf(into, name);
    const isOpen = field.notEditable === null || (into.key.includes(field.name) && !field.generated);
    if (!isOpen) fail('not_editable', `${field.label} cannot be given a value: ${field.notEditable}`);
    return field;
  });
}

/** The same, of one that may be left blank. */
export function clearableField(type: RecordType, name: string): Field {
  const field = editableField(type, name);
  if (field.required) fail('not_editable', `${field.label} is required, so it cannot be cleared.`, { where: 'field' });
  return field;
}

/** A value given at `where`, as an expression of the field's type: for references the record of that name, or of that key. */
export function givenValue(field: Field, given: Literal, where = 'value'): Checked {
  return within(where, () => {
    const text = String(given);
    if (text.trim() === '' && !(isFreeText(field) && text === ''))
      fail('bad_value', `A value for ${field.label} is missing; to leave it blank, clear it.`);
    if (field.kind === 'reference' && field.refersTo !== null)
      return { kind: 'named', dbType: field.dbType, question: { typeId: field.refersTo, text, where } };
    return { kind: 'value', dbType: field.dbType, text: fitToField(field, text) };
  });
}

/** May any text be its value? */
export function isFreeText(field: Pick<Field, 'base' | 'choices' | 'refersTo'>): boolean {
  return field.base === 'text' && field.choices === null && field.refersTo === null;
}

/** A given value as what the field becomes; in a text, what stands in braces is worked out for each record. */
export function valueSource(field: Field, given: Literal, about: About): ValueSource {
  const made = isFreeText(field) && typeof given === 'string' ? textWorked('value', given, about) : null;
  if (made)
    return worked(made.tree, field, about.catalog, {
      refusals: [...made.refusals, ...blankText(field)],
      blank: field.required ? 'refused' : 'cleared',
    });
  const text = isFreeText(field) ? textWithoutFields(String(given)) : given;
  return { from: 'expression', tree: givenValue(field, text) };
}

/** Why a text of nothing but blanks may not be. */
function blankText(field: Field): readonly NoResult[] {
  return field.required ? [{ words: 'all that the text is made of is blank', when: always, blank: true }] : [];
}

/** The value as a person reads it: a choice by its label, a record by its name. */
export function givenWords(field: Field | undefined, given: Literal, { nameOf }: Told): string {
  const text = String(given);
  if (field?.refersTo) return nameOf(field.refersTo, text) ?? text;
  const choice = field?.choices?.find((c) => c.value === text || c.label === text);
  if (choice) return choice.label;
  if (text === '') return 'the empty text';
  if (field?.base === 'yes_no' && /^(true|yes|false|no)$/i.test(text)) return /^(true|yes)$/i.test(text) ? 'yes' : 'no';
  return field?.base === 'text' ? `“${text}”` : text;
}

export function fieldWords(type: RecordType, name: string): { field: Field | undefined; label: string } {
  const field = type.fields.find((f) => !f.hidden && f.name.toLowerCase() === name.toLowerCase());
  return { field, label: (field?.label ?? name).toLowerCase() };
}
