import { clip } from '../catalog/catalog';
import { fail } from '../problem';
import type { FieldPath } from './checked';
import { print, quote } from './print';
import type { Expression, LiteralType } from './syntax';
import { fieldKindWords, type ValueType } from './types';

// What a mistake of types is told with: both types in words, and a text that could take its place.

export type Literal = Extract<Expression, { kind: 'literal' }>;

const literalWords: Record<LiteralType, string> = {
  text: 'a text',
  number: 'a number',
  yes_no: 'yes or no',
  date: 'a date',
  moment: 'a moment',
  null: 'blank',
};

/** How the expression could be made the type wanted, as a text that can take its place. */
export function conversion(e: Expression, is: ValueType, wanted: ValueType): string[] {
  if (e.kind === 'literal' && e.type === 'text') {
    if (wanted === 'date' || wanted === 'moment') return [timeLiteral(wanted, e.text)].filter((t) => t !== undefined);
    if (wanted === 'number' && /^-?\d+(\.\d+)?$/.test(e.text)) return [e.text];
  }
  if (wanted === 'text' && ['number', 'date', 'moment', 'yes_no'].includes(is))
    return [e.kind === 'literal' ? quote(e.text) : `TEXT(${print(e)})`];
  if (wanted === 'number' && is === 'text') return [`VALUE(${print(e)})`];
  return wanted === 'date' && is === 'text' ? [`DATEVALUE(${print(e)})`] : [];
}

export function timeLiteral(base: string, text: string): string | undefined {
  if (/^\d{4}-\d{2}-\d{2}$/.test(text.trim())) return `DATE('${text.trim()}')`;
  return base === 'moment' || base === 'date' ? `${base === 'date' ? 'DATE' : 'TIMESTAMP'}(${quote(text)})` : undefined;
}

export function mismatch(at: FieldPath, literal: Literal, suggestion?: string): never {
  return fail(
    'type_mismatch',
    `“${at.field.name}” is ${fieldKindWords(at.field)}, but “${clip(literal.text)}” is ${literalWords[literal.type]}.`,
    { span: literal.span, suggestions: suggestion === undefined ? [] : [suggestion] },
  );
}

export function yesNoFor(text: string): string | undefined {
  if (/^(true|yes|1)$/i.test(text)) return 'TRUE';
  return /^(false|no|0)$/i.test(text) ? 'FALSE' : undefined;
}
