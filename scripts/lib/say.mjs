/** Talk of the scripts: to stderr, one line a step. */
export function say(text) {
  process.stderr.write(`  ${text}\n`);
}

/** An error a person can act on: printed without a stack. */
export class Trouble extends Error {}

/** Runs a script's main function; a Trouble is one clear line and exit code 1. */
export async function main(work) {
  try {
    await work();
  } catch (error) {
    if (!(error instanceof Trouble)) throw error;
    process.stderr.write(`\n  ${error.message.replaceAll('\n', '\n  ')}\n\n`);
    process.exitCode = 1;
  }
}
