import { randomUUID } from 'node:crypto';
import type { AllowedBody, RuleBody, RuleView } from '@tantamos/contract';
import { jobOfRule, readAllowed } from '@tantamos/core';
import { exitCodes } from '../exit';
import { saidIn, withEditOptions } from '../edit-options';
import type { JobOptions } from '../job-options';
import { moment, number, out, print, readFormat, talk, printJson } from '../output';
import { client } from '../session';
import { UsageError } from '../trouble';
import { finish } from './preview';
import { acting, type Verb } from './verb';

interface SaveOptions extends Pick<JobOptions, 'set'> {
  readonly message?: string;
  readonly where?: string;
  readonly holds?: string;
  readonly transitions?: string;
  readonly choices?: string;
  readonly by?: string;
  readonly allow?: readonly string[];
  readonly on?: boolean;
}

export const rule: Verb = (program) => {
  const group = program.command('rule').description('what must hold for records, and what mends those that break it');
  group
    .command('list', { isDefault: true })
    .argument('[type]')
    .description('rules of the workspace and checks of the database, with how many records break each')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (type: string | undefined, o: { format: string }) => {
        const all = await client().rules({ type });
        const rows = all.map((r) => [
          r.name,
          r.type,
          r.source === 'database' ? 'database' : r.trouble !== null ? 'in trouble' : r.isOn ? 'on' : 'off',
          r.broken === null ? null : `${number(r.broken)}${r.stale ? ' (old)' : ''}`,
          r.countedAt === null ? null : moment(r.countedAt),
          r.source === 'database' ? r.message : r.words,
          r.mendWords,
        ]);
        const columns = ['rule', 'type', 'state', 'broken', 'counted', 'asks', 'mend'];
        print({ columns, numbers: ['broken'], rows }, readFormat(o.format), all);
        if (!all.some((r) => r.source === 'own'))
          talk('None of your own yet: tantamos rule save NAME TYPE --holds … --message …');
      }),
    );

  withEditOptions(
    group
      .command('save')
      .arguments('<name> <type>')
      .description(
        'save a rule, or a new version of it; it is off until it is switched on. Edits said here are its mend',
      )
      .option('--message <text>', 'what a person is told when it is broken')
      .option('--where <filter>', 'the records it is about; all where nothing is said')
      .option('--holds <filter>', 'what must be true of them')
      .option('--transitions <field>', 'what this field may become, a line for each value by --allow')
      .option('--choices <field>', 'which values of this field go with those of another (--by)')
      .option('--by <field>', 'the field that narrows --choices')
      .option(
        '--allow <line>',
        'a value and what it may become, or what goes with it: "draft: confirmed, cancelled" (again for more)',
        (line: string, all: readonly string[] = []) => [...all, line],
      )
      .option('--on', 'switch it on at once'),
  ).action(
    acting(async (name: string, type: string, o: SaveOptions) => {
      if (o.message === undefined) throw new UsageError('Say what a person is told when it is broken: --message TEXT');
      const edits = saidIn(o).map((s) => s.edit);
      const body: RuleBody = { name, type, message: o.message, ...wayOf(o) };
      if (o.where !== undefined) body.where = o.where;
      if (edits.length > 0) body.mend = edits;
      if (o.on) body.isOn = true;
      const saved = await client().saveRule(body);
      tell(saved.ofChange ? saved : await client().countRule(saved.name));
    }),
  );

  for (const isOn of [true, false])
    group
      .command(isOn ? 'on' : 'off')
      .argument('<name>')
      .description(isOn ? 'switch it on: jobs that would break it are stopped' : 'switch it off')
      .action(acting(async (name: string) => tell(await client().switchRule(name, { isOn }))));

  group
    .command('show')
    .argument('<name>')
    .description('what it asks, how many break it by day, its versions')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (name: string, o: { format: string }) => {
        const api = client();
        const [r, versions] = await Promise.all([api.rule(name), api.ruleVersions(name)]);
        if (readFormat(o.format) !== 'table') return printJson(readFormat(o.format), { ...r, versions });
        out(`${r.name}: ${r.words}`);
        out(`Says “${r.message}”`);
        if (r.mendWords) out(`Mended by: ${r.mendWords}`);
        if (r.trouble) out(`In trouble: ${r.trouble} It stops nothing meanwhile.`);
        const counts = r.counts.map((c) => [c.day, number(c.broken)]);
        if (counts.length > 0) {
          out('');
          print({ columns: ['day', 'broken'], numbers: ['broken'], rows: counts }, 'table');
        }
        out('');
        const rows = versions.map((v) => [v.version, moment(v.changedAt), v.changedBy, v.isOn ? 'on' : 'off', v.words]);
        print({ columns: ['version', 'saved', 'by', 'state', 'asks'], rows }, 'table');
      }),
    );

  group
    .command('count')
    .argument('[name]', 'all of the workspace where none is said')
    .description('count the records that break it now')
    .action(
      acting(async (name: string | undefined) => {
        const api = client();
        const names = name === undefined ? await countable() : [name];
        for (const one of names) tell(await api.countRule(one));
        return names.length === 0 ? exitCodes.nothingToDo : exitCodes.done;
      }),
    );

  group
    .command('mend')
    .argument('<name>')
    .description('work out what mends the records that break it; nothing is changed')
    .option('--why <text>', 'the reason; it stays with the preview, run, undo and history')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (name: string, o: { why?: string; format: string }) => {
        const api = client();
        const found = await api.rule(name);
        if (!found.mend)
          throw new UsageError(`“${found.name}” has no mend: save it again with the edit that puts a record right.`);
        const job = jobOfRule(found);
        const made = await api.makePreview({ ...job, why: o.why ?? job.why }, { once: randomUUID() });
        return finish(api, made, o.format);
      }),
    );

  group
    .command('delete')
    .argument('<name>')
    .action(
      acting(async (name: string) => {
        await client().dropRule(name);
        talk(`Deleted “${name}”.`);
      }),
    );
};

