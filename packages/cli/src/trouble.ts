import { AnswerError } from '@tantamos/client';
import type { Problem } from '@tantamos/core';
import { CommanderError } from 'commander';
import color from 'picocolors';
import { exitCodes } from './exit';
import { printed, printedValue } from './control-characters';
import { placeOf, textAt } from './places';

/** A mistake on the command line, said in one sentence. */
export class UsageError extends Error {}

const codes: Record<string, number> = {
  nothing_to_do: exitCodes.nothingToDo,
  nothing_to_undo: exitCodes.nothingToDo,
  already_undone: exitCodes.nothingToDo,
  over_limit: exitCodes.stoppedByLimit,
  expect_mismatch: exitCodes.stoppedByLimit,
  expect_required: exitCodes.stoppedByLimit,
  not_signed_in: exitCodes.notSignedIn,
};

/** Tells on stderr what went wrong, with a caret under the place in the filter; returns the exit code. */
export function tell(error: unknown, filter?: string): number {
  if (error instanceof CommanderError) return error.exitCode === 0 ? 0 : exitCodes.usage;
  if (error instanceof UsageError) {
    process.stderr.write(`${color.red('error:')} ${printedValue(error.message)}\n`);
    return exitCodes.usage;
  }
  if (!(error instanceof AnswerError)) throw error;
  const problems =
    error.details.problems.length > 0
      ? error.details.problems
      : [{ code: 'unavailable', message: error.message } as Problem];
  for (const problem of problems) process.stderr.write(`${printed(problemText(problem, filter))}\n`);
  if (error.code === 'not_signed_in') process.stderr.write('Sign in with: tantamos sign-in\n');
  if (error.code === 'unavailable' && /does not answer/.test(error.message))
    process.stderr.write('Say where it is with --service URL (of sign-in), or TANTAMOS_SERVICE.\n');
  return codes[error.code] ?? exitCodes.problems;
}

export function problemText(problem: Problem, filter?: string): string {
  const place = problem.where && problem.where !== 'filter' ? ` (${placeOf(problem.where) ?? problem.where})` : '';
  const lines = [`${color.red('error:')} ${problem.message}${place}`];
  const where = problem.where ?? 'filter';
  const text = problem.text ?? (where === 'filter' ? filter : textAt(where));
  if (problem.span && text !== undefined) lines.push(...caret(text, problem.span));
  if (problem.code === 'unknown_entries') lines.push('  go on without them: --unknown skip');
  else if (problem.suggestions?.length) lines.push(`  did you mean ${problem.suggestions.join(', or ')}?`);
  return lines.join('\n');
}

/** The line of the filter the span is in, cut to what fits, and a line of carets beneath. */
function caret(filter: string, span: { start: number; end: number }): string[] {
  const lineStart = filter.lastIndexOf('\n', span.start - 1) + 1;
  const newline = filter.indexOf('\n', span.start);
  const lineEnd = newline < 0 ? filter.length : newline;
  const from = Math.max(lineStart, span.start - 50);
  const to = Math.min(lineEnd, Math.max(span.end, span.start) + 40, from + 110);
  const length = Math.max(1, Math.min(span.end, to) - span.start);
  const before = from > lineStart ? '…' : '';
  const text = `${before}${printedValue(filter.slice(from, to))}${to < lineEnd ? '…' : ''}`;
  return [`  ${text}`, `  ${' '.repeat(before.length + span.start - from)}${color.red('^'.repeat(length))}`];
}
