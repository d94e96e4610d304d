import type { Field, RecordType } from '../catalog/catalog';
import { fieldOf } from '../catalog/catalog';
import type { Checked } from '../language/checked';
import { fitToField } from '../language/value';
import { fail, within } from '../problem';

/** A value as JSON gives it. Numbers that must stay exact are sent as text. */
export type Literal = string | number | boolean;

/** The field of that name if a person may change it; throws `unknown_field` or `not_editable` with the reason. */
export function editableField(type: RecordType, name: string): Field {
  return within('field', () => {
    const field = fieldOf(type, name);
    if (field.notEditable !== null) fail('not_editable', `${field.label} cannot be changed: ${field.notEditable}`);
    return field;
  });
}

/** A given value as an expression of the field's type: for references the record of that name, or of that key. */
export function givenValue(field: Field, given: Literal): Checked {
  return within('value', () => {
    const text = String(given);
    const mayBeEmpty = field.base === 'text' && field.choices === null && field.refersTo === null;
    if (text.trim() === '' && !(mayBeEmpty && text === ''))
      fail('bad_value', `A value for ${field.label} is missing; to leave it blank, clear it.`);
    if (field.kind === 'reference' && field.refersTo !== null)
      return { kind: 'named', dbType: field.dbType, question: { typeId: field.refersTo, text, where: 'value' } };
    return { kind: 'value', dbType: field.dbType, text: fitToField(field, text) };
  });
}

/** The value as a person reads it: a choice by its label. */
export function givenWords(field: Field | undefined, given: Literal): string {
  const text = String(given);
  const choice = field?.choices?.find((c) => c.value === text || c.label === text);
  if (choice) return choice.label;
  if (text === '') return 'the empty text';
  return field?.base === 'text' && field.refersTo === null ? `“${text}”` : text;
}

export function fieldWords(type: RecordType, name: string): { field: Field | undefined; label: string } {
  const field = type.fields.find((f) => f.name.toLowerCase() === name.toLowerCase());
  return { field, label: (field?.label ?? name).toLowerCase() };
}
