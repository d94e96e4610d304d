import type { Client } from '@tantamos/client';
import type { FileWork, JobBody } from '@tantamos/contract';
import type { Command } from 'commander';
import { planned, withFileOptions, type FileOptions } from './file-options';
import { readJob, withJobOptions, type JobOptions } from './job-options';
import { remember, rememberFile } from './recent';
import { UsageError } from './trouble';

export interface ValuesOptions extends JobOptions, Omit<FileOptions, 'match' | 'unknown' | 'several'> {
  readonly values?: string;
}

/** The options that say a job, whose values may come out of a file. */
export function withValuesOptions(command: Command): Command {
  return withFileOptions(withJobOptions(command)).option(
    '--values <file>',
    'values from a file: CSV, XLSX or JSON Lines; - for standard input',
  );
}

/** The job that the options say, with what the rows of a file do; null where that is stopped, which has been told. */
export async function readValuesJob(api: Client, type: string | undefined, o: ValuesOptions): Promise<JobBody | null> {
  const filed = o.values === undefined ? null : await ofFile(api, type, o.values, o);
  if (filed?.stopped != null) return null;
  const said = await readJob(api, type, o);
  return filed ? together(filed.job as JobBody, said) : said;
}

async function ofFile(api: Client, type: string | undefined, path: string, o: ValuesOptions): Promise<FileWork> {
  if (type === undefined) throw new UsageError('Say of which type: tantamos preview TYPE --values FILE …');
  if (o.list !== undefined) throw new UsageError('Say --values or --list, not both.');
  if (o.again !== undefined || o.job !== undefined)
    throw new UsageError('--values begins a job of its own: leave out --again and --job.');
  remember('file', null);
  const work = await planned(api, type, path, o);
  rememberFile(work.file.id);
  return work;
}

/** What a file does, with what else is said. */
function together(filed: JobBody, said: JobBody): JobBody {
  const then = [...(filed.then ?? []), ...(said.then ?? [])];
  const { list } = filed.selection;
  return {
    ...said,
    ...(filed.act === undefined ? {} : { act: filed.act }),
    ...(filed.from === undefined ? {} : { from: filed.from }),
    selection: { ...said.selection, ...(list ? { list } : {}) },
    edits: [...said.edits, ...filed.edits],
    ...(then.length > 0 ? { then } : {}),
  };
}
