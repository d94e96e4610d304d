import { savedJobsFileKind, type ImportJobsBody, type SavedJobBody, type SavedJobView } from '@tantamos/contract';
import {
  clip,
  constantsOf,
  fail,
  filledIn,
  Gathered,
  type Catalog,
  type Context,
  type Job,
  type NameQuestion,
} from '@tantamos/core';
import { answerNames } from '../catalog/names';
import type { Database } from '../database/database';
import type { Seen } from '../rights/seen';
import { plainJob } from '../selections/plain';
import type { SavedJobs } from './saved-jobs';

/** So many names are asked about at once. */
const mostAsked = 20;

type Keys = Readonly<Record<string, Readonly<Record<string, string>>>>;

/** Saved jobs as a file: what people said, and the keys of the records that they named. */
export async function fileOf(database: Database, catalog: Catalog, all: readonly SavedJobView[]): Promise<string> {
  const jobs = [];
  for (const { name, folder, note, open, job, inputs, look } of all)
    jobs.push({ name, folder, note, open, job, inputs, look, keys: await keysIn(database, job, catalog) });
  return JSON.stringify({ tantamos: savedJobsFileKind, exportedAt: new Date().toISOString(), jobs });
}

/** Takes all of a file, or nothing. */
export async function takeFile(
  services: { readonly database: Database; readonly savedJobs: SavedJobs },
  seen: Seen,
  context: Context,
  { file, taken = 'refuse', names = {} }: ImportJobsBody,
): Promise<SavedJobView[]> {
  const { database, savedJobs } = services;
  const known = new Set((await savedJobs.list(seen)).map((j) => j.name.toLowerCase()));
  const called = file.jobs.map((j) => j.name.trim().toLowerCase());
  const twice = file.jobs.find((_, i) => called.indexOf(called[i]!) !== i);
  if (twice) fail('name_taken', `The file has “${twice.name}” twice.`, { where: 'file' });
  const clash = file.jobs.filter((j) => known.has(j.name.trim().toLowerCase()));
  if (taken === 'refuse' && clash.length > 0)
    fail('name_taken', `These names are taken: ${clash.map((j) => j.name).join(', ')}. Skip them, or replace them.`, {
      where: 'taken',
    });
  const bodies: SavedJobBody[] = [];
  for (const { keys = {}, ...body } of taken === 'skip' ? file.jobs.filter((j) => !clash.includes(j)) : file.jobs) {
    const job = await meantHere(database, seen.catalog, context, plainJob(body.job), keys, names);
    bodies.push({ ...body, job: job as SavedJobBody['job'] });
  }
  return savedJobs.saveAll(seen, bodies);
}

async function keysIn(database: Database, job: Job, catalog: Catalog): Promise<Keys> {
  const named = constantsOf(job, catalog).filter((c) => c.kind === 'record');
  const answers = await answerNames(database, catalog, questionsAbout(named));
  const keys: Record<string, Record<string, string>> = {};
  for (const question of questionsAbout(named)) {
    const found = answers.found(question);
    if (found.length === 1) (keys[question.typeId] ??= {})[question.text] = found[0]!.key;
  }
  return keys;
}

/**
 * The job with whom `names` says in the places of names of the file. A name that nobody has here, that two have, or that is
 * somebody else’s here than where the file comes from is asked about, all of them at once.
 */
async function meantHere(
  database: Database,
  catalog: Catalog,
  context: Context,
  job: Job,
  keys: Keys,
  names: Readonly<Record<string, string>>,
): Promise<Job> {
  const said = new Map(Object.entries(names));
  const named = constantsOf(job, catalog).filter((c) => c.kind === 'record');
  const open = questionsAbout(named.filter((c) => !said.has(c.text)));
  const answers = await answerNames(database, catalog, open);
  const asked = new Gathered();
  for (const question of new Map(open.map((q) => [`${q.typeId}\n${q.text}`, q])).values())
    asked.gather(() => {
      const { typeId, text } = question;
      const where = `names.${text}`;
      const here = answers.key({ ...question, where }, catalog);
      const there = keys[typeId]?.[text];
      if (there === undefined || there === here) return;
      fail(
        'ambiguous_name',
        `“${clip(text)}” is ${here} here and was ${clip(there)} where the file comes from: say who is meant.`,
        { where, suggestions: [text] },
      );
    });
  asked.raise(mostAsked);
  const meant = named.filter((c) => said.has(c.text));
  const inputs = meant.map((c, i) => ({ name: `n${i}`, label: c.label, spots: [c.spot] }));
  return filledIn(job, inputs, Object.fromEntries(meant.map((c, i) => [`n${i}`, said.get(c.text)!])), catalog, context);
}

function questionsAbout(named: readonly { readonly type: string | null; readonly text: string }[]): NameQuestion[] {
  return named.map(({ type, text }) => ({ typeId: type!, text }));
}
