import type { Base, Field } from '../catalog/catalog';

/** The type of a value in the language. Choices are texts, keys are of the base of their field. */
export type ValueType = 'text' | 'number' | 'yes_no' | 'date' | 'moment' | 'list' | 'interval' | 'blank';

/** What a field's values are in the language; null where they cannot be used (`other`). */
export function typeOfBase(base: Base): ValueType | null {
  switch (base) {
    case 'uuid':
    case 'json':
      return 'text';
    case 'other':
      return null;
    default:
      return base;
  }
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

const baseWords: Record<Base, string> = {
  text: 'a text',
  number: 'a number',
  yes_no: 'yes or no',
  date: 'a date',
  moment: 'a moment',
  uuid: 'a UUID',
  json: 'JSON',
  list: 'a list',
  other: 'of a kind that cannot be used here',
};

/** “a choice”, “a reference”, “a number”. */
export function fieldKindWords(field: Field): string {
  if (field.kind === 'reference') return 'a reference';
  if (field.choices) return 'a choice';
  return baseWords[field.base];
}

/** A timestamp without a time zone shows the workspace's clocks. */
export function isClock(dbType: string): boolean {
  return /^timestamp(\(\d\))?( without time zone)?$/.test(dbType);
}
