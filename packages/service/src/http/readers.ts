import type { Response } from 'express';

/** A reader takes at least so many bytes in so many ms while there are some for it, or is left. */
export interface Patience {
  readonly bytes: number;
  readonly ms: number;
}
export const usualReader: Patience = { bytes: 65_536, ms: 30_000 };

/** Ends the answer of a reader who does not read: what it holds (a statement, a connection) is wanted by others. */
export function mustBeRead(res: Response, { bytes, ms }: Patience): void {
  const { socket } = res;
  if (!socket) return;
  let read = socket.bytesWritten;
  let since = Date.now();
  const timer = setInterval(() => {
    if (!res.writableNeedDrain || socket.bytesWritten - read >= bytes) {
      read = socket.bytesWritten;
      since = Date.now();
    } else if (Date.now() - since >= ms) res.destroy(new Error('The reader does not read.'));
  }, ms / 10);
  timer.unref();
  res.once('close', () => clearInterval(timer));
}
