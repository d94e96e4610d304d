import type { Field } from '../catalog/catalog';
import type { Change, Worked } from '../edits/change';
import type { About } from '../edits/kind';
import { group, keptId, many, oneOf, optional, shortText, wholeNumber, yesNo, type Member } from '../edits/member';
import { formulaFor } from '../edits/worked';
import { and, not } from '../language/build';
import { walk, type Checked, type FieldPath } from '../language/checked';
import type { NoResult } from '../language/no-result';
import { columnNamed } from './column';
import { cellReadings, columnField } from './file-type';

/**
 * Columns of a file that a formula reads beside fields of the record, as `file.price`: what the row about the record says,
 * kept by the service by the record's key under `id`.
 */
export interface ColumnsBeside {
  readonly id: string;
  readonly columns: readonly BesideColumn[];
  /** Where a cell is empty and nothing comes out the field is left as it is; with this it is cleared. */
  readonly clear?: boolean;
}

interface BesideColumn {
  readonly name: string;
  /** The place of its value in what is kept, from 1. */
  readonly at: number;
  readonly as: (typeof cellReadings)[number];
}

const mostColumns = 300;

export const columnsBeside: Member<ColumnsBeside> = group<ColumnsBeside>({
  id: keptId,
  columns: many(
    group<BesideColumn>({ name: shortText, at: wholeNumber(1, 2 * mostColumns), as: oneOf(cellReadings) }),
    mostColumns,
  ),
  clear: optional(yesNo),
});

/** What values of a column are kept as, in the place of the name of a field. */
export function besideName({ name, base }: Pick<Field, 'name' | 'base'>): string {
  return `${base} file.${name}`;
}

/** What a formula gives that reads columns of a file and fields of the record: for records that a row is about. */
export function besideChange(formula: string, file: ColumnsBeside, field: Field, about: About): Change {
  const { type, context } = about;
  const column = (at: number, as: BesideColumn['as'], name: string): FieldPath => ({
    through: [],
    type,
    field: columnField(name, name, as),
    filed: { kept: file.id, at },
  });
  const read = {
    ...context,
    column: (path: Parameters<NonNullable<typeof context.column>>[0]): FieldPath | undefined => {
      if (!isColumn(path)) return undefined;
      const { at, as, name } = file.columns[columnNamed(path[1]!.name, file.columns, { span: path[1]!.span })]!;
      return column(at, as, name);
    },
  };
  const made = formulaFor('formula', formula, field, { ...about, context: read });
  if (made.from !== 'expression') throw new Error('A formula gives an expression.');
  const { tree, worked } = made;
  const hasRow: Checked = { kind: 'field', at: column(0, 'yes_no', 'row') };
  const isNone: Checked = { kind: 'isNull', operand: tree };
  const hasEmpty: Checked = { kind: 'or', operands: cellsIn(tree).map((operand) => ({ kind: 'isNull', operand })) };
  if (!file.clear) {
    const isLeft = and(isNone, hasEmpty)!;
    return { field, value: made, when: and(hasRow, not(isLeft)) };
  }
  const isUntold = and(isNone, not(hasEmpty))!;
  const refusals = [
    ...worked!.refusals.filter((r) => !r.blank).map((r): NoResult => ({ ...r, always: true })),
    { when: isUntold, words: 'nothing comes out', always: true } as const,
  ];
  const cleared: Worked = { ...worked!, blank: field.required ? 'refused' : 'cleared', refusals };
  return { field, value: { ...made, worked: cleared }, when: hasRow };
}

/** Is it the name of a column: `file.price`? */
export function isColumn(path: readonly { readonly name: string }[]): boolean {
  return path.length === 2 && path[0]!.name.toLowerCase() === 'file';
}

/** Each cell once, however often it is read. */
function cellsIn(tree: Checked): readonly Checked[] {
  const cells = new Map<string, Checked>();
  walk(tree, (node) => {
    if (node.kind === 'field' && node.at.filed) cells.set(JSON.stringify(node.at.filed), node);
  });
  return [...cells.values()];
}

/** Every place in what is kept that a tree reads, with what must stand there. */
export function placesRead(
  tree: Checked,
): readonly { readonly kept: string; readonly at: number; readonly name: string }[] {
  return cellsIn(tree).flatMap((node) =>
    node.kind === 'field' && node.at.filed && node.at.filed.at > 0
      ? [{ ...node.at.filed, name: besideName(node.at.field) }]
      : [],
  );
}
