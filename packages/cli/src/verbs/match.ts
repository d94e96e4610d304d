import type { ListLineView, ListPageQuery, ListTargetBody } from '@tantamos/contract';

import { print, readFormat, printJson } from '../output';
import { tellReport } from '../selection-options';
import { client } from '../session';
import { UsageError } from '../trouble';
import { exitCodes } from '../exit';
import { acting, type Verb } from './verb';
import { commas, readFile, wholeNumber } from '../options';

const pages = ['all', 'blank', 'not_address', 'repeat', 'different', 'found', 'unknown', 'several', 'elsewhere'];

export const match: Verb = (program) => {
  program
    .command('match')
    .argument('<file>', 'the pasted list; - for standard input')
    .description('match a pasted list with records of one type or several: what is found, unknown, said twice')
    .requiredOption(
      '--in <type.field>',
      'what to match, such as contacts.email or growers.code,name (again for more types)',
      (text: string, before: ListTargetBody[] = []) => [...before, readTarget(text)],
    )
    .option('--show <what>', `lines to show: ${pages.join(', ')}`)
    .option('--limit <n>', 'lines to show', wholeNumber('--limit'), 50)
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (file: string, o: { in: ListTargetBody[]; show?: string; limit: number; format: string }) => {
        const format = readFormat(o.format);
        if (o.show !== undefined && !pages.includes(o.show))
          throw new UsageError(`--show is one of ${pages.join(', ')}, not “${o.show}”.`);
        const api = client();
        const report = await api.paste({ text: readFile(file), targets: o.in });
        tellReport(report);
        if (o.show !== undefined) {
          const of = o.show as ListPageQuery['of'];
          const { lines } = await api.listLines(report.id, { of, limit: Math.min(1000, o.limit) });
          const rows = lines.map((l) => [
            l.n,
            l.said,
            fateWords(l),
            l.matches.map((m) => `${m.name} (${m.type} ${m.key})`).join('; '),
            l.elsewhere ? `${l.elsewhere.field} of ${l.elsewhere.label.toLowerCase()}` : l.nearest.join(' · '),
          ]);
          print({ columns: ['line', 'said', 'is', 'records', 'nearest'], numbers: ['line'], rows }, format, lines);
        } else if (format === 'json') printJson('json', report);
        return report.found === 0 ? exitCodes.nothingToDo : exitCodes.done;
      }),
    );
};

function fateWords({ fate, matches }: ListLineView): string {
  if (fate !== 'entry') return fate.replace('_', ' ');
  return matches.length === 0 ? 'unknown' : 'found';
}

function readTarget(text: string): ListTargetBody {
  const at = text.indexOf('.');
  if (at < 1) throw new UsageError(`--in takes TYPE.FIELD, such as contacts.email, not “${text}”.`);
  return { type: text.slice(0, at), fields: commas(text.slice(at + 1)) };
}
