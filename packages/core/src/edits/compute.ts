import { clip } from '../catalog/catalog';
import type { EditKind } from './kind';
import { expression, fieldName } from './member';
import { fieldWords, givenField } from './value';
import { formulaFor } from './worked';

/** Works the value out for each record; one for which nothing comes out, or what does not fit, is not allowed. */
export interface ComputeEdit {
  readonly kind: 'compute';
  readonly field: string;
  /** In the expression language; over the record as it was before the job. */
  readonly formula: string;
}

export const compute: EditKind<ComputeEdit> = {
  members: { field: fieldName, formula: expression },
  doc: 'What an expression gives for each record.',
  example: { kind: 'compute', field: 'price_per_hive', formula: 'price_per_hive * 1.05' },
  words: ['formula', 'calculate', 'expression', 'work out', 'if', 'multiply', 'combine', 'concatenate'],
  lower(edit, about) {
    const field = givenField(about, edit.field);
    return [{ field, value: formulaFor('formula', edit.formula, field, about), when: null }];
  },
  sentence(edit, { type, into }) {
    return `set ${fieldWords(into ?? type, edit.field).label} to what ${clip(edit.formula)} gives`;
  },
};
