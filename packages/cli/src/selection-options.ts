import type { Client } from '@tantamos/client';
import type {
  BlanksView,
  ListReportView,
  RelatedBody,
  SelectionBody,
  SelectionParts,
  TakeBody,
} from '@tantamos/contract';
import { leavingOut, textOfJson } from '@tantamos/core';
import type { Command } from 'commander';
import { commas, oneOf, readFile, wholeNumber } from './options';
import { number, talk } from './output';
import { UsageError } from './trouble';

export interface SelectionOptions {
  readonly filter?: string;
  readonly withBlanks?: boolean;
  readonly selection?: string;
  readonly related?: string[];
  readonly withItself?: boolean;
  readonly steps?: number;
  readonly list?: string;
  readonly match?: string;
  readonly several?: string;
  readonly unknown?: string;
  readonly first?: number;
  readonly by?: string;
  readonly random?: number;
  readonly seed?: string;
  readonly per?: string;
  readonly keys?: string;
  readonly drop?: string;
}

/** The options that say which records; shown in the help of `selection` alone, once for all verbs. */
export function withSelectionOptions(command: Command, shown = false): Command {
  const own = command.options.length;
  addOptions(command);
  if (shown) return command;
  for (const option of command.options.slice(own)) option.hideHelp();
  return command.addHelpText(
    'after',
    '\nWhich records: --filter, --selection, --related, --list, --first, --random, --keys, --drop …\nAll of them are told by: tantamos help selection',
  );
}

function addOptions(command: Command): Command {
  const again = (text: string, before: string[] = []): string[] => [...before, text];
  return command
    .option('-f, --filter <text>', 'which records: OGC CQL2, as text or as JSON')
    .option('--with-blanks', 'take in what the filter leaves out for being blank where it says what it is not')
    .option('--selection <name>', 'only those in this saved selection')
    .option(
      '--related <relation>',
      `relatives of others: "grower of growers: valley = 'north'" (those whose grower is one of these), "grower from invoices: …" (the growers of these), "same parent: …", "under parent: …", "above parent: …"; again to chain`,
      again,
    )
    .option('--with-itself', 'with same, under and above: these themselves too')
    .option('--steps <n>', 'with under and above: so many steps at most', wholeNumber('--steps'))
    .option('--list <file>', 'only those on this pasted list, in whatever shape; - for standard input')
    .option('--match <fields>', 'with --list and --values: fields or paths to match, such as email or code,name')
    .option(
      '--several <how>',
      'with --list and --values: entries or rows that several records fit: all or none',
      oneOf('--several', 'all', 'none'),
    )
    .option(
      '--unknown <how>',
      'with --list: entries that no record fits: stop or skip; with --values: stop, skip or create',
      oneOf('--unknown', 'stop', 'skip', 'create'),
    )
    .option('--first <n>', 'only the first N', wholeNumber('--first'))
    .option('--by <columns>', 'with --first: by these fields; - before one for descending')
    .option('--random <n>', 'only N at random; the same again for the same --seed', wholeNumber('--random'))
    .option('--seed <text>', 'with --random: any text')
    .option('--per <field>', 'with --first and --random: so many for each value of this field')
    .option('--keys <list>', 'only these records, by key: a,b,c; of several fields: [["a","b"],…]')
    .option('--drop <list>', 'without these records, by key: a,b,c');
}

/** What the options say; a list is sent and matched first, its report told. */
export async function readSelection(api: Client, type: string, o: SelectionOptions): Promise<SelectionBody> {
  return { type, ...(await readParts(api, type, o)) };
}

async function readParts(api: Client, type: string, o: SelectionOptions): Promise<SelectionParts> {
  const filter = joined(o.withBlanks ? takingBlanks(o.filter) : o.filter, o.selection);
  const related = o.related ? readRelated(type, o.related, o) : undefined;
  const take = readTake(o);
  if (o.list !== undefined && o.unknown === 'create')
    throw new UsageError('Records are made of the rows of a file (--values), not of a list.');
  const list = o.list === undefined ? undefined : await pasted(api, type, o);
  return {
    ...(related ? { related } : {}),
    ...(filter === undefined ? {} : { filter, 'filter-lang': isJson(filter) ? 'cql2-json' : 'cql2-text' }),
    ...(list
      ? {
          list: {
            id: list.id,
            ...(o.several ? { several: o.several as 'all' | 'none' } : {}),
            ...(o.unknown ? { unknown: o.unknown as 'stop' | 'skip' } : {}),
          },
        }
      : {}),
    ...(take ? { take } : {}),
    ...(o.keys === undefined ? {} : { keys: keysOf(o.keys) }),
    ...(o.drop === undefined ? {} : { drop: keysOf(o.drop) }),
  };
}

