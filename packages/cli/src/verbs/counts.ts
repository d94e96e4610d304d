import type { ComparedCounts, KeptCountsView } from '@tantamos/contract';
import type { Client } from '@tantamos/client';
import { moment, number, print, readFormat, talk } from '../output';
import { client } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';

export const counts: Verb = (program) => {
  const group = program.command('counts').description('counts of values that were kept (values --keep)');
  group
    .command('list', { isDefault: true })
    .description('all that were kept')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().keptCounts();
        const rows = all.map((c) => [c.name, c.type, c.fields.join(', '), c.total, moment(c.madeAt)]);
        print(
          { columns: ['name', 'type', 'fields', 'records', 'kept'], numbers: ['records'], rows },
          readFormat(o.format),
          all,
        );
        if (all.length === 0) talk('No counts have been kept: tantamos values TYPE FIELDS --keep NAME');
      }),
    );
  group
    .command('compare')
    .argument('<name>')
    .description('kept counts beside those of now')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (name: string, o: { format: string }) => {
        const api = client();
        const c = await api.compareCounts((await keptNamed(api, name)).id);
        print(comparedTable(c), readFormat(o.format), o.format === 'csv' ? undefined : c);
        talk(`${number(c.total)} records then, ${number(c.totalNow)} now`);
      }),
    );
  group
    .command('forget')
    .argument('<name>')
    .action(
      acting(async (name: string) => {
        const api = client();
        await api.dropCounts((await keptNamed(api, name)).id);
        talk(`Forgot “${name}”.`);
      }),
    );
};

/** Kept counts beside those of now, a row for each value. */
export function comparedTable(c: ComparedCounts): { columns: string[]; numbers: string[]; rows: string[][] } {
  const rows = c.rows.map((r) => [
    ...r.values.map((v) => v.label ?? v.value ?? '(blank)'),
    number(r.before),
    number(r.now),
    r.now === r.before ? '' : `${r.now > r.before ? '+' : '−'}${number(Math.abs(r.now - r.before))}`,
  ]);
  const numbers = ['before', 'now', 'change'];
  return { columns: [...c.fields, ...numbers], numbers, rows };
}

/** The newest of that name. */
async function keptNamed(api: Client, name: string): Promise<KeptCountsView> {
  const found = (await api.keptCounts()).find((c) => c.name === name || c.id.startsWith(name));
  if (!found) throw new UsageError(`No counts were kept as “${name}”; tantamos counts lists them.`);
  return found;
}
