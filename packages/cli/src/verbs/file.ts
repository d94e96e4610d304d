import type { FileRowsQuery, FileRowView } from '@tantamos/contract';
import { rowFates } from '@tantamos/core';
import { exitCodes } from '../exit';
import { planned, withFileOptions, type FileOptions } from '../file-options';
import { listed, print, readFormat, talk, outFile, printJson } from '../output';
import { oneOf, wholeNumber } from '../options';
import { lastFile, remember, rememberFile } from '../recent';
import { client } from '../session';
import { acting, type Verb } from './verb';

interface RowsOptions {
  readonly of?: string;
  readonly limit?: number;
  readonly format: string;
}

const kinds = ['left', 'all', 'mended', ...rowFates];

/** Files of values: how one is read and what would become of its rows, and the rows themselves. */
export const file: Verb = (program) => {
  const group = program
    .command('file')
    .description('files of values: how one is read, and its rows (preview TYPE --values FILE)');
  withFileOptions(
    group
      .command('read')
      .arguments('<file> <type>')
      .description('read a file and say which record each row is about; nothing is changed'),
    true,
  )
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (path: string, type: string, o: FileOptions & { format: string }) => {
        remember('file', null);
        const work = await planned(client(), type, path, o);
        rememberFile(work.file.id);
        if (readFormat(o.format) !== 'table') printJson(readFormat(o.format), work);
        return work.stopped === null ? exitCodes.done : exitCodes.problems;
      }),
    );
  group
    .command('rows')
    .argument('[file]', 'its id; the last one read here where nothing is said')
    .description('the rows of a file by what became of them; as csv to be mended and sent again')
    .option('--of <fate>', listed(kinds), oneOf('--of', ...kinds))
    .option('--limit <n>', 'rows to give (20; of csv all)', wholeNumber('--limit'))
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (said: string | undefined, o: RowsOptions) => {
        const api = client();
        const id = lastFile(said);
        const of = (o.of ?? 'left') as FileRowsQuery['of'];
        if (readFormat(o.format) === 'csv') {
          const file = await api.files.fileRows(id, { of, format: 'csv' });
          for await (const text of file.pieces()) outFile(text, 'csv');
          return;
        }
        const view = await api.file(id);
        const { rows, next } = await api.fileRows(id, { of, limit: o.limit ?? 20 });
        print(
          {
            columns: ['row', ...view.columns.map((c) => c.name), 'what became of it', 'why'],
            rows: rows.map((r) => [
              String(r.at),
              ...r.cells,
              fateOf(r),
              [r.reason, ...r.damage].filter(Boolean).join('; ') || null,
            ]),
          },
          readFormat(o.format),
          rows,
        );
        if (rows.length === 0) talk('No row of this kind.');
        if (next !== null) talk('There are more: --limit, or --format csv for all.');
      }),
    );
};

const fateOf = ({ fate }: FileRowView): string => fate ?? 'not looked at yet';
