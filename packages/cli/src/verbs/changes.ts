import type { ChangesQuery } from '@tantamos/contract';
import { doneShort, keptBefore, outcomes, outcomeWords, shortId, type Outcome } from '@tantamos/core';
import { findRun } from '../ids';
import { followRecheck } from '../progress';
import { wholeNumber } from '../options';
import { listed, moment, number, out, print, readFormat, talk, printJson } from '../output';
import { client } from '../session';
import { showRecords } from '../show';
import { comparedTable } from './counts';
import { acting, type Verb } from './verb';

type ChangesOptions = Omit<ChangesQuery, 'outcome'> & { readonly outcome?: string; readonly format: string };

/** What was changed and why not, and what has become of it since. */
export const changes: Verb = (program) => {
  program
    .command('changes')
    .description('what was changed: runs by time, person, type, field, record, value, outcome and words')
    .option('--since <when>', 'today, yesterday, monday, "7 days", 2026-11-20, 2026-11-20T08:00')
    .option('--until <when>', 'the same')
    .option('--by <person>', 'who started them: login or name')
    .option('--type <type>', 'of which type')
    .option('--field <field>', 'which field of it')
    .option('--record <key>', 'which record of it')
    .option('--old <value>', 'what the field was: a value, a label, a name; "" for blank')
    .option('--new <value>', 'what it came to be')
    .option('--outcome <outcome>', `only those that left records ${listed(outcomes)}`)
    .option('--text <words>', 'what stands in the sentence or in the reason')
    .option('--limit <n>', 'runs to show', wholeNumber('--limit'), 20)
    .option('--after <run>', 'go on after this run: the whole id that a page ended with')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async ({ format: said, ...query }: ChangesOptions) => {
        const format = readFormat(said);
        const page = await client().changes({ ...query, outcome: query.outcome as Outcome | undefined });
        const asked = page.runs.some((r) => r.matching !== null);
        const rows = page.runs.map(({ run: r, matching }) => [
          shortId(r.id),
          moment(r.startedAt),
          r.startedBy,
          ...(asked ? [number(matching ?? 0)] : []),
          doneShort(r.parts),
          r.sentence,
          r.why,
        ]);
        const columns = ['run', 'started', 'by', ...(asked ? ['fitting'] : []), 'done', 'job', 'why'];
        print({ columns, numbers: ['fitting', 'done'], whole: ['job', 'why'], rows }, format, page.runs);
        if (format !== 'table') return;
        // One record was asked for: what became of it stands in each run.
        if (query.record !== undefined)
          for (const { run: r, records } of page.runs) {
            out(`\nrun ${shortId(r.id)}, ${moment(r.startedAt)}`);
            showRecords(records);
          }
        if (page.runs.length === 0) talk('No run fits.');
        if (page.lookedBackTo) talk(`… looked back to ${moment(page.lookedBackTo)} so far.`);
        if (page.next) talk(`… more: --after ${page.next}`);
      }),
    );

  program
    .command('causes')
    .argument('<run>', 'its id, or “last”')
    .description('why a run left records as they were, and what can be done')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (said: string, o: { format: string }) => {
        const api = client();
        const r = await findRun(api, said);
        const all = await api.runCauses(r.id);
        const format = readFormat(o.format);
        if (format !== 'table') {
          const rows = all.map((c) => [c.outcome, c.count, c.cause, c.kind, c.code, c.said, c.next]);
          return print({ columns: ['outcome', 'count', 'cause', 'kind', 'code', 'said', 'next'], rows }, format, all);
        }
        if (all.length === 0) talk('Nothing was left.');
        for (const c of all) {
          out(`${number(c.count)} ${outcomeWords(c.outcome)}${c.cause === null ? '' : `: ${c.cause}`}`);
          if (c.said) out(`  the database: ${c.said}${c.code ? ` (${c.code})` : ''}`);
          out(`  ${c.next}`);
          if (c.other) out(`  tantamos find ${c.other.type} -f "${c.other.filter}"`);
          if (c.steps.includes('retry')) out(`  tantamos retry ${shortId(r.id)}`);
        }
      }),
    );

  program
    .command('recheck')
    .argument('<run>', 'its id, or “last”')
    .description('what has become of the records that a run changed, counted anew')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (said: string, o: { format: string }) => {
        const api = client();
        const r = await findRun(api, said);
        const found = await followRecheck(api, r.id);
        if (readFormat(o.format) !== 'table') return printJson(readFormat(o.format), found);
        out(r.sentence);
        out(
          `changed ${number(found.changed)}: ${number(found.asWritten)} stand as written, ${number(found.changedSince)} changed since, ${number(found.putBack)} put back, ${number(found.gone)} gone`,
        );
        if (found.notCounted > 0) out(`${number(found.notCounted)} more are changed by now. Count again.`);
        if (found.matchesNow !== null)
          out(`The selection found ${number(found.matched)} then, ${number(found.matchesNow)} now.`);
        for (const f of found.fields) {
          out('');
          const rows = f.values.map((v) => [
            v.value.label ?? v.value.value ?? '(blank)',
            number(v.before),
            number(v.after),
            number(v.now),
          ]);
          const numbers = ['before', 'after', 'now'];
          if (f.more !== null) print({ columns: [f.label.toLowerCase(), ...numbers], numbers, rows }, 'table');
          else out(`${f.label}: too many or too long values to be told; ${number(f.asWritten)} stand as written`);
          if (f.more) out(`  and ${number(f.more)} other values`);
        }
        if (found.laterRuns === null) out('Later runs that changed them could not be found in time.');
        for (const later of found.laterRuns ?? [])
          out(`${number(later.count)} changed by run ${shortId(later.run)} of ${later.by}: ${later.sentence}`);
        if (found.who)
          out(
            `${found.who.label}: ${found.who.values.map((v) => `${v.value.label ?? v.value.value ?? '(blank)'} ${number(v.count)}`).join(', ')}`,
          );
        for (const kept of keptBefore(await api.keptCounts(), r)) {
          out(`\nCounts kept before: ${kept.name}, ${moment(kept.madeAt)}`);
          print(comparedTable(await api.compareCounts(kept.id)), 'table');
        }
        if (found.records.length > 0) {
          out('\nChanged since: from what was written to what stands there now');
          showRecords(found.records.slice(0, 20));
        }
      }),
    );
};
