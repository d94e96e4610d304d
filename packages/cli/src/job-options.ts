import { keysOfCause, type Client } from '@tantamos/client';
import type { JobBody, PreviewView } from '@tantamos/contract';
import { mended, type Edit } from '@tantamos/core';
import { findPreview } from './ids';
import type { Command } from 'commander';
import { readFile } from './options';
import { safetySaid, withSafetyOptions, type SafetyOptions } from './safety-options';
import { saidIn } from './edit-options';
import { doneIn, readLater, withPartOptions, type PartOptions } from './part-options';
import { tellPlaces } from './places';
import { keysOf, readSelection } from './selection-options';
import { sentAhead } from './send-ahead';
import { UsageError } from './trouble';

export interface JobOptions extends PartOptions, SafetyOptions {
  readonly job?: string;
  readonly again?: string;
  readonly mend?: string;
  readonly dropCause?: string;
  readonly why?: string;
}

/** The options that say a job. */
export function withJobOptions(command: Command): Command {
  return withSafetyOptions(
    withPartOptions(command).option('--job <file>', 'the whole job as a JSON file; - for standard input'),
  )
    .option(
      '--then <type>',
      'a further part, with options of its own: which records of that type (--follow FIELD: those of the part before), and what is done to them',
    )
    .option('--why <text>', 'the reason; it stays with the preview, run, undo and history');
}

/** The job that the options and the job file say; a pasted list is sent and matched first. */
export async function readJob(api: Client, type: string | undefined, options: JobOptions): Promise<JobBody> {
  const given = await jobBefore(api, options);
  const typeId = given?.selection.type ?? type;
  if (!typeId) throw new UsageError('Say which type of record: tantamos preview TYPE …');
  if (type !== undefined && given && given.selection.type !== type)
    throw new UsageError(`The job file is about ${given.selection.type}, not ${type}.`);
  const said = saidIn(options);
  // What is said of a field again is said instead.
  const isAnew = (edit: Edit): boolean =>
    options.again !== undefined && said.some((s) => s.edit.field.toLowerCase() === edit.field.toLowerCase());
  const before = (given?.edits ?? []).filter((edit) => !isAnew(edit));
  const all = [...before, ...said.map((e) => e.edit)];
  const later = await readLater(api);
  tellPlaces([[...before.map((edit) => ({ edit, option: '--job' })), ...said], ...later.said]);
  const edits: Edit[] = [];
  for (const [i, edit] of all.entries()) edits.push(await sentAhead(api, typeId, edit, i));
  const safety = await safetySaid(api, options);
  const then = [...(given?.then ?? []), ...later.parts];
  return {
    selection: {
      ...given?.selection,
      ...(await readSelection(api, typeId, options)),
      // Of a preview that is made again everything that was left out stays so.
      ...(options.again === undefined ? {} : { drop: given?.selection.drop }),
    },
    edits,
    ...(given?.act === undefined ? {} : { act: given.act }),
    ...(given?.also === undefined ? {} : { also: given.also }),
    ...(given?.writeAgain === undefined ? {} : { writeAgain: given.writeAgain }),
    ...(await doneIn(api, options)),
    ...(then.length > 0 ? { then } : {}),
    safety: { ...given?.safety, ...safety },
    ...(given?.after === undefined ? {} : { after: given.after }),
    ...(options.why === undefined ? (given?.why === undefined ? {} : { why: given.why }) : { why: options.why }),
  };
}

/** The job to begin with: that of a file, or that of a preview with what is to be otherwise. */
async function jobBefore(api: Client, options: JobOptions): Promise<JobBody | undefined> {
  const { job: file, again, mend: code, drop, dropCause } = options;
  if (again !== undefined && file !== undefined) throw new UsageError('Say --job or --again, not both.');
  if (code !== undefined && again === undefined) throw new UsageError('--mend goes with --again PREVIEW.');
  if (dropCause !== undefined && again === undefined) throw new UsageError('--drop-cause goes with --again PREVIEW.');
  if (again === undefined) return file === undefined ? undefined : readJobFile(file);
  const p = await findPreview(api, again);
  if (p.kind === 'undo') throw new UsageError('This preview takes a run back; it is made again by: tantamos undo RUN');
  if (!p.job) throw new UsageError('The job of this preview holds what you may not see.');
  const offered = p.notes.flatMap((n) => (n.mend ? [n.code] : []));
  const mend = p.notes.find((n) => n.mend && n.code === code)?.mend;
  if (code !== undefined && !mend)
    throw new UsageError(
      `This preview offers ${offered.length > 0 ? `${offered.join(', ')}, not ${code}` : 'nothing to mend'}.`,
    );
  const left = dropCause === undefined ? [] : await keysOfCause(api, p.id, causeOf(p, dropCause));
  const dropped = { drop: [...(drop === undefined ? [] : keysOf(drop)), ...left] };
  return { ...mended(mended(p.job, mend ?? {}), dropped), after: p.id } as JobBody;
}

/** The reason that is meant: by its words, or by some of them that no other one says. */
export function causeOf({ causes }: Pick<PreviewView, 'causes'>, said: string): string {
  const is = causes.find((c) => c.cause === said);
  if (is) return is.cause;
  const like = causes.filter((c) => c.cause.toLowerCase().includes(said.toLowerCase()));
  if (like.length === 1) return like[0]!.cause;
  const offered = (like.length > 0 ? like : causes).map((c) => `  ${c.cause}`).join('\n');
  if (offered === '') throw new UsageError('No record of this preview is not allowed.');
  throw new UsageError(
    `${like.length > 0 ? `Several reasons say “${said}”` : `No reason says “${said}”`}:\n${offered}`,
  );
}

function readJobFile(path: string): JobBody {
  const text = readFile(path);
  try {
    const job = JSON.parse(text) as JobBody;
    if (typeof job === 'object' && job !== null && typeof job.selection === 'object') return job;
  } catch {
    // told below
  }
  throw new UsageError(`${path} is not a job: a JSON object with selection and edits.`);
}
