import { Command } from 'commander';
import { version } from './version';
import { exitHelp } from './exit';
import { changes } from './verbs/changes';
import { counts } from './verbs/counts';
import { exporting } from './verbs/export';
import { file } from './verbs/file';
import { find } from './verbs/find';
import { handover } from './verbs/handover';
import { functions } from './verbs/functions';
import { start } from './verbs/start';
import { steps } from './verbs/steps';
import { job } from './verbs/job';
import { match } from './verbs/match';
import { selection } from './verbs/selection';
import { values } from './verbs/values';
import { preset } from './verbs/preset';
import { preview } from './verbs/preview';
import { record } from './verbs/record';
import { result } from './verbs/result';
import { rule } from './verbs/rule';
import { run } from './verbs/run';
import { whole } from './verbs/whole';
import { detach, settings } from './verbs/settings';
import { accounts, mine } from './verbs/accounts';
import { drafts } from './verbs/drafts';
import { rights } from './verbs/rights';
import { signIn } from './verbs/sign-in';
import { types } from './verbs/types';
import type { Verb } from './verbs/verb';
import { completion } from './verbs/completion';
import { withHelp } from './help';
import { printRaw } from './control-characters';
import { tellOptions } from './places';

/** All verbs, in the order of the steps of a job. */
const groups: readonly (readonly [string, readonly Verb[]])[] = [
  ['Begin:', [signIn, mine, start]],
  ['Find records:', [types, find, values, counts, match, selection, exporting, record]],
  ['Write a change:', [functions, steps, preset, file]],
  ['Preview:', [preview, whole, handover]],
  ['Run and undo:', [run]],
  ['Result:', [result, changes]],
  ['Keep for next time:', [rule, job, drafts]],
  ['Administer:', [settings, accounts, rights, detach]],
  ['Help:', [completion]],
];

/** The program with all its verbs. */
export function makeProgram(): Command {
  const program = new Command('tantamos')
    .description('Say which records, see exactly what would happen, change them in bounded batches, take it back.')
    .version(version, '--version', 'the version of this program')
    .configureHelp({ sortSubcommands: false })
    .showSuggestionAfterError()
    .exitOverride()
    .addHelpText('after', exitHelp);
  for (const [heading, verbs] of groups) {
    program.commandsGroup(heading);
    for (const verb of verbs) verb(program);
  }
  withHelp(program);
  program.hook('preAction', (_, running) => printRaw(running.opts<{ raw?: true }>().raw === true));
  program.hook('preAction', (_, running) => tellOptions(running.options.flatMap((o) => o.long ?? [])));
  return program;
}
