import type { Field } from '../catalog/catalog';
import { textTree } from '../language/build';
import type { Checked } from '../language/checked';
import { canonicalKey, keyFields } from '../catalog/key';
import { fail, Gathered, ProblemError } from '../problem';
import type { Given } from './change';
import type { EditKind } from './kind';
import { fieldName, keptValues, literalsByKey, optional, type KeptValues } from './member';
import type { Literal } from './literal';
import { editableField, fieldWords, givenValue } from './value';

/**
 * Gives each of these records a value of its own, by key, and leaves the rest as they are. The values are said with the
 * edit or kept by the service under `given`, as a preview keeps them, too.
 */
export interface PutEdit {
  readonly kind: 'put';
  readonly field: string;
  /** By key; null: none any more. */
  readonly values?: Readonly<Record<string, Literal | null>>;
  readonly given?: KeptValues;
}

/** More wrong values than this are counted, not listed; after so many the rest is not looked at. */
const mostListed = 50;
const mostWrong = 1000;

export const put: EditKind<PutEdit> = {
  members: { field: fieldName, values: optional(literalsByKey), given: optional(keptValues) },
  doc: 'A value of its own for each of some records, by their keys.',
  example: { kind: 'put', field: 'note', values: { '76': 'first', '151': 'second' } },
  words: ['paste', 'list', 'each'],
  lower(edit, { type }) {
    const field = editableField(type, edit.field);
    keyFields(type);
    if (edit.given) {
      const { id: kept, at } = edit.given;
      const given = { kept, ...(at === undefined ? {} : { at }), by: null, rest: { act: 'leave' } } as const;
      return [{ field, value: { from: 'given', given }, when: null }];
    }
    const entries = Object.entries(edit.values ?? {});
    if (entries.length === 0) fail('bad_value', 'There is no value to put anywhere.', { where: 'values' });
    const keys = new Set<string>();
    const pairs: { key: Checked; value: Checked }[] = [];
    const problems = new Gathered();
    for (const [said, given] of entries) {
      if (problems.problems.length >= mostWrong) break;
      problems.gather(() =>
        told(said, () => {
          const key = canonicalKey(type, said);
          if (keys.has(key)) fail('bad_value', 'two values are given.');
          pairs.push({ key: textTree(key), value: given === null ? nothing(field) : givenValue(field, given) });
          keys.add(key);
        }),
      );
    }
    problems.raise(mostListed);
    const given: Given = { entries: pairs, by: null, rest: { act: 'leave' } };
    return [{ field, value: { from: 'given', given }, when: null }];
  },
  sentence(edit, { type }) {
    const { label } = fieldWords(type, edit.field);
    const n = edit.given?.count ?? Object.keys(edit.values ?? {}).length;
    // Of values that a file will say it is not known how many.
    if (n === 0) return `put values, one a record, into ${label}`;
    return `put ${n.toLocaleString('en-US')} ${n === 1 ? 'value of its own' : 'values, one a record,'} into ${label}`;
  },
};

function nothing(field: Field): Checked {
  if (field.required) fail('bad_value', `${field.label} is required, so it cannot be cleared.`);
  return { kind: 'null', type: 'text' };
}

/** Problems of one record's value say of which record. */
function told<T>(key: string, work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const { span: _, ...problem } = error.problems[0];
    const message = `${key.slice(0, 60)}: ${problem.message}`;
    throw new ProblemError({ ...problem, message, where: `values[${JSON.stringify(key.slice(0, 200))}]` });
  }
}
