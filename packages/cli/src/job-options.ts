import { keysOfCause, type Client } from '@tantamos/client';
import type { JobBody, PreviewView } from '@tantamos/contract';
import { editHelp, editKinds, mended, type Edit } from '@tantamos/core';
import { findPreview } from './ids';
import type { Command } from 'commander';
import { readFile, wholeNumber } from './options';
import { readEdit, usageOf } from './edit-words';
import { tellPlaces, type SaidEdits } from './places';
import { keysOf, readSelection, withSelectionOptions, type SelectionOptions } from './selection-options';
import { sentAhead } from './send-ahead';
import { UsageError } from './trouble';

export interface JobOptions extends SelectionOptions {
  readonly job?: string;
  readonly again?: string;
  readonly mend?: string;
  readonly dropCause?: string;
  /** The edits of all options, in the order in which they were said; each option holds the same. */
  readonly set?: SaidEdits;
  readonly batchSize?: number;
  readonly atOnce?: number;
  readonly pace?: number;
  readonly askAfter?: number;
  readonly atMost?: number;
  readonly why?: string;
  readonly writeAgain?: boolean;
}

/** The options that say edits; `saidIn` reads them. */
export function withEditOptions(command: Command): Command {
  const said: SaidEdits = [];
  const edit =
    (make: (text: string) => Edit | readonly Edit[], option: string) =>
    (text: string): SaidEdits => {
      for (const one of [make(text)].flat() as Edit[]) said.push({ edit: one, option });
      return said;
    };
  const onlyWhere = (filter: string): SaidEdits => {
    const last = said.at(-1);
    if (!last) throw new UsageError('--only-where is of the edit before it, and there is none.');
    said.splice(-1, 1, { ...last, edit: { ...last.edit, where: filter } });
    return said;
  };
  const withEdits = command
    .option(
      '--set <field=value>',
      'give the field this value (again for more fields); in a text, {…} is worked out',
      edit((t) => readValued('set', t), '--set'),
    )
    .option(
      '--fill <field=value>',
      'the same, only where the field is blank',
      edit((t) => readValued('fill', t), '--fill'),
    )
    .option(
      '--clear <field>',
      'leave the field without a value',
      edit((t) => ({ kind: 'clear', field: t.trim() }), '--clear'),
    )
    .option(
      '--empty <field>',
      'give a text field the empty text',
      edit((t) => ({ kind: 'set', field: t.trim(), value: '' }), '--empty'),
    )
    .option('--compute <field=expression>', lowered(editHelp('compute').doc), edit(readFormula, '--compute'));
  for (const kind of worded)
    withEdits.option(
      `--${kind} <words>`,
      `${lowered(editHelp(kind).doc)}: ${usageOf(kind).replace(`--${kind} `, '')}`,
      edit((t) => readEdit(kind, t), `--${kind}`),
    );
  return withEdits
    .option('--edit <file>', 'an edit, or several, as JSON; - for standard input', edit(readEditFile, '--edit'))
    .option('--only-where <filter>', 'the edit just said only where this holds', onlyWhere);
}

/** The options that say a job. */
export function withJobOptions(command: Command): Command {
  return withEditOptions(withSelectionOptions(command))
    .option('--job <file>', 'the whole job as a JSON file; - for standard input')
    .option('--batch-size <n>', 'records in one batch, which is one transaction', wholeNumber('--batch-size'))
    .option('--at-once <n>', 'batches that work at the same time', wholeNumber('--at-once'))
    .option('--pace <percent>', 'share of the time spent working; the rest is left to others', wholeNumber('--pace'))
    .option('--ask-after <n>', 'stop and ask after the first N', wholeNumber('--ask-after'))
    .option('--at-most <n>', 'change nothing if more than N would change', wholeNumber('--at-most'))
    .option('--write-again', 'write values that are right already, too, so that triggers fire')
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
  tellPlaces([...before.map((edit) => ({ edit, option: '--job' })), ...said]);
  const edits: Edit[] = [];
  for (const [i, edit] of all.entries()) edits.push(await sentAhead(api, typeId, edit, i));
  const { batchSize, atOnce, pace, askAfter, atMost } = options;
  const safety = Object.fromEntries(
    Object.entries({ batchSize, atOnce, pace, askAfter, atMost }).filter(([, v]) => v !== undefined),
  );
  const writeAgain = options.writeAgain ?? given?.writeAgain;
  return {
    selection: {
      ...given?.selection,
      ...(await readSelection(api, typeId, options)),
      // Of a preview that is made again everything that was left out stays so.
      ...(options.again === undefined ? {} : { drop: given?.selection.drop }),
    },
    edits,
    safety: { ...given?.safety, ...safety },
    ...(given?.after === undefined ? {} : { after: given.after }),
    ...(writeAgain === undefined ? {} : { writeAgain }),
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

/** Edits that are said as words; what comes before them here has a form of its own. */
const worded = editKinds.filter((kind) => !['set', 'fill', 'clear', 'compute', 'put'].includes(kind));

const lowered = (doc: string): string => `${doc[0]!.toLowerCase()}${doc.slice(1).replace(/\.$/, '')}`;

/** Whichever option was said holds what all of them said. */
export function saidIn(options: JobOptions): SaidEdits {
  const all = options as Readonly<Record<string, unknown>>;
  const option = [...editKinds, 'empty', 'edit', 'onlyWhere'].find((name) => Array.isArray(all[name]));
  return option === undefined ? [] : (all[option] as SaidEdits);
}

/** `field = expression` */
function readFormula(text: string): Edit {
  const at = text.indexOf('=');
  const [field, formula] = [text.slice(0, at).trim(), text.slice(at + 1).trim()];
  if (at < 1 || formula === '')
    throw new UsageError(`--compute takes 'FIELD = EXPRESSION', such as --compute 'hives = hives * 2', not “${text}”.`);
  return { kind: 'compute', field, formula };
}

function readEditFile(path: string): readonly Edit[] {
  try {
    const read = JSON.parse(readFile(path)) as Edit | Edit[];
    if (typeof read === 'object' && read !== null) return [read].flat();
  } catch (error) {
    if (error instanceof UsageError) throw error;
  }
  throw new UsageError(`${path} holds no edits: a JSON object with kind and field, or a list of such.`);
}

/** `field=text`: everything after the first = is the text, as it stands. */
function readValued(kind: 'set' | 'fill', text: string): Edit {
  const at = text.indexOf('=');
  if (at < 1) throw new UsageError(`--${kind} takes FIELD=VALUE, such as --${kind} status=confirmed, not “${text}”.`);
  const field = text.slice(0, at).trim();
  const value = text.slice(at + 1);
  if (value === '')
    throw new UsageError(
      `--${kind} ${field}= says no value. To leave it blank: --clear ${field}; for the empty text: --empty ${field}`,
    );
  return { kind, field, value };
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
