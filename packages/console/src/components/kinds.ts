import type { Base, Choice, FieldKind, LiteralType } from '@tantamos/core';

/** How a row of the filter compares, the usual way first. */
export type Comparing = 'texts' | 'numbers' | 'times' | 'truths' | 'lists' | 'parts' | 'blanks';

/** How values of a kind are shown and typed. */
interface Look {
  /** In the grid. */
  readonly cell: { readonly right?: true; readonly narrows: boolean };
  readonly input: {
    readonly type: 'text' | 'date';
    readonly hint: (scale: number | null) => string;
    readonly decimal?: true;
    /** Where there are only these. */
    readonly options?: readonly Choice[];
  };
  readonly filter: { readonly comparing: Comparing; readonly literal: LiteralType; readonly calendar?: true };
}

const cell = { narrows: true };
const text = { type: 'text', hint: () => 'Text' } as const;
const yesNo = [
  { value: 'true', label: 'Yes' },
  { value: 'false', label: 'No' },
];

// One line a kind; the core's file of the same name says what its values are.
const looks: Readonly<Record<Base, Look>> = {
  text: { cell, input: text, filter: { comparing: 'texts', literal: 'text' } },
  uuid: { cell, input: text, filter: { comparing: 'texts', literal: 'text' } },
  number: {
    cell: { right: true, narrows: true },
    input: { type: 'text', hint: (scale) => (scale ? '0.00' : '0'), decimal: true },
    filter: { comparing: 'numbers', literal: 'number' },
  },
  yes_no: { cell, input: { ...text, options: yesNo }, filter: { comparing: 'truths', literal: 'yes_no' } },
  date: {
    cell,
    input: { type: 'date', hint: () => '' },
    filter: { comparing: 'times', literal: 'date', calendar: true },
  },
  moment: {
    cell,
    input: { type: 'text', hint: () => '2026-05-01T08:00:00Z' },
    filter: { comparing: 'times', literal: 'moment', calendar: true },
  },
  json: { cell: { narrows: false }, input: text, filter: { comparing: 'parts', literal: 'text' } },
  list: { cell: { narrows: false }, input: text, filter: { comparing: 'lists', literal: 'text' } },
  other: { cell: { narrows: false }, input: text, filter: { comparing: 'blanks', literal: 'text' } },
};

export function lookOf(base: Base): Look {
  return looks[base];
}

/** Of a column: choices, references and keys are shown as texts. */
export function cellOf(kind: FieldKind): Look['cell'] {
  return kind in looks ? looks[kind as Base].cell : cell;
}
