import { createReadStream, statSync } from 'node:fs';
import { basename } from 'node:path';
import { Readable } from 'node:stream';
import type { Client } from '@tantamos/client';
import type { FilePlanBody, FileView, FileWork } from '@tantamos/contract';
import type { DateOrder, DecimalMark } from '@tantamos/core';
import type { Command } from 'commander';
import { commas, oneOf } from './options';
import { number, talk } from './output';
import { shortId } from '@tantamos/core';
import { UsageError } from './trouble';

// A file of values: how it is read, which record each row is about, and what its cells become.

export interface FileOptions {
  readonly sheet?: string;
  readonly encoding?: string;
  readonly separator?: string;
  /** False with --no-header. */
  readonly header?: boolean;
  readonly match?: string;
  readonly take?: string;
  readonly takeComputed?: readonly string[];
  readonly dates?: string;
  readonly decimal?: string;
  readonly blank?: string;
  readonly unknown?: string;
  readonly several?: string;
}

/** The options that say how a file of values is read; `whole`: those that selections have too. */
export function withFileOptions(command: Command, whole = false): Command {
  if (whole)
    command
      .option(
        '--match <fields>',
        'by which column and field rows and records find each other: email, or "E-mail=email"',
      )
      .option(
        '--unknown <how>',
        'rows that fit no record: stop, skip or create',
        oneOf('--unknown', 'stop', 'skip', 'create'),
      )
      .option('--several <how>', 'rows that fit several records: skip or all', oneOf('--several', 'skip', 'all'));
  return command
    .option('--take <columns>', 'which columns to take: price, or "Price=price_per_hive,Note=note"')
    .option(
      '--take-computed <field=expression>',
      "what is worked out of columns, also beside fields of the record: 'price_per_hive = MAX(price_per_hive, file.price * 1.05)' (again for more)",
      (text: string, before: string[] = []) => [...before, text],
    )
    .option(
      '--dates <order>',
      'how dates are written that do not begin with the year: dmy or mdy',
      oneOf('--dates', 'dmy', 'mdy'),
    )
    .option('--decimal <mark>', 'how fractions are written: . or ,', oneOf('--decimal', '.', ','))
    .option('--blank <how>', 'what an empty cell does to its field: leave or clear', oneOf('--blank', 'leave', 'clear'))
    .option('--sheet <name>', 'which sheet of a workbook')
    .option('--encoding <name>', 'of a text: utf-8, windows-1252 …')
    .option('--separator <sign>', 'between the cells of a CSV file: , or ; or \\t')
    .option('--no-header', 'the first row is no header');
}

/** Sends a file, says how it was read and what becomes of its rows, and gives back what can be done with it. */
export async function planned(api: Client, type: string, path: string, o: FileOptions): Promise<FileWork> {
  const file = await sent(api, path, o);
  tellFile(file);
  const work = await api.planFile(file.id, await planOf(api, type, file, o));
  tellPlan(work);
  return work;
}

/** Sends a file of values, read as the options say or as is found out. */
export async function sent(api: Client, path: string, o: FileOptions = {}): Promise<FileView> {
  const { sheet, encoding, separator } = o;
  const query = {
    name: path === '-' ? 'standard input' : basename(path),
    ...(sheet === undefined ? {} : { sheet }),
    ...(encoding === undefined ? {} : { encoding }),
    ...(separator === undefined ? {} : { separator: separator === '\\t' ? '\t' : separator }),
    ...(o.header === false ? { header: 'false' } : {}),
  };
  if (path !== '-') mustBeFile(path);
  const stream = path === '-' ? process.stdin : createReadStream(path);
  return api.uploadFile(query, Readable.toWeb(stream) as ReadableStream<Uint8Array>);
}

function mustBeFile(path: string): void {
  try {
    if (statSync(path).isFile()) return;
  } catch (error) {
    throw new UsageError(`${path} cannot be read: ${(error as Error).message}`);
  }
  throw new UsageError(`${path} is no file.`);
}

