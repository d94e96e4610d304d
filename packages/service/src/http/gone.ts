import type { Response } from 'express';

/** Fires when the person has moved on: the connection closed before the answer. */
export function gone(res: Response): AbortSignal {
  const controller = new AbortController();
  res.on('close', () => !res.writableEnded && controller.abort());
  return controller.signal;
}
