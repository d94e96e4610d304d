import type { MayView, RightLineBody, RightLineView } from '@tantamos/contract';
import { rightActs } from '@tantamos/core';
import color from 'picocolors';

import { listed, out, print, readFormat, talk, printJson } from '../output';

import { client } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';
import { commas, wholeNumber } from '../options';

interface LineOptions {
  readonly role?: string;
  readonly to?: string;
  readonly types?: string;
  readonly fields?: string;
  readonly filter?: string;
  readonly most?: number;
}

export const rights: Verb = (program) => {
  const group = program.command('rights').description('who may do what (administrators)');
  group
    .command('list', { isDefault: true })
    .description('every line; a denial always wins')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().rights();
        print(
          {
            columns: ['id', 'who', 'line'],
            whole: ['line'],
            rows: all.map((l) => [l.id.slice(-8), whoOf(l), l.words]),
          },
          readFormat(o.format),
          all,
        );
        for (const l of all) if (l.trouble) talk(color.yellow(`! ${l.id.slice(-8)}: ${l.trouble}`));
      }),
    );
  for (const effect of ['allow', 'deny'] as const)
    group
      .command(effect)
      .argument('<acts>', `one or several, with commas: ${rightActs.join(', ')}`)
      .description(`${effect} something to a role, or to one person`)
      .option('--role <role>', 'to all who have this role')
      .option('--to <login>', 'to this person')
      .option('--types <list>', 'only these types: a,b; default: every type')
      .option('--fields <list>', 'of one type, only these fields: a,b')
      .option(
        '-f, --filter <text>',
        'of one type, only records for which this is true; me() is the person’s own record',
      )
      .option('--most <n>', 'of change_many: so many records a run', wholeNumber('--most'))
      .action(
        acting(async (acts: string, o: LineOptions) => {
          if ((o.role === undefined) === (o.to === undefined))
            throw new UsageError('Say to whom: --role ROLE, or --to LOGIN.');
          const body: RightLineBody = {
            effect,
            acts: actsIn(acts),
            role: o.role,
            login: o.to,
            types: o.types === undefined ? undefined : commas(o.types),
            fields: o.fields === undefined ? undefined : commas(o.fields),
            filter: o.filter,
            most: o.most,
          };
          const line = await client().addRight(body);
          talk(`${whoOf(line)} ${line.words}. (${line.id.slice(-8)})`);
        }),
      );
  group
    .command('drop')
    .argument('<id>', 'the end of its id, as the list shows it')
    .description('take a line away')
    .action(
      acting(async (said: string) => {
        const api = client();
        const fits = (await api.rights()).filter((l) => said.length >= 6 && l.id.endsWith(said.toLowerCase()));
        if (fits.length !== 1) throw new UsageError(`“${said}” is not the end of the id of one line.`);
        await api.dropRight(fits[0]!.id);
        talk(`Taken away: ${whoOf(fits[0]!)} ${fits[0]!.words}.`);
      }),
    );
  group
    .command('roles')
    .description('all roles, and how many accounts have each')
    .option('--add <id>', 'add a role of this id')
    .option('--label <text>', 'how it is called')
    .option('--drop <id>', 'delete a role that no account has')
    .action(
      acting(async (o: { add?: string; label?: string; drop?: string }) => {
        const api = client();
        if (o.drop !== undefined) await api.dropRole(o.drop);
        if (o.add !== undefined) await api.addRole({ id: o.add, label: o.label ?? o.add });
        const all = await api.roles();
        print({ columns: ['role', 'label', 'accounts'], rows: all.map((r) => [r.id, r.label, r.accounts]) }, 'table');
      }),
    );

  program
    .command('may')
    .argument('[login]', 'whose rights; default: mine')
    .description('what a person may do, and by which line; of others only for administrators')
    .option('--type <type>', 'only on this type')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (login: string | undefined, o: { type?: string; format: string }) => {
        const api = client();
        const may = await api.may(login ?? (await api.me()).login);
        if (readFormat(o.format) !== 'table') return printJson(readFormat(o.format), may);
        showMay(may, o.type);
      }),
    );
};

function showMay(may: MayView, only: string | undefined): void {
  out(color.bold(`${may.name} (${may.login}, ${may.roleLabel.toLowerCase()})`));
  if (!may.active) out(color.yellow('The account is not active.'));
  const types = may.types.filter((t) => only === undefined || t.type === only);
  if (only !== undefined && types.length === 0)
    throw new UsageError(`There is no type “${only}” that this person may see.`);
  const byLine = (lines: readonly string[]): string => lines.map((id) => id.slice(-8)).join(', ');
  const rows = [
    ...(only === undefined ? may.general.map((g) => ['everywhere', mark(g.may), g.words, byLine(g.lines)]) : []),
    ...types.flatMap((t) => t.acts.map((a) => [t.type, mark(a.may), a.words, byLine(a.lines)])),
  ];
  print({ columns: ['on', '', 'what', 'by line'], whole: ['what', 'by line'], rows }, 'table');
}

function mark(may: 'all' | 'some' | 'none'): string {
  return { all: color.green('yes'), some: color.yellow('partly'), none: color.red('no') }[may];
}

function whoOf(line: RightLineView): string {
  return line.role === null ? (line.login ?? '') : `role ${line.role}`;
}

function actsIn(text: string): RightLineBody['acts'] {
  const acts = commas(text);
  const wrong = acts.find((a) => !(rightActs as readonly string[]).includes(a));
  if (wrong !== undefined || acts.length === 0)
    throw new UsageError(`A right is one of ${listed(rightActs)}, not “${wrong ?? text}”.`);
  return acts as RightLineBody['acts'];
}
