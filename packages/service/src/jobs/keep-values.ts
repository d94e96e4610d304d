import type { KeptValuesBody } from '@tantamos/contract';
import { clip, fail, ProblemError, type Edit, type KeptValues } from '@tantamos/core';
import type { Database } from '../database/database';
import type { Seen } from '../rights/seen';
import type { Compiler } from './compiler';
import { keep } from './given';

/** Keeps a piece of values before a job is made of them, checked as the job's own would be. */
export async function keepValues(
  { database, compiler }: { readonly database: Database; readonly compiler: Compiler },
  seen: Seen,
  { type, field, by, into, keys, values }: KeptValuesBody,
): Promise<KeptValues> {
  if (keys.length !== values.length)
    fail('bad_value', `There are ${keys.length} keys and ${values.length} values.`, { where: 'values' });
  const edit: Edit =
    by === undefined
      ? { kind: 'put', field, values: byKey(keys, values) }
      : { kind: 'map', field, from: by, pairs: keys.map((old, i) => ({ old, new: values[i]! })) };
  const { job } = await atKeys(keys, () => compiler.job(seen, { selection: { type }, edits: [edit] }));
  const [change] = job.changes;
  seen.mustChange(job.selection.type, [change!.field.name]);
  const { value } = change!;
  if (value.from !== 'given' || 'kept' in value.given) throw new Error('These are no values one by one.');
  return keep(database, change!, value.given, job.selection.type.id, seen.person.id, into);
}

function byKey(keys: readonly string[], values: readonly string[]): Record<string, string> {
  const said = new Map<string, string>();
  keys.forEach((key, i) => {
    if (said.has(key)) fail('bad_value', `Two values are given for “${clip(key)}”.`, { where: `keys[${i}]` });
    said.set(key, values[i]!);
  });
  return Object.fromEntries(said);
}

/** Problems of the edit that the values were put into are told at the keys and values themselves. */
async function atKeys<T>(keys: readonly string[], work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const [first, ...more] = error.problems.map((problem) => ({ ...problem, where: placeOf(problem.where, keys) }));
    throw new ProblemError(first!, ...more);
  }
}

function placeOf(where: string | undefined, keys: readonly string[]): string | undefined {
  const pair = /^edits\[0\]\.pairs\[(\d+)\]\.(old|new)$/.exec(where ?? '');
  if (pair) return `${pair[2] === 'old' ? 'keys' : 'values'}[${pair[1]}]`;
  const put = /^edits\[0\]\.values\[(".*")\]$/s.exec(where ?? '');
  if (put) return `values[${keys.indexOf(JSON.parse(put[1]!) as string)}]`;
  return where?.replace(/^edits\[0\]\.(field|from)$/, (_, name: string) => (name === 'from' ? 'by' : name));
}
