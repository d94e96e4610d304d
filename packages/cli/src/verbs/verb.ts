import type { Command } from 'commander';

/** A verb adds itself to the program; its action returns the exit code. */
export type Verb = (program: Command) => void;

/** What the running action answered, for the process to exit with. */
export const outcome: { code: number; filter?: string } = { code: 0 };

/** Wraps an action so that its exit code is kept; `filter` is kept for the caret. */
export function acting<A extends unknown[]>(
  action: (...args: A) => Promise<number | void>,
): (...args: A) => Promise<void> {
  return async (...args) => {
    outcome.filter = args.map((a) => (a as { filter?: string } | null)?.filter).find((f) => typeof f === 'string');
    outcome.code = (await action(...args)) ?? 0;
  };
}
