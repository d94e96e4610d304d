import type { Client } from '@tantamos/client';
import type { JobBody } from '@tantamos/contract';
import type { Edit } from '@tantamos/core';
import type { Command } from 'commander';
import { readFile, wholeNumber } from './options';
import { optionOf, saidEdits } from './places';
import { readSelection, withSelectionOptions, type SelectionOptions } from './selection-options';
import { UsageError } from './trouble';

export interface JobOptions extends SelectionOptions {
  readonly job?: string;
  readonly set?: Edit[];
  readonly fill?: Edit[];
  readonly clear?: Edit[];
  readonly empty?: Edit[];
  readonly batchSize?: number;
  readonly atOnce?: number;
  readonly pace?: number;
  readonly askAfter?: number;
  readonly atMost?: number;
  readonly why?: string;
}

/** The options that say a job. */
export function withJobOptions(command: Command): Command {
  const valued =
    (kind: 'set' | 'fill') =>
    (text: string, before: Edit[] = []): Edit[] => [...before, readValued(kind, text)];
  const named =
    (edit: (field: string) => Edit) =>
    (text: string, before: Edit[] = []): Edit[] => [...before, edit(text.trim())];
  return withSelectionOptions(command)
    .option('--set <field=value>', 'give the field this value (again for more fields)', valued('set'))
    .option('--fill <field=value>', 'the same, only where the field is blank', valued('fill'))
    .option(
      '--clear <field>',
      'leave the field without a value',
      named((field) => ({ kind: 'clear', field })),
    )
    .option(
      '--empty <field>',
      'give a text field the empty text',
      named((field) => ({ kind: 'set', field, value: '' })),
    )
    .option('--job <file>', 'the whole job as a JSON file; - for standard input')
    .option('--batch-size <n>', 'records in one batch, which is one transaction', wholeNumber('--batch-size'))
    .option('--at-once <n>', 'batches that work at the same time', wholeNumber('--at-once'))
    .option('--pace <percent>', 'share of the time spent working; the rest is left to others', wholeNumber('--pace'))
    .option('--ask-after <n>', 'stop and ask after the first N', wholeNumber('--ask-after'))
    .option('--at-most <n>', 'change nothing if more than N would change', wholeNumber('--at-most'))
    .option('--why <text>', 'the reason; it stays with the preview, run, undo and history');
}

/** The job that the options and the job file say; a pasted list is sent and matched first. */
export async function readJob(api: Client, type: string | undefined, options: JobOptions): Promise<JobBody> {
  const given = options.job === undefined ? undefined : readJobFile(options.job);
  const typeId = given?.selection.type ?? type;
  if (!typeId) throw new UsageError('Say which type of record: tantamos preview TYPE …');
  if (type !== undefined && given && given.selection.type !== type)
    throw new UsageError(`The job file is about ${given.selection.type}, not ${type}.`);
  const edits = [given?.edits, options.set, options.fill, options.clear, options.empty].flatMap((all) => all ?? []);
  saidEdits.splice(0, Infinity, ...edits.map((edit, i) => (i < (given?.edits.length ?? 0) ? '--job' : optionOf(edit))));
  const { batchSize, atOnce, pace, askAfter, atMost } = options;
  const safety = Object.fromEntries(
    Object.entries({ batchSize, atOnce, pace, askAfter, atMost }).filter(([, v]) => v !== undefined),
  );
  return {
    selection: { ...given?.selection, ...(await readSelection(api, typeId, options)) },
    edits,
    safety: { ...given?.safety, ...safety },
    ...(options.why === undefined ? (given?.why === undefined ? {} : { why: given.why }) : { why: options.why }),
  };
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
