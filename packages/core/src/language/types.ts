import type { Field } from '../catalog/catalog';
import { ofBase, type Base } from '../catalog/kinds';
import type { ValueType } from '../catalog/kinds/kind';

export type { ValueType } from '../catalog/kinds/kind';

/** What a field's values are in the language; null where they cannot be used (`other`). */
export function typeOfBase(base: Base): ValueType | null {
  return ofBase(base).valueType;
}

export const valueTypeWords: Readonly<Record<ValueType, string>> = {
  text: 'a text',
  number: 'a number',
  yes_no: 'yes or no',
  date: 'a date',
  moment: 'a moment',
  list: 'a list',
  interval: 'an interval',
  blank: 'blank',
};

/** “a choice”, “a reference”, “a number”. */
export function fieldKindWords(field: Field): string {
  if (field.kind === 'reference') return 'a reference';
  if (field.choices) return 'a choice';
  return ofBase(field.base).words;
}
