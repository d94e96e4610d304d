import type { Request, Response } from 'express';
import type { Events, Topic } from '../database/events';

/** A watcher hears of news at once; should one be lost, it looks again after this time all the same, in ms. */
const lookAgainAfter = 5000;
/**
 * Looks of one watcher are at least so far apart in the end, in ms; the first ones follow sooner, each after twice the time of the
 * one before: what is small is over by then.
 */
const leastBetween = 150;
const firstBetween = 10;
const keepAliveEvery = 15_000;

export interface Watched<T> {
  readonly events: Events;
  readonly topic: Topic;
  look(): Promise<T>;
  /** Nothing more will come. */
  isLast(view: T): boolean;
}

/**
 * Server-sent events (WHATWG HTML, section 9.2): an event `state` with the newest view whenever there is news and it
 * differs from the last one, until nothing more will come.
 */
export async function sendEvents<T>(
  req: Request,
  res: Response,
  { events, topic, look, isLast }: Watched<T>,
): Promise<void> {
  let open = true;
  let news = false;
  let heard = (): void => {};
  const quiet = events.on(topic, () => {
    news = true;
    heard();
  });
  req.on('close', () => {
    open = false;
    heard();
  });
  try {
    let view = await look();
    res.writeHead(200, { 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-store', 'X-Accel-Buffering': 'no' });
    let sent = '';
    let spoke = Date.now();
    for (let between = firstBetween; open; between = Math.min(between * 2, leastBetween)) {
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
      await pause(between);
      if (open && !news) await waitForNews((listener) => (heard = listener));
      news = false;
      if (open) view = await look();
    }
  } finally {
    quiet();
    if (res.headersSent) res.end();
  }
}

function pause(ms: number): Promise<void> {
  return new Promise((resolve) => setTimeout(resolve, ms));
}

function waitForNews(listen: (listener: () => void) => void): Promise<void> {
  return new Promise((resolve) => {
    const timer = setTimeout(resolve, lookAgainAfter);
    listen(() => {
      clearTimeout(timer);
      resolve();
    });
  });
}
