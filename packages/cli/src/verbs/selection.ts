import type { SelectionsFileBody } from '@tantamos/contract';
import { moment, number, out, print, readFormat, talk, printJson } from '../output';
import { readSelection, saysWhich, withSelectionOptions, type SelectionOptions } from '../selection-options';
import { client } from '../session';
import { UsageError } from '../trouble';
import { withFile } from './filed';
import { acting, type Verb } from './verb';

export const selection: Verb = (program) => {
  const group = program.command('selection').description('selections saved under names');
  group
    .command('list', { isDefault: true })
    .description('mine, and those open to all')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().selections();
        const rows = all.map((s) => [
          s.name,
          s.type,
          s.open ? 'all' : 'me',
          s.owner,
          s.version,
          s.lastCount === null ? null : `${number(s.lastCount)} (${moment(s.countedAt!)})`,
          s.note,
        ]);
        print(
          { columns: ['name', 'type', 'open to', 'owner', 'version', 'last count', 'note'], rows },
          readFormat(o.format),
          all,
        );
        if (all.length === 0) talk('None yet: tantamos selection save NAME TYPE -f …');
      }),
    );
  withSelectionOptions(
    group
      .command('save')
      .arguments('<name> <type>')
      .description('save which records under a name, or a new version of it'),
  )
    .option('--note <text>', 'what it is for')
    .option('--open', 'open to all')
    .option('--anyway', 'although other selections rest on it')
    .action(
      acting(
        async (
          name: string,
          type: string,
          o: SelectionOptions & { note?: string; open?: boolean; anyway?: boolean },
        ) => {
          if (!saysWhich(o)) throw new UsageError('Say which records: -f, --list, --related …');
          const api = client();
          const chosen = await readSelection(api, type, o);
          await api.saveSelection({ name, selection: chosen, note: o.note, open: o.open, anyway: o.anyway });
          const saved = await api.countSelection(name);
          talk(
            `Saved “${saved.name}”, version ${saved.version}: ${number(saved.lastCount!)} ${saved.typeLabel.toLowerCase()}.`,
          );
        },
      ),
    );
  group
    .command('show')
    .argument('<name>')
    .description('what it says, its count now, its versions, what rests on it')
    .option('--format <format>', 'table or json', 'table')
    .action(
      acting(async (name: string, o: { format: string }) => {
        const api = client();
        const [s, versions] = await Promise.all([api.countSelection(name), api.selectionVersions(name)]);
        if (readFormat(o.format) !== 'table') return printJson(readFormat(o.format), { ...s, versions });
        out(`${s.name}: ${number(s.lastCount!)} ${s.typeLabel.toLowerCase()} now`);
        if (s.note) out(s.note);
        out(`${s.open ? 'Open to all' : 'Private'}, saved by ${s.owner}`);
        if (s.usedBy.length > 0) out(`Used by ${s.usedBy.join(', ')}`);
        out('');
        const rows = versions.map((v) => [v.version, moment(v.changedAt), v.changedBy, said(v.selection)]);
        print({ columns: ['version', 'saved', 'by', 'says'], rows }, 'table');
      }),
    );
  withFile(group, {
    drop: (name) => client().dropSelection(name),
    about: 'all of them as a JSON file, filters in CQL2 JSON',
    read: () => client().files.selectionsFile(),
    take: (file, taken) => client().importSelections({ file: file as SelectionsFileBody, taken }),
  });
};

function said({ filter, type: _, ...rest }: { filter?: string; type: string }): string {
  const more = Object.keys(rest).length > 0 ? JSON.stringify(rest) : '';
  return [filter, more].filter(Boolean).join(' ');
}
