import { clip, ProblemError, type ProblemCode } from '@tantamos/core';
import type { ProblemDetails } from '@tantamos/contract';
import type { ErrorRequestHandler, Response } from 'express';
import { isSaidByDatabase, isTakenAway, outage } from '../database/refusal';

/** HTTP statuses of problems that are not simply a bad request (400). */
const statuses: Partial<Record<ProblemCode, number>> = {
  unknown_type: 404,
  not_found: 404,
  not_ready: 409,
  preview_expired: 410,
  preview_started: 409,
  preview_cancelled: 409,
  nothing_to_do: 409,
  over_limit: 409,
  expect_required: 409,
  expect_mismatch: 409,
  catalog_changed: 409,
  wrong_state: 409,
  already_undone: 409,
  unknown_entries: 409,
  circle: 409,
  name_taken: 409,
  would_alter: 409,
  stale_version: 409,
  nothing_to_undo: 409,
  journal_dropped: 410,
  not_signed_in: 401,
  wrong_credentials: 401,
  not_permitted: 403,
  cross_site: 403,
  unknown_host: 421,
  unsupported_media_type: 415,
  key_reused: 409,
  too_many_requests: 429,
  too_slow: 504,
  busy: 503,
  unavailable: 503,
};

/** Seconds after which to ask again where nobody knows better. */
const usualWait = 5;

/** RFC 9457 problem details of what went wrong. */
export function problemDetails(error: ProblemError): ProblemDetails {
  const [first] = error.problems;
  const status = statuses[first.code] ?? 400;
  return {
    type: `urn:tantamos:problem:${first.code}`,
    title: first.code.replaceAll('_', ' '),
    status,
    detail: first.message,
    code: first.code,
    problems: error.problems,
  };
}

/** Errors a person can act on become problem details; anything else is logged and told as 500 without its inside. */
export const answerProblems: ErrorRequestHandler = (error: unknown, req, res, next) => {
  // Whoever asked has gone, in the middle of the question or of the answer: there is nobody to tell, and nothing wrong here.
  if (isLeft(error)) {
    req.log.debug('left half way');
    res.destroy();
    return next();
  }
  if (res.headersSent) {
    req.log.error({ err: error }, 'an answer broke off');
    res.destroy();
    return next();
  }
  const known = asProblemError(error);
  if (!known) req.log.error({ err: error }, 'request failed');
  const details = known
    ? problemDetails(known)
    : ({
        type: 'urn:tantamos:problem:bug',
        title: 'bug',
        status: 500,
        detail: 'Something went wrong in the service; its log says what.',
        code: 'bug',
        problems: [],
      } as const);
  sendDetails(res, details, known?.problems[0].retryAfter);
};

/** Answers with what was wrong. */
export function sendProblem(res: Response, error: ProblemError): void {
  sendDetails(res, problemDetails(error), error.problems[0].retryAfter);
}

function sendDetails(res: Response, details: ProblemDetails, retryAfter?: number): void {
  const wait = retryAfter ?? (details.status === 503 ? usualWait : undefined);
  if (wait !== undefined) res.setHeader('Retry-After', String(wait));
  res.status(details.status).type('application/problem+json').send(JSON.stringify(details));
}

function isLeft(error: unknown): boolean {
  const { code, type } = (error ?? {}) as { code?: string; type?: string };
  return code === 'ERR_STREAM_PREMATURE_CLOSE' || type === 'request.aborted';
}

function asProblemError(error: unknown): ProblemError | undefined {
  if (error instanceof ProblemError) return error;
  const { type, status } = error as { type?: string; status?: number };
  if (status === 404) return new ProblemError({ code: 'not_found', message: 'There is nothing here.' });
  if (type === 'entity.too.large')
    return new ProblemError({ code: 'too_long', message: 'The request is larger than 8 MB.' });
  if (type === 'entity.parse.failed')
    return new ProblemError({ code: 'bad_request', message: 'The body is not valid JSON.' });
  if (status === 415)
    return new ProblemError({
      code: 'unsupported_media_type',
      message: 'The encoding or character set of the body is not supported; send UTF-8.',
    });
  if (status !== undefined && status >= 400 && status < 500)
    return new ProblemError({ code: 'bad_request', message: 'The request cannot be read as it was sent.' });
  const down = outage(error);
  if (down !== null)
    return new ProblemError({
      code: 'unavailable',
      message: down.replace(/; the run goes on.*/, '; try again later.'),
    });
  if (isTakenAway(error))
    return new ProblemError({ code: 'unavailable', message: 'Tantamos has been taken away from this database.' });
  if (isSaidByDatabase(error))
    return new ProblemError({
      code: 'unavailable',
      message: `The database could not answer: ${clip((error as Error).message, 300)}`,
    });
  return undefined;
}