async function countable(): Promise<string[]> {
  const all = await client().rules({});
  return all.filter((r) => r.source === 'own' && !r.ofChange && r.trouble === null).map((r) => r.name);
}

/** What holds, as one of the three ways of saying it. */
function wayOf({ holds, transitions: field, choices, by, allow = [] }: SaveOptions): Partial<RuleBody> {
  if ([holds, field, choices].filter((way) => way !== undefined).length !== 1)
    throw new UsageError('Say what holds in one of three ways: --holds, --transitions or --choices.');
  if (holds !== undefined) return { holds };
  if (allow.length === 0) throw new UsageError('Say at least one line: --allow "VALUE: VALUE, VALUE"');
  const allowed = allow.map(readLine);
  if (field !== undefined) return { transitions: { field, allowed } };
  if (by === undefined) throw new UsageError('Say which field narrows it: --choices FIELD --by FIELD');
  return { choices: { field: choices!, by, allowed } };
}

/** `draft: confirmed, cancelled` */
function readLine(line: string): AllowedBody {
  const at = line.indexOf(':');
  if (at < 0) throw new UsageError(`--allow is “VALUE: VALUE, VALUE”, not “${line}”.`);
  return readAllowed(line.slice(0, at), line.slice(at + 1));
}

/** “34 break it (counted 2026-12-01 14:02)” */
export function brokenWords({ broken, countedAt, stale }: RuleView): string {
  const when = countedAt === null ? '' : ` (counted ${moment(countedAt)}${stale ? ', before the last run' : ''})`;
  return `${number(broken!)} ${broken === 1 ? 'breaks' : 'break'} it${when}`;
}

function tell(r: RuleView): void {
  const state = r.isOn ? 'on' : 'off';
  if (r.ofChange) return talk(`“${r.name}” is ${state}.`);
  const now = r.broken === null ? '' : `: ${brokenWords(r)}`;
  talk(`“${r.name}” is ${state}${now}.`);
  if (r.broken && !r.isOn) talk(`Look at them: tantamos find ${r.type} -f "breaks_rule('${r.name}')"`);
  if (r.broken && r.mendWords) talk(`Mend them: tantamos rule mend "${r.name}"`);
}
