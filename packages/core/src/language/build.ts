import type { Field, RecordType } from '../catalog/catalog';
import { typeOf, type Checked } from './checked';
import { entryNamed } from './functions';
import type { ValueType } from './types';

// Checked trees that edits are made of, put together by the program and not read from a text.

/** A function of the language, by its name in small letters. */
export function call(name: string, type: ValueType, ...args: readonly Checked[]): Checked {
  const entry = entryNamed(name);
  if (!entry) throw new Error(`There is no function ${name}.`);
  return { kind: 'call', entry, type, args };
}

export function textTree(text: string): Checked {
  return { kind: 'value', dbType: 'text', text };
}

/** `text`: canonical digits. */
export function numberTree(text: string): Checked {
  return { kind: 'value', dbType: /^-?\d{1,18}$/.test(text) ? 'bigint' : 'numeric', text };
}

export function fieldTree(type: RecordType, field: Field): Checked {
  return { kind: 'field', at: { through: [], type, field } };
}

export function calculated(op: '+' | '-' | '*' | '/', left: Checked, right: Checked): Checked {
  return { kind: 'arithmetic', op, type: 'number', left, right };
}

/** Null or, of a text, empty. */
export function isBlank(operand: Checked): Checked {
  return { kind: 'blank', operand };
}

export function not(operand: Checked): Checked {
  return { kind: 'not', operand };
}

export function and(...operands: readonly (Checked | null)[]): Checked | null {
  const real = operands.filter((o) => o !== null);
  return real.length > 1 ? { kind: 'and', operands: real } : (real[0] ?? null);
}

export const always: Checked = { kind: 'value', dbType: 'boolean', text: 'true' };

export interface Case {
  readonly when: Checked;
  readonly value: Checked;
}

/** The value of the first case whose condition holds; blank where none does. */
export function firstOf(cases: readonly Case[]): Checked {
  const [first] = cases;
  if (!first) return { kind: 'null', type: 'text' };
  if (first.when === always) return first.value;
  return call('ifs', typeOf(first.value), ...cases.flatMap((c) => [c.when, c.value]));
}
