import type { Client } from '@tantamos/client';
import type { JournalRecord } from '@tantamos/contract';
import { shortId } from '@tantamos/core';
import { findRun } from '../ids';
import { wholeNumber } from '../job-options';
import { moment, number, out, print, readFormat, talk } from '../output';
import { codeOf } from '../progress';
import { client } from '../session';
import { showRecords, showRun, stateText } from '../show';
import { acting, type Verb } from './verb';

export const result: Verb = (program) => {
  program
    .command('result')
    .argument('<run>', 'its id, or “last”')
    .description('what a run did: totals, and every record with its outcome')
    .option(
      '--outcome <outcome>',
      'only changed, already_right, not_allowed, edited_since, refused, in_use, gone or not_yet',
    )
    .option('--limit <n>', 'records to show', wholeNumber('--limit'), 20)
    .option('--format <format>', 'table, json, jsonl or csv; csv and jsonl give every record', 'table')
    .action(
      acting(async (said: string, o: { outcome?: string; limit: number; format: string }) => {
        const api = client();
        const run = await findRun(api, said);
        if (readFormat(o.format) === 'table') {
          showRun(run);
          out('');
        }
        await sendRecords(api, 'runs', run.id, o, (records) => showRecords(records, false));
        return codeOf(run);
      }),
    );

  program
    .command('runs')
    .description('runs, newest first')
    .option('--limit <n>', 'runs to show', wholeNumber('--limit'), 20)
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { limit: number; format: string }) => {
        const all = await client().runs({ limit: o.limit });
        const rows = all.map((r) => [
          shortId(r.id),
          moment(r.startedAt),
          r.startedBy,
          stateText(r),
          number(r.totals.changed),
          number(r.totals.matched),
          r.sentence,
        ]);
        print(
          {
            columns: ['run', 'started', 'by', 'state', 'changed', 'matched', 'job'],
            numbers: ['changed', 'matched'],
            rows,
          },
          readFormat(o.format),
          all,
        );
        if (all.length === 0) talk('There are no runs yet.');
      }),
    );
};

/** The records of a preview or run: a page for people and json, all of them as a stream for csv and jsonl. */
export async function sendRecords(
  api: Client,
  of: 'previews' | 'runs',
  id: string,
  o: { outcome?: string; limit: number; format: string },
  show: (records: readonly JournalRecord[]) => void,
): Promise<void> {
  const format = readFormat(o.format);
  if (format === 'csv' || format === 'jsonl') {
    for await (const text of await api.exported(of, id, { format, outcome: o.outcome })) process.stdout.write(text);
    return;
  }
  const query = { outcome: o.outcome as never, limit: Math.min(500, Math.max(1, o.limit)) };
  const page = of === 'runs' ? await api.runRecords(id, query) : await api.previewRecords(id, query);
  if (format === 'json') print({ columns: [], rows: [] }, 'json', page.records);
  else show(page.records);
  if (page.next) talk('… more; --limit N shows more, --format csv gives all');
}
