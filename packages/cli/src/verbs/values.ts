import type { FieldValues } from '@tantamos/contract';
import { out, number, print, readFormat, talk } from '../output';

import { readSelection, withSelectionOptions, type SelectionOptions } from '../selection-options';
import { client } from '../session';
import { acting, type Verb } from './verb';
import { commas, wholeNumber } from '../options';

interface Options extends SelectionOptions {
  readonly search?: string;
  readonly ranges?: boolean;
  readonly limit: number;
  readonly keep?: string;
  readonly format: string;
}

export const values: Verb = (program) => {
  withSelectionOptions(
    program
      .command('values')
      .arguments('<type> <fields>')
      .description('the values of fields (a,b,c) and how often each occurs'),
  )
    .option('--search <text>', 'only values that hold this text')
    .option('--ranges', 'numbers and dates by ranges')
    .option('--limit <n>', 'values to show of each field', wholeNumber('--limit'), 30)
    .option('--keep <name>', 'keep the counts under a name, to compare later')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (type: string, fields: string, o: Options) => {
        const format = readFormat(o.format);
        const api = client();
        const { type: id, ...parts } = await readSelection(api, type, o);
        const ask = {
          ...parts,
          fields: commas(fields),
          search: o.search,
          ranges: o.ranges,
          most: Math.min(1000, o.limit),
        };
        const all = await api.values(id, ask);
        if (format === 'table') all.forEach((v) => showValues(v, Boolean(o.ranges)));
        else
          print(
            {
              columns: ['field', 'value', 'label', 'count'],
              rows: all.flatMap((f) => f.values.map((v) => [f.field, v.value, v.label ?? null, v.count])),
            },
            format,
            format === 'csv' ? undefined : all,
          );
        if (o.keep === undefined) return;
        const kept = await api.keepCounts({ name: o.keep, selection: { type: id, ...parts }, fields: ask.fields });
        talk(`Kept as “${kept.name}”. Compare later: tantamos counts compare "${kept.name}"`);
      }),
    );

  withSelectionOptions(
    program
      .command('cross')
      .arguments('<type> <rows> <columns>')
      .description('two fields crossed: how often each pair of values occurs'),
  )
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (type: string, rows: string, columns: string, o: Options) => {
        const api = client();
        const { type: id, ...parts } = await readSelection(api, type, o);
        const c = await api.cross(id, { ...parts, rows, columns });
        const heads = c.columns.values.map((v) => v.label ?? v.value ?? '(blank)');
        const sheet = {
          columns: [`${rows} \\ ${columns}`, ...heads],
          numbers: heads,
          rows: c.rows.values.map((v, i) => [
            v.label ?? v.value ?? '(blank)',
            ...c.counts[i]!.map((n) => (n === 0 ? null : number(n))),
          ]),
        };
        print(sheet, readFormat(o.format), o.format === 'csv' ? undefined : c);
        talk(`${number(c.total)} records${c.beyond > 0 ? `, ${number(c.beyond)} of them in pairs beyond these` : ''}`);
      }),
    );
};

function showValues(v: FieldValues, ranges: boolean): void {
  const shown = v.values.map((x) => [x.label ?? x.value ?? '(blank)', number(x.count), share(x.count, v.total)]);
  if (ranges && v.ranges) {
    const steps = v.ranges.steps.map((s) => [`${s.from} … under ${s.to}`, number(s.count), share(s.count, v.total)]);
    const blank = v.ranges.blank > 0 ? [['(blank)', number(v.ranges.blank), share(v.ranges.blank, v.total)]] : [];
    print({ columns: [v.field, 'records', ''], numbers: ['records', ''], rows: [...steps, ...blank] }, 'table');
  } else print({ columns: [v.field, 'records', ''], numbers: ['records', ''], rows: shown }, 'table');
  out(
    `${number(v.kinds)} different in ${number(v.total)} records${v.kinds > shown.length && !(ranges && v.ranges) ? `, ${number(shown.length)} shown` : ''}\n`,
  );
}

function share(n: number, of: number): string {
  return of === 0 ? '' : `${((100 * n) / of).toFixed(1)} %`;
}