/** True where any option narrows the type. */
export function saysWhich(o: SelectionOptions): boolean {
  return [o.filter, o.selection, o.related, o.list, o.first, o.random, o.keys, o.drop].some((v) => v !== undefined);
}

export function tellReport(report: ListReportView): void {
  talk(report.sentence);
  for (const t of report.byType)
    if (t.several > 0) talk(`  ${number(t.several)} entries fit several ${t.label.toLowerCase()}`);
  for (const e of report.elsewhere)
    talk(`  ${number(e.count)} of the unknown are the ${e.field} of ${e.label.toLowerCase()}`);
}

async function pasted(api: Client, type: string, o: SelectionOptions): Promise<ListReportView> {
  if (o.match === undefined) throw new UsageError('Say which field the list is to match: --match email, for instance.');
  const report = await api.paste({ text: readFile(o.list!), targets: [{ type, fields: commas(o.match) }] });
  tellReport(report);
  return report;
}

/** The filter as it takes blanks in; one that cannot be read is left to the service to say so. */
function takingBlanks(filter: string | undefined): string | undefined {
  if (filter === undefined) throw new UsageError('--with-blanks goes with --filter.');
  try {
    return leavingOut(isJson(filter) ? textOfJson(filter) : filter)?.taking ?? filter;
  } catch {
    return filter;
  }
}

/** What is left out for being blank, and how to take it in. */
export function tellBlanks(blanks: BlanksView | null): void {
  if (blanks) talk(`${blanks.sentence}; --with-blanks takes them in.`);
}

function isJson(filter: string): boolean {
  return filter.trim().startsWith('{');
}

function joined(filter: string | undefined, selection: string | undefined): string | undefined {
  if (selection === undefined) return filter;
  const inside = `in_selection('${selection.replaceAll("'", "''")}')`;
  if (filter === undefined || filter.trim() === '') return inside;
  if (isJson(filter))
    throw new UsageError(
      'Together with --selection the filter must be CQL2 text; or use in_selection inside the JSON.',
    );
  return `(${filter}) AND ${inside}`;
}

function readTake(o: SelectionOptions): TakeBody | undefined {
  if (o.first !== undefined && o.random !== undefined) throw new UsageError('--first and --random exclude each other.');
  if (o.first === undefined && o.random === undefined) {
    if (o.by ?? o.seed ?? o.per) throw new UsageError('--by, --seed and --per need --first or --random.');
    return undefined;
  }
  return {
    count: (o.first ?? o.random)!,
    ...(o.by === undefined ? {} : { order: commas(o.by) }),
    ...(o.random === undefined ? {} : { seed: o.seed ?? 'tantamos' }),
    ...(o.per === undefined ? {} : { per: o.per }),
  };
}

const shapes = /^\s*(?:(same|under|above)\s+([^\s:]+)|([^\s:]+)\s+(of|from)\s+([^\s:]+))\s*(?::([\s\S]*))?$/i;

/** Each is about the records before it: the last one is where the chain begins. */
function readRelated(type: string, relations: readonly string[], o: SelectionOptions): RelatedBody {
  const [first, ...rest] = relations;
  const hit = shapes.exec(first!);
  if (!hit)
    throw new UsageError(
      `--related takes "FIELD of TYPE: filter", "FIELD from TYPE: filter", or "same|under|above FIELD: filter", not “${first}”.`,
    );
  const [, family, alongField, field, preposition, other, filter] = hit;
  const ofType = other ?? type;
  const hows = {
    same: 'siblings',
    under: 'descendants',
    above: 'ancestors',
    of: 'pointing_at',
    from: 'pointed_at',
  } as const;
  const how = hows[(family ?? preposition)!.toLowerCase() as keyof typeof hows];
  const of: SelectionBody = {
    type: ofType,
    ...(filter?.trim() ? { filter: filter.trim() } : {}),
    ...(rest.length > 0 ? { related: readRelated(ofType, rest, o) } : {}),
  };
  const own = family !== undefined;
  return {
    of,
    how,
    field: (alongField ?? field)!,
    ...(own && o.withItself ? { self: true } : {}),
    ...(o.steps !== undefined && how !== 'siblings' && own ? { depth: o.steps } : {}),
  };
}

/** Keys between commas; those of several fields as JSON: one array of texts, or an array of such arrays. */
export function keysOf(said: string): string[] {
  const text = said.trim();
  if (!/^\[\s*["[]/.test(text)) return commas(text);
  try {
    const all = JSON.parse(text) as unknown[];
    return (all.every(Array.isArray) ? all : [all]).map((key) => JSON.stringify(key));
  } catch {
    throw new UsageError(`--keys is no JSON: ${text}`);
  }
}
