import type { ExportBody } from '@tantamos/contract';
import { ofBase, type Field, type FieldPath } from '@tantamos/core';

/** A cell on its way into a file: a text, or a number or date that a spreadsheet should know as one. */
export interface Column {
  readonly name: string;
  readonly kind: 'text' | 'number' | 'date';
  show(text: string | null): string | null;
}

export type Look = Pick<ExportBody, 'separator' | 'bom' | 'decimalComma' | 'raw' | 'stored'>;

/** How each column's stored text becomes a cell. */
export function columnsOf(names: readonly string[], paths: readonly FieldPath[], look: Look): Column[] {
  return paths.map(({ field }, i) => ({
    name: names[i]!,
    kind: cellOf(field, look),
    show: look.stored ? (text) => text : shown(field),
  }));
}

function cellOf(field: Field, { stored }: Look): Column['kind'] {
  return field.refersTo === null || stored ? ofBase(field.base).cell : 'text';
}

function shown(field: Field): Column['show'] {
  if (field.base === 'yes_no') return (text) => (text === null ? null : text === 'true' ? 'Yes' : 'No');
  if (!field.choices) return (text) => text;
  const labels = new Map(field.choices.map((c) => [c.value, c.label]));
  return (text) => (text === null ? null : (labels.get(text) ?? text));
}
