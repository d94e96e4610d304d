import { outcomeWords } from '@tantamos/core';
import color from 'picocolors';
import { shortId } from '@tantamos/core';
import { change, moment, out, print, readFormat } from '../output';
import { client } from '../session';
import { acting, type Verb } from './verb';

export const record: Verb = (program) => {
  program
    .command('record')
    .arguments('<type> <key>')
    .description('one record, and what runs changed on it, when and why')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (type: string, key: string, o: { format: string }) => {
        const api = client();
        const [found, history] = await Promise.all([api.record(type, key), api.history(type, key)]);
        if (readFormat(o.format) !== 'table') return print({ columns: [], rows: [] }, 'json', { ...found, history });
        print(
          { columns: ['field', 'value'], rows: found.fields.map((f) => [f.name, f.value.label ?? f.value.value]) },
          'table',
        );
        out('');
        if (history.length === 0) out('No run has touched this record.');
        for (const h of history) {
          out(
            `${moment(h.at)}  ${h.kind === 'undo' ? 'undo' : 'run'} ${shortId(h.run)} by ${h.by}: ${outcomeWords(h.outcome)}${h.cause ? ` (${h.cause})` : ''}`,
          );
          if (h.why) out(`  why: ${h.why}`);
          for (const c of h.changes)
            out(`  ${c.field}: ${change(c.old.label ?? c.old.value, c.new.label ?? c.new.value)}`);
          out(color.dim(`  ${h.sentence}`));
        }
      }),
    );

  program
    .command('pointers')
    .arguments('<type> <key>')
    .description('everything that points at one record, by type and field, counted')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (type: string, key: string, o: { format: string }) => {
        const all = await client().pointers(type, key);
        const rows = all.map((p) => [p.type, p.field, p.count, `tantamos find ${p.type} -f "${p.field} = ${key}"`]);
        print({ columns: ['type', 'field', 'records', 'look'], numbers: ['records'], rows }, readFormat(o.format), all);
        if (all.length === 0) out('Nothing points at this record.');
      }),
    );
};
