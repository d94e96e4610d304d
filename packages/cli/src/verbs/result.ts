import type { Client } from '@tantamos/client';
import type { JournalQuery, JournalRecord, PreviewJournalQuery } from '@tantamos/contract';
import { doneShort, outcomes, shortId } from '@tantamos/core';
import { findRun } from '../ids';

import { listed, moment, number, out, print, readFormat, talk, outFile, printJson } from '../output';
import { client } from '../session';
import { showRecords, showRun, stateText } from '../show';
import { acting, type Verb } from './verb';
import { wholeNumber } from '../options';

export const result: Verb = (program) => {
  program
    .command('result')
    .argument('<run>', 'its id, or “last”')
    .description('what a run did: totals, and every record with its outcome')
    .option('--outcome <outcome>', `only ${listed(outcomes)}`)
    .option('--cause <words>', 'only those left for this reason, in the words of causes')
    .option('--before', 'what the records that it changed were, as CSV for COPY')
    .option('--limit <n>', 'records to give (20; of csv and jsonl all)', wholeNumber('--limit'))
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(
        async (
          said: string,
          o: { outcome?: string; cause?: string; before?: true; limit?: number; format: string },
        ) => {
          const api = client();
          const run = await findRun(api, said);
          if (o.before) {
            const file = await api.files.runRecords(run.id, { format: 'csv', image: 'before' });
            // In a file or a pipe it is loaded, so it stays as it is.
            for await (const text of file.pieces())
              if (process.stdout.isTTY) outFile(text, 'csv');
              else process.stdout.write(text);
            return;
          }
          if (readFormat(o.format) === 'table') {
            showRun(run);
            out('');
          }
          // Asked and answered: how the run stands is in what is told.
          await sendRecords(api, 'runs', run.id, o, (records) => showRecords(records));
        },
      ),
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
          doneShort(r.parts),
          number(r.totals.matched),
          r.sentence,
          r.why,
        ]);
        print(
          {
            columns: ['run', 'started', 'by', 'state', 'done', 'matched', 'job', 'why'],
            numbers: ['done', 'matched'],
            whole: ['job', 'why'],
            rows,
          },
          readFormat(o.format),
          all,
        );
        if (all.length === 0) talk('There are no runs yet.');
      }),
    );
};

/** What was typed; the service says what there is. */
type Told = JournalQuery['outcome'];

/** The records of a preview or run: a page for people and json, all of them as a stream for csv and jsonl. */
export async function sendRecords(
  api: Client,
  of: 'previews' | 'runs',
  id: string,
  o: { outcome?: string; cause?: string; limit?: number; format: string; pick?: string; field?: string; raw?: boolean },
  show: (records: readonly JournalRecord[]) => void,
): Promise<void> {
  const format = readFormat(o.format);
  if (format === 'csv' || format === 'jsonl') {
    const raw = o.raw && format === 'csv' ? ({ raw: 'true' } as const) : {};
    const query = { format, outcome: o.outcome as Told, cause: o.cause, ...raw };
    const file = await (of === 'runs' ? api.files.runRecords(id, query) : api.files.previewRecords(id, query));
    for await (const text of o.limit === undefined ? file.pieces() : firstOf(file.pieces(), o.limit, format))
      outFile(text, format);
    return;
  }
  const pick = { pick: o.pick as PreviewJournalQuery['pick'], field: o.field };
  const query = { outcome: o.outcome as Told, cause: o.cause, limit: Math.min(500, Math.max(1, o.limit ?? 20)) };
  const page = of === 'runs' ? await api.runRecords(id, query) : await api.previewRecords(id, { ...query, ...pick });
  if (format === 'json') printJson('json', page.records);
  else show(page.records);
  if (page.next) talk('… more; --limit N shows more, --format csv gives all');
}

/** The first records of a file, and its header: a line ends a record where it is not between quotes. */
async function* firstOf(
  pieces: AsyncIterable<string>,
  records: number,
  format: 'csv' | 'jsonl',
): AsyncGenerator<string> {
  let left = records + (format === 'csv' ? 1 : 0);
  let quoted = false;
  for await (const piece of pieces)
    for (let at = 0, from = 0; ; at++) {
      if (left === 0) return;
      const char = piece[at];
      if (char === undefined) {
        yield piece.slice(from);
        break;
      }
      if (char === '"' && format === 'csv') quoted = !quoted;
      if (char !== '\n' || quoted) continue;
      yield piece.slice(from, at + 1);
      from = at + 1;
      left--;
    }
}
