import { AnswerError, type Client } from '@tantamos/client';
import { outcomeWords } from '@tantamos/core';
import color from 'picocolors';
import { shortId } from '@tantamos/core';
import { change, moment, out, print, readFormat, printJson } from '../output';
import { client } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';

export const record: Verb = (program) => {
  program
    .command('record')
    .arguments('<type> <key-or-name>')
    .description('one record, and what runs changed on it, when and why')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (type: string, key: string, o: { format: string }) => {
        const api = client();
        const known = await keyOf(api, type, key);
        const [found, history] = await Promise.all([api.record(type, known), api.history(type, known)]);
        if (readFormat(o.format) !== 'table') return printJson(readFormat(o.format), { ...found, history });
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
    .arguments('<type> <key-or-name>')
    .description('everything that points at one record, by type and field, counted')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (type: string, key: string, o: { format: string }) => {
        const api = client();
        const known = await keyOf(api, type, key);
        const all = await api.pointers(type, known);
        const rows = all.map((p) => [p.type, p.field, p.count, `tantamos find ${p.type} -f "${p.field} = ${known}"`]);
        print({ columns: ['type', 'field', 'records', 'look'], numbers: ['records'], rows }, readFormat(o.format), all);
        if (all.length === 0) out('Nothing points at this record.');
      }),
    );
};

/** The key that was said, or that of the one record of this name. */
export async function keyOf(api: Client, type: string, said: string): Promise<string> {
  const none = await api.record(type, said).then(
    () => null,
    (error: unknown) => {
      if (error instanceof AnswerError && error.code === 'not_found') return error;
      throw error;
    },
  );
  if (none === null) return said;
  const named = (await api.lookup(type, { q: said, limit: 20 })).filter(
    (r) => r.name.toLowerCase() === said.toLowerCase(),
  );
  if (named.length === 1) return named[0]!.key;
  if (named.length === 0) throw none;
  const each = named.map((r) => `${r.key}${r.hint ? ` (${r.hint})` : ''}`);
  throw new UsageError(`${named.length} records are called ${said}; say the key: ${each.join(', ')}`);
}
