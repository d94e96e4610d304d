import { out, print, readFormat } from '../output';
import { client } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';

export const functions: Verb = (program) => {
  program
    .command('functions')
    .argument('[name]')
    .description('the functions of the expression language')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (name: string | undefined, o: { format: string }) => {
        const all = await client().functions();
        if (name === undefined) {
          const rows = all.map((f) => [f.signature, f.doc, f.source]);
          return print({ columns: ['function', 'what it gives', 'source'], rows }, readFormat(o.format), all);
        }
        const found = all.filter((f) => f.name.toLowerCase() === name.toLowerCase());
        if (found.length === 0) throw new UsageError(`There is no function “${name}”; tantamos functions lists them.`);
        for (const f of found) out(`${f.signature}\n  ${f.doc}\n  for example: ${f.example}\n  from: ${f.source}`);
      }),
    );
};
