import { change, print, readFormat } from '../output';
import { client } from '../session';
import { acting, type Verb } from './verb';

export const steps: Verb = (program) => {
  program
    .command('steps')
    .arguments('<type> <key> <formula>')
    .description('a formula taken apart: what each of its parts gives for one record, the whole last')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (type: string, key: string, formula: string, o: { format: string }) => {
        const all = await client().formulaSteps({ type, key, formula });
        const rows = all.map(({ text, value }) => {
          const said = value.label ?? value.value;
          return [text, change(said, said)];
        });
        print({ columns: ['part', 'gives'], rows }, readFormat(o.format), all);
      }),
    );
};
