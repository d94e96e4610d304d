import type { Response } from 'express';

/** A search that takes longer than this is stopped and says so, in ms. */
export const longestSearch = 30_000;

/** Fires when the person has moved on: the connection closed before the answer. */
export function gone(res: Response): AbortSignal {
  const controller = new AbortController();
  res.on('close', () => !res.writableEnded && controller.abort());
  return controller.signal;
}
