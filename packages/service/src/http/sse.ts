import type { Request, Response } from 'express';

/** How often progress is looked at while somebody watches, in ms. */
const lookEvery = 300;
const keepAliveEvery = 15_000;

/**
 * Server-sent events (WHATWG HTML, section 9.2): an event `state` with the newest view whenever it differs from the
 * last one, until `isLast` says that nothing more will come.
 */
export async function sendEvents<T>(
  req: Request,
  res: Response,
  look: () => Promise<T>,
  isLast: (view: T) => boolean,
): Promise<void> {
  let open = true;
  req.on('close', () => (open = false));
  let view = await look();
  res.writeHead(200, { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store', 'X-Accel-Buffering': 'no' });
  let sent = '';
  let spoke = Date.now();
  while (open) {
    const text = JSON.stringify(view);
    if (text !== sent) {
      res.write(`event: state\ndata: ${text}\n\n`);
      sent = text;
      spoke = Date.now();
    } else if (Date.now() - spoke > keepAliveEvery) {
      res.write(': still here\n\n');
      spoke = Date.now();
    }
    if (isLast(view)) break;
    await new Promise((resolve) => setTimeout(resolve, lookEvery));
    if (open) view = await look();
  }
  res.end();
}
