/** What the exit code of a command says. */
export const exitCodes = {
  done: 0,
  problems: 1,
  usage: 2,
  nothingToDo: 3,
  waiting: 4,
  stoppedByLimit: 5,
  notSignedIn: 6,
  watchEnded: 7,
} as const;

export const exitHelp = `
Exit codes:
  0  done
  1  problems: something was wrong, or records were refused, in use, gone or edited since
  2  usage: the command line itself was wrong
  3  nothing to do
  4  waiting for you: the run asked after the first N, or is paused
  5  stopped by a limit: --at-most, --expect, a bound of the type, or one that the run came to
  6  not signed in
  7  watching ended by Ctrl-C; the run continues`;
