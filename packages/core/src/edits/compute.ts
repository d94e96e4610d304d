import { clip } from '../catalog/catalog';
import { besideChange, columnsBeside, type ColumnsBeside } from '../file/beside';
import type { EditKind } from './kind';
import { expression, fieldName, optional } from './member';
import { fieldWords, givenField } from './value';
import { formulaFor } from './worked';

/** Works the value out for each record; one for which nothing comes out, or what does not fit, is not allowed. */
export interface ComputeEdit {
  readonly kind: 'compute';
  readonly field: string;
  /** In the expression language; over the record as it was before the job. */
  readonly formula: string;
  /** Columns of a file that the formula reads, too: what a file of values becomes. */
  readonly file?: ColumnsBeside;
}

export const compute: EditKind<ComputeEdit> = {
  members: { field: fieldName, formula: expression, file: optional(columnsBeside) },
  doc: 'What an expression gives for each record.',
  example: { kind: 'compute', field: 'price_per_hive', formula: 'price_per_hive * 1.05' },
  words: ['formula', 'calculate', 'expression', 'work out', 'if', 'multiply', 'combine', 'concatenate'],
  lower(edit, about) {
    const field = givenField(about, edit.field);
    if (edit.file) return [besideChange(edit.formula, edit.file, field, about)];
    return [{ field, value: formulaFor('formula', edit.formula, field, about), when: null }];
  },
  sentence(edit, { type, into, inText = (text) => text }) {
    return `set ${fieldWords(into ?? type, edit.field).label} to what ${clip(inText(edit.formula))} gives`;
  },
};
