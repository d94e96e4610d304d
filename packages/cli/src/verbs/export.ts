import { createWriteStream } from 'node:fs';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { SingleBar } from 'cli-progress';
import { number, talk, outFile } from '../output';
import { readSelection, withSelectionOptions, type SelectionOptions } from '../selection-options';
import { client } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';
import { commas } from '../options';

interface Options extends SelectionOptions {
  readonly out?: string;
  readonly format?: string;
  readonly show?: string;
  readonly sort?: string;
  readonly separator?: string;
  readonly bom?: boolean;
  readonly decimalComma?: boolean;
  readonly raw?: boolean;
  readonly stored?: boolean;
  readonly signed?: boolean;
}
const formats = ['csv', 'jsonl', 'xlsx'] as const;

export const exporting: Verb = (program) => {
  withSelectionOptions(
    program.command('export').argument('<type>').description('all selected records as a file, streamed'),
  )
    .option('-o, --out <file>', 'where to; standard output without it')
    .option('--format <format>', 'csv, jsonl or xlsx; else as the file is called, else csv')
    .option('--show <columns>', 'fields or paths; default: every field')
    .option('--sort <columns>', 'fields or paths; - before one for descending')
    .option('--separator <mark>', 'of CSV: , or ; or tab', ',')
    .option('--bom', 'of CSV: begin with a byte order mark, for spreadsheets that need it')
    .option('--decimal-comma', 'of CSV: 1,5 instead of 1.5')
    .option(
      '--raw',
      'leave cells of CSV that begin with = + - @, and control characters on standard output, as they are',
    )
    .option('--signed', 'to be edited and brought back (preview --values): with a signature in each row')
    .option('--stored', 'values as stored, instead of names and labels')
    .action(
      acting(async (type: string, o: Options) => {
        const ending = formats.find((f) => o.out?.toLowerCase().endsWith(`.${f}`));
        const format = formats.find((f) => f === o.format) ?? (o.format === undefined ? (ending ?? 'csv') : undefined);
        if (!format) throw new UsageError(`--format is csv, jsonl or xlsx, not “${o.format}”.`);
        const separator = o.separator === 'tab' ? '\t' : o.separator;
        if (separator !== ',' && separator !== ';' && separator !== '\t')
          throw new UsageError(`--separator is , or ; or tab, not “${o.separator}”.`);
        if (format === 'xlsx' && o.out === undefined && process.stdout.isTTY)
          throw new UsageError('A spreadsheet needs a file: --out records.xlsx');
        const api = client();
        const { type: id, ...parts } = await readSelection(api, type, o);
        const { bom, decimalComma, raw, stored, signed } = o;
        const file = await api.files.exportRecords(id, {
          ...parts,
          format,
          columns: o.show === undefined ? undefined : commas(o.show),
          sort: o.sort === undefined ? undefined : commas(o.sort),
          ...(format === 'csv' ? { separator, bom, decimalComma, raw } : {}),
          stored,
          signed,
        });
        const { bytes } = file;
        const count = file.count ?? 0;
        const bar = progress(format === 'xlsx' ? 0 : count);
        const counted = Readable.fromWeb(bytes as never).on('data', (piece: Buffer) => bar.saw(piece));
        if (o.out !== undefined) await pipeline(counted, createWriteStream(o.out));
        else if (format === 'xlsx') await pipeline(counted, process.stdout, { end: false });
        else {
          const text = new TextDecoder('utf-8', { ignoreBOM: true });
          for await (const piece of counted as AsyncIterable<Buffer>)
            outFile(text.decode(piece, { stream: true }), format);
        }
        bar.end();
        talk(`${number(count)} records${o.out === undefined ? '' : ` written to ${o.out}`}`);
      }),
    );
};

/** Lines seen of those there will be, on a terminal; bytes where lines cannot be seen. */
function progress(count: number) {
  if (!process.stderr.isTTY) return { saw: () => {}, end: () => {} };
  const format = count > 0 ? '{bar} {value}/{total} records' : '{value} kB';
  const bar = new SingleBar({
    format,
    barCompleteChar: '█',
    barIncompleteChar: '░',
    hideCursor: true,
    stream: process.stderr,
  });
  bar.start(count, 0);
  return {
    saw(piece: Buffer) {
      if (count === 0) bar.increment(Math.round(piece.length / 1024));
      else {
        let lines = 0;
        for (let at = piece.indexOf(10); at >= 0; at = piece.indexOf(10, at + 1)) lines++;
        bar.increment(lines);
      }
    },
    end: () => bar.stop(),
  };
}
