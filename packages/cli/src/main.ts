import { Command } from 'commander';
import { exitHelp } from './exit';
import { tell } from './trouble';
import { counts } from './verbs/counts';
import { exporting } from './verbs/export';
import { find } from './verbs/find';
import { functions } from './verbs/functions';
import { match } from './verbs/match';
import { selection } from './verbs/selection';
import { values } from './verbs/values';
import { preview } from './verbs/preview';
import { record } from './verbs/record';
import { result } from './verbs/result';
import { run } from './verbs/run';
import { accounts, detach, settings, who } from './verbs/settings';
import { signIn } from './verbs/sign-in';
import { types } from './verbs/types';
import { outcome } from './verbs/verb';

const program = new Command('tantamos')
  .description('Say which records, see exactly what would happen, change them in bounded batches, take it back.')
  .configureHelp({ sortSubcommands: false })
  .showSuggestionAfterError()
  .exitOverride()
  .addHelpText('after', exitHelp);
for (const verb of [
  signIn,
  who,
  types,
  functions,
  find,
  values,
  counts,
  match,
  selection,
  exporting,
  record,
  preview,
  run,
  result,
  settings,
  accounts,
  detach,
])
  verb(program);

// A reader that has seen enough (head, less) closes the pipe: that is no error.
process.stdout.on('error', (error: NodeJS.ErrnoException) => process.exit(error.code === 'EPIPE' ? 0 : 1));

program
  .parseAsync()
  .then(() => outcome.code)
  .catch((error: unknown) => tell(error, outcome.filter))
  .then((code) => {
    process.exitCode = code;
  });
