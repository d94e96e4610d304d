import type { Client } from '@tantamos/client';
import type { EditBody, JobBody } from '@tantamos/contract';
import type { Command } from 'commander';
import { readFile, readSelection, withSelectionOptions, type SelectionOptions } from './selection-options';
import { UsageError } from './trouble';

export interface JobOptions extends SelectionOptions {
  readonly job?: string;
  readonly set?: EditBody[];
  readonly fill?: EditBody[];
  readonly batchSize?: number;
  readonly atOnce?: number;
  readonly pace?: number;
  readonly askAfter?: number;
  readonly atMost?: number;
  readonly why?: string;
}

/** The options that say a job. */
export function withJobOptions(command: Command): Command {
  const edit =
    (kind: EditBody['kind']) =>
    (text: string, before: EditBody[] = []) => [...before, readEdit(kind, text)];
  return withSelectionOptions(command)
    .option('--set <field=value>', 'give the field this value (again for more fields)', edit('set'))
    .option('--fill <field=value>', 'the same, only where the field is blank', edit('fill'))
    .option('--job <file>', 'the whole job as a JSON file; - for standard input')
    .option('--batch-size <n>', 'records in one batch, which is one transaction', wholeNumber('--batch-size'))
    .option('--at-once <n>', 'batches that work at the same time', wholeNumber('--at-once'))
    .option('--pace <percent>', 'share of the time spent working; the rest is left to others', wholeNumber('--pace'))
    .option('--ask-after <n>', 'stop and ask after the first N', wholeNumber('--ask-after'))
    .option('--at-most <n>', 'stop, changing nothing, if more than N would change', wholeNumber('--at-most'))
    .option('--why <text>', 'the reason; it stays with the preview, run, undo and history');
}

/** The job that the options and the job file say; a pasted list is sent and matched first. */
export async function readJob(api: Client, type: string | undefined, options: JobOptions): Promise<JobBody> {
  const given = options.job === undefined ? undefined : readJobFile(options.job);
  const typeId = given?.selection.type ?? type;
  if (!typeId) throw new UsageError('Say which type of record: tantamos preview TYPE …');
  if (type !== undefined && given && given.selection.type !== type)
    throw new UsageError(`The job file is about ${given.selection.type}, not ${type}.`);
  const { batchSize, atOnce, pace, askAfter, atMost } = options;
  const safety = Object.fromEntries(
    Object.entries({ batchSize, atOnce, pace, askAfter, atMost }).filter(([, v]) => v !== undefined),
  );
  return {
    selection: { ...given?.selection, ...(await readSelection(api, typeId, options)) },
    edits: [...(given?.edits ?? []), ...(options.set ?? []), ...(options.fill ?? [])],
    safety: { ...given?.safety, ...safety },
    ...(options.why === undefined ? (given?.why === undefined ? {} : { why: given.why }) : { why: options.why }),
  };
}

export function wholeNumber(option: string) {
  return (text: string): number => {
    if (!/^\d{1,9}$/.test(text)) throw new UsageError(`${option} takes a whole number, not “${text}”.`);
    return Number(text);
  };
}

/** `field=text`: everything after the first = is the text, as it stands. */
function readEdit(kind: EditBody['kind'], text: string): EditBody {
  const at = text.indexOf('=');
  if (at < 1) throw new UsageError(`--${kind} takes FIELD=VALUE, such as --${kind} status=confirmed, not “${text}”.`);
  return { kind, field: text.slice(0, at).trim(), value: text.slice(at + 1) };
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
