import { randomUUID } from 'node:crypto';
import type { PreviewView } from '@tantamos/contract';
import type { Client } from '@tantamos/client';
import { exitCodes } from '../exit';
import { shortId } from '@tantamos/core';
import { findPreview } from '../ids';
import { readJob, wholeNumber, withJobOptions, type JobOptions } from '../job-options';
import { moment, number, print, readFormat, talk } from '../output';
import { followPreview } from '../progress';
import { client } from '../session';
import { showPreview, showRecords } from '../show';
import { acting, type Verb } from './verb';
import { sendRecords } from './result';

export const preview: Verb = (program) => {
  withJobOptions(
    program
      .command('preview')
      .argument('[type]')
      .description('work a job out: which records, old and new values, totals; nothing is changed'),
  )
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (type: string | undefined, o: JobOptions & { format: string }) => {
        const api = client();
        return finish(api, await api.makePreview(await readJob(api, type, o), randomUUID()), o.format);
      }),
    );

  program
    .command('look')
    .argument('<preview>', 'its id, or “last”')
    .description('look at the records of a preview, old and new')
    .option('--outcome <outcome>', 'will_change, already_right, not_allowed, edited_since or gone')
    .option('--limit <n>', 'records to show', wholeNumber('--limit'), 20)
    .option('--format <format>', 'table, json, jsonl or csv; csv and jsonl give every record', 'table')
    .action(
      acting(async (said: string, o: { outcome?: string; limit: number; format: string }) => {
        const api = client();
        const p = await findPreview(api, said);
        if (readFormat(o.format) === 'table') showPreview(p);
        return sendRecords(api, 'previews', p.id, o, (records) => showRecords(records, true));
      }),
    );

  program
    .command('previews')
    .description('previews not started yet')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().previews();
        const rows = all.map((p) => [
          shortId(p.id),
          moment(p.madeAt),
          p.madeBy,
          p.expired ? 'expired' : p.state,
          number(p.totals.not_yet),
          p.sentence,
        ]);
        print(
          { columns: ['preview', 'made', 'by', 'state', 'will change', 'job'], numbers: ['will change'], rows },
          readFormat(o.format),
          all,
        );
        if (all.length === 0) talk('No preview waits to be started.');
      }),
    );
};

/** Waits for a preview, shows it, and says with the exit code whether there is anything to run. */
export async function finish(api: Client, made: PreviewView, format: string): Promise<number> {
  const p = await followPreview(api, made);
  if (p.state !== 'ready') {
    talk(`error: ${p.trouble ?? 'The preview was cancelled.'}`);
    return exitCodes.problems;
  }
  if (readFormat(format) === 'table') showPreview(p);
  else print({ columns: [], rows: [] }, 'json', p);
  const atMost = p.job.safety?.atMost ?? null;
  if (p.kind === 'edit' && atMost !== null && p.totals.not_yet > atMost) {
    talk(
      `error: ${number(p.totals.not_yet)} would change, more than the ${number(atMost)} of --at-most. This preview cannot be started.`,
    );
    return exitCodes.stoppedByLimit;
  }
  return p.totals.not_yet === 0 ? exitCodes.nothingToDo : exitCodes.done;
}
