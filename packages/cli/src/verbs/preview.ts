import { randomUUID } from 'node:crypto';
import type { PreviewView, SelectionBody } from '@tantamos/contract';
import { picks } from '@tantamos/core';
import type { Client } from '@tantamos/client';
import { exitCodes } from '../exit';
import { shortId, verdicts } from '@tantamos/core';
import { findPreview } from '../ids';
import { causeOf } from '../job-options';
import { listed, moment, number, print, readFormat, talk, printJson } from '../output';
import { followPreview } from '../progress';
import { client } from '../session';
import { isOverMost, showDifferences, showPreview, showRecords } from '../show';
import { acting, type Verb } from './verb';
import { askAboutLiterals } from '../literals';
import { remember } from '../recent';
import { showWhy } from './find';
import { sendRecords } from './result';
import { wholeNumber } from '../options';
import { UsageError } from '../trouble';
import { readValuesJob, withValuesOptions, type ValuesOptions } from '../values';

interface PreviewOptions extends ValuesOptions {
  readonly format: string;
}

interface LookOptions {
  readonly outcome?: string;
  readonly cause?: string;
  readonly pick?: string;
  readonly field?: string;
  readonly against?: string;
  readonly limit?: number;
  readonly format: string;
}

export const preview: Verb = (program) => {
  withValuesOptions(
    program
      .command('preview')
      .argument('[type]')
      .description('work a job out: which records, old and new values, totals; nothing is changed'),
  )
    .option('--again <preview>', 'the job of this preview once more, with what else is said here')
    .option('--mend <code>', 'what a note of that preview offers')
    .option('--drop-cause <words>', 'without those that it does not allow for this reason')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (type: string | undefined, o: PreviewOptions) => {
        const api = client();
        // Before “last” is nobody's.
        const again = o.again === undefined ? undefined : (await findPreview(api, o.again)).id;
        remember('preview', null);
        const job = await readValuesJob(api, type, { ...o, again });
        if (job === null) return exitCodes.problems;
        await askAboutLiterals(api, job);
        return finish(api, await api.makePreview(job, { once: randomUUID() }), o.format);
      }),
    );

  program
    .command('look')
    .argument('<preview>', 'its id, or “last”')
    .description('look at the records of a preview, old and new')
    .option('--outcome <outcome>', listed(verdicts))
    .option('--cause <words>', 'those that are not allowed for this reason, or one that says these words')
    .option('--pick <what>', `a few that are worth a look: ${listed(picks)}`)
    .option('--field <field>', 'of which field; the first one changed where nothing is said')
    .option('--against <preview>', 'what differs from this other preview')
    .option('--limit <n>', 'records to give (20; of csv and jsonl all)', wholeNumber('--limit'))
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (said: string, o: LookOptions) => {
        const api = client();
        const p = await findPreview(api, said);
        if (o.against !== undefined) {
          const d = await api.previewDifferences(p.id, { with: (await findPreview(api, o.against)).id });
          if (readFormat(o.format) !== 'table') return printJson(readFormat(o.format), d);
          return showDifferences(d, o.limit ?? 20);
        }
        if (o.cause !== undefined && o.pick !== undefined) throw new UsageError('Say --cause or --pick, not both.');
        const cause = o.cause === undefined ? undefined : causeOf(p, o.cause);
        if (o.field !== undefined && o.pick === undefined) throw new UsageError('--field goes with --pick.');
        if (readFormat(o.format) === 'table' && o.pick === undefined && cause === undefined) showPreview(p);
        return sendRecords(api, 'previews', p.id, { ...o, cause }, (records) => showRecords(records));
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
          number(p.totals.will_change),
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
export async function finish(
  api: Client,
  made: PreviewView,
  format: string,
  o: { readonly quiet?: boolean } = {},
): Promise<number> {
  remember('preview', null);
  const p = await followPreview(api, made, o.quiet);
  if (p.state !== 'ready') {
    talk(`error: ${p.trouble ?? 'The preview was cancelled.'}`);
    return exitCodes.problems;
  }
  remember('preview', p.id);
  if (readFormat(format) === 'table' && !o.quiet) showPreview(p);
  else if (!o.quiet) printJson(readFormat(format), p);
  if (p.totals.matched === 0 && p.job && format === 'table') await showWhy(api, p.job.selection as SelectionBody);
  if (isOverMost(p)) {
    talk(
      `error: ${number(p.totals.will_change)} would change, more than the ${number(p.job!.safety!.atMost!)} of --at-most. This preview cannot be started.`,
    );
    return exitCodes.stoppedByLimit;
  }
  return p.totals.will_change === 0 ? exitCodes.nothingToDo : exitCodes.done;
}
