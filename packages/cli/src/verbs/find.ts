import type { Client } from '@tantamos/client';
import type { Explained, Found, SelectionBody } from '@tantamos/contract';
import { number, print, printJson, readFormat, talk } from '../output';
import { client } from '../session';
import { exitCodes } from '../exit';

import {
  readSelection,
  saysWhich,
  tellBlanks,
  withSelectionOptions,
  type SelectionOptions,
} from '../selection-options';
import { showExplained } from '../show';
import { acting, type Verb } from './verb';
import { wholeNumber } from '../options';

interface Options extends SelectionOptions {
  readonly show?: string;
  readonly sort?: string;
  readonly limit: number;
  readonly format: string;
}

export const find: Verb = (program) => {
  withSelectionOptions(program.command('find').argument('<type>').description('find records, and count them'))
    .option('--show <columns>', 'fields or paths, such as reference,grower.name')
    .option('--sort <columns>', 'fields or paths; - before one for descending')
    .option('--limit <n>', 'records to show', wholeNumber('--limit'), 20)
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (type: string, o: Options) => {
        const format = readFormat(o.format);
        const api = client();
        const selection = await readSelection(api, type, o);
        const pages = await findPages(api, selection, o);
        const { columns, numberMatched } = pages[0]!;
        const rows = pages.flatMap((p) => p.records.map((r) => r.values.map((v) => v.label ?? v.value)));
        print(
          {
            columns: columns.map((c) => c.name),
            numbers: columns.filter((c) => c.kind === 'number').map((c) => c.name),
            rows,
          },
          format,
        );
        const matched = numberMatched ?? rows.length;
        talk(`${number(matched)} matched${rows.length < matched ? `, ${number(rows.length)} shown` : ''}`);
        tellBlanks(pages[0]!.blanks);
        if (matched === 0 && format === 'table' && saysWhich(o)) await showWhy(api, selection);
        return matched === 0 ? exitCodes.nothingToDo : exitCodes.done;
      }),
    );

  withSelectionOptions(
    program
      .command('explain')
      .argument('<type>')
      .description('how each part of a selection narrows it; what does occur where a value does not'),
  )
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (type: string, o: Options) => {
        const api = client();
        const selection = await readSelection(api, type, o);
        const format = readFormat(o.format);
        if (format === 'table') return showWhy(api, selection);
        printJson(format, await explained(api, selection));
      }),
    );
};

/** How each part of a selection narrows it, and what would be near. */
export async function showWhy(api: Client, selection: SelectionBody): Promise<void> {
  const e = await explained(api, selection);
  const type = await api.type(selection.type);
  talk(e.sentence);
  showExplained(e, type.label);
  tellBlanks(e.blanks);
}

function explained(api: Client, { type, ...parts }: SelectionBody): Promise<Explained> {
  return api.explain(type, { ...parts, near: true });
}

/** As many pages of at most 1,000 as the limit asks for; the first one counts. */
async function findPages(api: Client, { type, ...parts }: SelectionBody, o: Options): Promise<Found[]> {
  const list = (text?: string): string[] | undefined => text?.split(',').map((c) => c.trim());
  const ask = { ...parts, columns: list(o.show), sort: list(o.sort) };
  const pages = [await api.search(type, { ...ask, limit: Math.min(1000, o.limit), count: 'exact' })];
  let left = o.limit - pages[0]!.numberReturned;
  for (let next = pages[0]!.next; next !== null && left > 0;) {
    const page = await api.search(type, { ...ask, limit: Math.min(1000, left), after: next });
    pages.push(page);
    left -= page.numberReturned;
    next = page.next;
  }
  return pages;
}
