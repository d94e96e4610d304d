import { withoutLater } from './part-options';
import { makeProgram } from './program';
import { tell } from './trouble';
import { outcome } from './verbs/verb';

// A reader that has seen enough (head, less) closes the pipe: that is no error.
process.stdout.on('error', (error: NodeJS.ErrnoException) => process.exit(error.code === 'EPIPE' ? 0 : 1));

void Promise.resolve()
  .then(() => makeProgram().parseAsync([...withoutLater(process.argv.slice(2))], { from: 'user' }))
  .then(() => outcome.code)
  .catch((error: unknown) => tell(error, outcome.filter))
  .then((code) => {
    process.exitCode = code;
  });
