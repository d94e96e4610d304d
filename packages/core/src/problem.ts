/** A place in a text: offsets in UTF-16 code units, `end` exclusive. */
export interface Span {
  readonly start: number;
  readonly end: number;
}

/** A mistake a person can act on. `code` is stable and machine-readable, `message` is one sentence. */
export interface Problem {
  readonly code: ProblemCode;
  readonly message: string;
  /** Which part of the request it concerns: `filter`, `edits[0].value`, `columns`… */
  readonly where?: string;
  readonly span?: Span;
  /** The text the span is in, where it is not the one that was sent (a filter sent as JSON). */
  readonly text?: string;
  /** Nearest right things, best first; each could replace the span as it is. */
  readonly suggestions?: readonly string[];
  /** Seconds after which it may be tried again (`Retry-After`). */
  readonly retryAfter?: number;
}

/** Every code a problem can carry; the HTTP floor maps each to a status, the CLI to an exit code. */
export const problemCodes = [
  'syntax',
  'too_deep',
  'too_long',
  'unknown_type',
  'unknown_field',
  'unknown_name',
  'ambiguous_name',
  'unknown_choice',
  'unknown_function',
  'type_mismatch',
  'bad_value',
  'value_too_long',
  'not_editable',
  'not_changeable',
  'same_field_twice',
  'no_edits',
  'why_required',
  'not_found',
  'not_ready',
  'preview_expired',
  'preview_started',
  'preview_cancelled',
  'nothing_to_do',
  'over_limit',
  'expect_required',
  'expect_mismatch',
  'catalog_changed',
  'wrong_state',
  'already_undone',
  'unknown_entries',
  'circle',
  'name_taken',
  'would_alter',
  'stale_version',
  'nothing_to_undo',
  'journal_dropped',
  'not_signed_in',
  'wrong_credentials',
  'not_permitted',
  'cross_site',
  'unknown_host',
  'bad_request',
  'unsupported_media_type',
  'key_reused',
  'too_many_requests',
  'too_slow',
  'busy',
  'unavailable',
] as const;
export type ProblemCode = (typeof problemCodes)[number];

/** The one error class for mistakes a person can act on; carries one or more problems. */
export class ProblemError extends Error {
  readonly problems: readonly [Problem, ...Problem[]];
  constructor(problem: Problem, ...more: Problem[]) {
    super(problem.message);
    this.name = 'ProblemError';
    this.problems = [problem, ...more];
  }
  get code(): ProblemCode {
    return this.problems[0].code;
  }
}

/** Throws the one problem given. */
export function fail(code: ProblemCode, message: string, more: Omit<Problem, 'code' | 'message'> = {}): never {
  throw new ProblemError({ code, message, ...more });
}

/** Runs `work`; problems it throws come back with their place named. */
export function within<T>(where: string, work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const [first, ...rest] = error.problems.map((p) => ({ ...p, where: p.where ?? where }));
    throw new ProblemError(first!, ...rest);
  }
}

/** The same with the places that they have already inside that one: `transitions.field`. */
export function inside<T>(where: string, work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    const [first, ...rest] = error.problems.map((p) => ({ ...p, where: p.where ? `${where}.${p.where}` : where }));
    throw new ProblemError(first!, ...rest);
  }
}

/** Does several things and keeps what is wrong with each, so that all of it can be told at once. */
export class Gathered {
  readonly problems: Problem[] = [];

  gather<T>(work: () => T): T | undefined {
    try {
      return work();
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
      this.problems.push(...error.problems);
      return undefined;
    }
  }

  /** Throws them all if there are any; beyond `most` it says only how many more there are. */
  raise(most = Infinity): void {
    const [first, ...more] = this.problems;
    if (!first) return;
    const beyond = more.length + 1 - most;
    if (beyond <= 0) throw new ProblemError(first, ...more);
    const rest: Problem = {
      code: first.code,
      message: `… and ${beyond.toLocaleString('en-US')} more.`,
      where: first.where,
    };
    throw new ProblemError(first, ...more.slice(0, most - 1), rest);
  }
}

/** A user's text cut to a length that fits a sentence. */
export function clip(text: string, length = 60): string {
  return text.length <= length ? text : `${text.slice(0, length - 1)}…`;
}
