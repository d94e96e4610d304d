import {
  canonicalKey,
  constantsOf,
  filledIn,
  type Catalog,
  type Context,
  type Job,
  type JobInput,
  type NameQuestion,
} from '@tantamos/core';
import { answerNames } from '../catalog/names';
import type { Database } from '../database/database';
import type { FileAsked } from './filed';

/** A saved job: what it says, what it asks for, and how its records are looked at. */
export interface SavedJobSaid {
  readonly job: Job;
  readonly inputs: readonly JobInput[];
  readonly look: { readonly columns?: readonly string[]; readonly sort?: readonly string[] };
  /** Where its values come out of a file, another of which is asked for each time. */
  readonly file?: FileAsked;
  /** Names of the records that it speaks of, as they were when it was saved: by type, then by what is said of each. */
  readonly names?: Readonly<Record<string, Readonly<Record<string, string>>>>;
}

/** The names of the records that stand in a job, by type, then by what is said of each there. */
export async function namesIn(
  database: Database,
  job: Job,
  catalog: Catalog,
): Promise<Readonly<Record<string, Readonly<Record<string, string>>>>> {
  const named = constantsOf(job, catalog).filter((c) => c.kind === 'record');
  const answers = await answerNames(
    database,
    catalog,
    named.map((c): NameQuestion => ({ typeId: c.type!, text: c.text })),
  );
  const names: Record<string, Record<string, string>> = {};
  for (const { type, text } of named) {
    const name = answers.record(type!, text)?.name;
    if (name) (names[type!] ??= {})[text] = name;
  }
  return names;
}

/** The job with every name of a record that stands in it replaced by the key it means, so that it goes on meaning that one. */
export async function boundJob(database: Database, job: Job, catalog: Catalog, context: Context): Promise<Job> {
  const named = constantsOf(job, catalog).filter((c) => c.kind === 'record');
  const questions = named.map((c): NameQuestion => ({ typeId: c.type!, text: c.text, where: c.spot.at.slice(1) }));
  const answers = await answerNames(database, catalog, questions);
  const inputs = named.map((c, i): JobInput => ({ name: `n${i}`, label: c.label, spots: [c.spot] }));
  const keys = questions.map((q, i): [string, string] => [
    `n${i}`,
    canonicalKey(catalog.type(q.typeId), answers.key(q, catalog)),
  ]);
  return filledIn(job, inputs, Object.fromEntries(keys), catalog, context);
}