async function planOf(api: Client, type: string, file: FileView, o: FileOptions): Promise<FilePlanBody> {
  const guess = await api.guessPlan(file.id, type);
  const match = o.match === undefined ? guess.match : pairs('--match', o.match, file);
  const matched = new Set(match.map((m) => m.column.toLowerCase()));
  const said = o.take === undefined ? null : pairs('--take', o.take, file);
  const computed = (o.takeComputed ?? []).map(computedOf);
  const isComputed = (field: string): boolean => computed.some((c) => c.field.toLowerCase() === field.toLowerCase());
  const guessed = guess.take.filter(
    (t) => !isComputed(t.field) && !(t.column !== undefined && matched.has(t.column.toLowerCase())),
  );
  const { decimal, dates } = o;
  const reading = {
    ...(decimal === undefined ? {} : { decimal: decimal as DecimalMark }),
    ...(dates === undefined ? {} : { dates: dates as DateOrder }),
  };
  return {
    type,
    ...(guess.signed !== undefined && o.match === undefined ? { signed: guess.signed } : {}),
    match: match.map((m) => ({ ...m })),
    take: [...(said ?? (computed.length > 0 && o.take === undefined ? [] : guessed)), ...computed].map((t) => ({
      ...t,
    })),
    ...(decimal === undefined && dates === undefined
      ? {}
      : { readings: Object.fromEntries(file.columns.map((c) => [c.name, reading])) }),
    blank: (o.blank ?? guess.blank) as 'leave' | 'clear',
    unknown: (o.unknown ?? guess.unknown) as 'stop' | 'skip' | 'create',
    several: (o.several === 'none' ? 'skip' : (o.several ?? 'skip')) as 'skip' | 'all',
  };
}

/** `email`, `E-mail=email`, several with commas between. */
function pairs(option: string, text: string, file: FileView): { column: string; field: string }[] {
  return commas(text).map((pair) => {
    const at = pair.indexOf('=');
    if (at >= 0) return { column: pair.slice(0, at).trim(), field: pair.slice(at + 1).trim() };
    const plain = (t: string): string => t.toLowerCase().replace(/[^\p{L}\p{N}]/gu, '');
    const column = file.columns.find((c) => plain(c.name) === plain(pair));
    if (column) return { column: column.name, field: pair };
    throw new UsageError(
      `${option} ${pair}: the file has no column of that name; its columns are ${file.columns.map((c) => c.name).join(', ')}. Say "COLUMN=${pair}".`,
    );
  });
}

function computedOf(text: string): { field: string; formula: string } {
  const at = text.indexOf('=');
  const [field, formula] = [text.slice(0, at).trim(), text.slice(at + 1).trim()];
  if (at < 1 || formula === '')
    throw new UsageError(
      `--take-computed takes 'FIELD = EXPRESSION', such as 'price = file.price * 1.05', not “${text}”.`,
    );
  return { field, formula };
}

const formats = { csv: 'CSV', xlsx: 'workbook', jsonl: 'JSON Lines' } as const;

function tellFile(f: FileView): void {
  const how = [
    formats[f.format],
    f.sheet === null ? null : `sheet “${f.sheet}”${f.sheets.length > 1 ? ` of ${f.sheets.length}` : ''}`,
    f.encoding,
    f.separator === null ? null : `cells parted by ${f.separator === '\t' ? 'tabs' : f.separator}`,
    `${number(f.rows)} rows`,
  ];
  talk(`${f.name}: ${how.filter((h) => h !== null).join(', ')}`);
  for (const note of f.notes) talk(`  ${note.message}`);
}

function tellPlan({ file, stopped }: FileWork): void {
  const { plan, report, columns } = file;
  for (const m of plan?.match ?? []) talk(`  ${m.column} finds ${m.field}`);
  for (const t of plan?.take ?? []) {
    const column = columns.find((c) => c.name === t.column);
    const sample = column?.samples[0];
    talk(`  ${t.formula ?? t.column} → ${t.field}${sample === undefined ? '' : `, such as ${sample}`}`);
  }
  if (!report) return;
  talk(`  ${report.sentence}`);
  for (const { reason, count } of report.reasons.slice(0, 8)) talk(`    ${number(count)}: ${reason}`);
  if (report.mended > 0)
    talk(
      `  ${number(report.mended)} cells were damaged by a spreadsheet (zeros in front, long numbers, dates turned round) and taken as before: tantamos file rows ${shortId(file.id)} --of mended`,
    );
  const left = report.rows - report.fates.taken - report.fates.new - report.fates.blank - report.fates.same;
  if (left > 0) talk(`  Rows that are not taken: tantamos file rows ${shortId(file.id)} --of left --format csv`);
  if (stopped === null) return;
  talk(`error: ${stopped}`);
  if (report.fates.unknown > 0 && plan?.unknown !== 'skip') talk('  say --unknown skip or --unknown create');
}
