import { change, print, readFormat } from '../output';
import { client } from '../session';
import { keyOf } from './record';
import { acting, type Verb } from './verb';

export const steps: Verb = (program) => {
  program
    .command('steps')
    .arguments('<type> <key-or-name> <formula>')
    .description('a formula taken apart: what each of its parts gives for one record, the whole last')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (type: string, key: string, formula: string, o: { format: string }) => {
        const api = client();
        const all = await api.formulaSteps({ type, key: await keyOf(api, type, key), formula });
        const rows = all.map(({ text, value }) => {
          const said = value.label ?? value.value;
          return [text, change(said, said)];
        });
        print({ columns: ['part', 'gives'], rows }, readFormat(o.format), all);
      }),
    );
};
