import { keyOf } from '../catalog/catalog';
import type { Checked } from '../language/checked';
import { functionNamed } from '../language/functions';
import { fail, within } from '../problem';
import type { EditKind } from './kind';
import { editableField, fieldWords, givenValue, type Given } from './value';

/** Gives each of these records a value of its own, by key, and leaves the rest as they are. */
export interface Put {
  readonly kind: 'put';
  readonly field: string;
  readonly values: Readonly<Record<string, Given>>;
}

/** More records than this are a file to be imported, not a paste. */
const mostPut = 500;

export const put: EditKind<Put> = {
  lower(edit, type) {
    const field = editableField(type, edit.field);
    const entries = Object.entries(edit.values);
    if (entries.length === 0) fail('bad_value', 'There is no value to put anywhere.', { where: 'values' });
    if (entries.length > mostPut)
      fail('too_long', `${mostPut} records at most are given values one by one; these are ${entries.length}.`, {
        where: 'values',
      });
    const key = keyOf(type);
    const here: Checked = { kind: 'field', at: { through: [], type, field: key } };
    const pairs = entries.map(([k, given]) =>
      within(`values.${k}`, () => [keyValue(key.base, key.dbType, k), givenValue(field, given)] as const),
    );
    const expression: Checked = {
      kind: 'call',
      entry: functionNamed('SWITCH')!,
      type: 'text',
      args: [here, ...pairs.flat()],
    };
    return { field, expression, when: { kind: 'in', operand: here, list: pairs.map(([k]) => k) } };
  },
  sentence(edit, type) {
    const { label } = fieldWords(type, edit.field);
    const n = Object.keys(edit.values).length;
    return `put ${n.toLocaleString('en-US')} pasted ${n === 1 ? 'value' : 'values'} into ${label}`;
  },
};

function keyValue(base: string, dbType: string, text: string): Checked {
  if (base === 'number' && !/^-?\d{1,18}$/.test(text)) fail('bad_value', `“${text.slice(0, 60)}” is no key.`);
  return { kind: 'value', dbType, text };
}
