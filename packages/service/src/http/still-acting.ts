import type { RequestHandler } from 'express';
import { ProblemError } from '@tantamos/core';
import type { Accounts } from '../accounts/accounts';
import { sendProblem } from './problem-details';
import { personOf } from './security';

/** How often it is asked for a request that takes long, in ms. */
const askEvery = 1000;

/**
 * Ends a request that is still being answered (a download, an upload, an event stream) soon after its account may no longer act:
 * with the reason where no part of the answer has been sent.
 */
export function whileActing(accounts: Accounts): RequestHandler {
  return (_req, res, next) => {
    const { id } = personOf(res);
    const timer = setInterval(() => {
      accounts.acting(id).catch((error: unknown) => {
        // What else went wrong is for whoever answers.
        if (!(error instanceof ProblemError) || res.destroyed) return;
        clearInterval(timer);
        if (res.headersSent) res.destroy();
        else sendProblem(res, error);
      });
    }, askEvery);
    timer.unref();
    res.once('close', () => clearInterval(timer));
    next();
  };
}
