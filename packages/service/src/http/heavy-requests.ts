import { mkdtempSync, rmSync } from 'node:fs';
import { request, type IncomingMessage } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { pipeline } from 'node:stream/promises';
import { Worker } from 'node:worker_threads';
import { ProblemError } from '@tantamos/core';
import type { Route } from '@tantamos/contract';
import type { Request, RequestHandler, Response } from 'express';
import { sendProblem } from './problem-details';
import { personOf } from './security';
import type { Spending } from '../spending';

/** A request of more bytes than this is heavy: reading and compiling it could take 50 ms. */
export const heavyBody = 10_000;
/** The thread ends when it has had nothing to do for so long, in ms, so that its memory is free again. */
const idleFor = 120_000;
/** Its heap, in MB: what needs more ends the thread, not the service. */
const mostMemory = 768;

const program = join(__dirname, '..', '..', 'dist', 'http', 'heavy-thread.js');

/** What the thread is started with. */
export interface ThreadData {
  readonly url: string;
  readonly socket: string;
  readonly hosts: readonly string[];
  readonly proxies: readonly string[];
}

interface Thread {
  readonly worker: Worker;
  readonly ready: Promise<void>;
  /** Requests that it is answering. */
  active: number;
  idle: NodeJS.Timeout | undefined;
}

/**
 * Answers heavy requests in a thread of their own, with the same routes and rules: large ones, and those of people who have spent
 * more than their share of compiling lately. However long those take to read, compile and plan, others are answered meanwhile.
 * The thread is started by the first of them.
 */
export class HeavyRequests {
  private readonly folder = mkdtempSync(join(tmpdir(), 'tantamos-heavy-'));
  private thread: Thread | undefined;
  private started = 0;
  private closed = false;

  constructor(
    private readonly data: Omit<ThreadData, 'socket'>,
    private readonly spending: Spending,
  ) {}

  /** Passes on what is heavy; counts what is not. Undefined for routes where nothing can be. */
  handlerFor(route: Route): RequestHandler | undefined {
    const canBe = !route.open && !route.takes && !route.path.startsWith('/api/me') && (route.body || route.searches);
    if (!canBe) return undefined;
    return async (req, res, next) => {
      const who = personOf(res).id;
      const size = sizeOf(req);
      if (size <= heavyBody && !this.spending.isOver(who)) {
        this.spending.add(who, size);
        return next();
      }
      await this.answer(req, res);
    };
  }

  /** The thread reads the tables again, as this one does. */
  refresh(): void {
    this.thread?.worker.postMessage('refresh');
  }

  async close(): Promise<void> {
    this.closed = true;
    const { thread } = this;
    if (thread) await this.end(thread);
    rmSync(this.folder, { recursive: true, force: true });
  }

  private async answer(req: Request, res: Response): Promise<void> {
    const { socket, thread } = this.running();
    thread.active++;
    clearTimeout(thread.idle);
    try {
      await thread.ready;
      await passedOn(req, res, socket);
    } catch {
      // Who has gone needs no answer; for the others, the thread has ended over it, or could not start.
      if (res.destroyed || res.writableEnded) return;
      if (res.headersSent) res.destroy();
      else
        sendProblem(
          res,
          new ProblemError({
            code: 'busy',
            message: 'This request needs more than the service can give it now.',
            retryAfter: 5,
          }),
        );
    } finally {
      thread.active--;
      if (thread.active === 0 && this.thread === thread) {
        thread.idle = setTimeout(() => void this.end(thread), idleFor);
        thread.idle.unref();
      }
    }
  }

  private running(): { readonly socket: string; readonly thread: Thread } {
    if (this.thread) return { socket: this.socketOf(this.started), thread: this.thread };
    const socket = this.socketOf(++this.started);
    const workerData: ThreadData = { ...this.data, socket };
    const worker = new Worker(program, { workerData, resourceLimits: { maxOldGenerationSizeMb: mostMemory } });
    const ready = new Promise<void>((resolve, reject) => {
      worker.once('message', () => resolve());
      worker.once('error', reject);
      worker.once('exit', () => reject(new Error('The thread has ended.')));
    });
    // Whoever waits for it hears of it; nobody may.
    ready.catch(() => {});
    worker.on('error', () => {});
    const thread: Thread = { worker, ready, active: 0, idle: undefined };
    worker.once('exit', () => {
      if (this.thread === thread) this.thread = undefined;
    });
    this.thread = thread;
    return { socket, thread };
  }

  /** Asks it to end: it does once it works on nothing, or at once where the service ends. */
  private async end(thread: Thread): Promise<void> {
    clearTimeout(thread.idle);
    if (this.thread === thread) this.thread = undefined;
    const ended = new Promise((resolve) => thread.worker.once('exit', resolve));
    await thread.ready.catch(() => {});
    thread.worker.postMessage(this.closed ? 'close' : 'end');
    if (this.closed) await ended;
  }

  private socketOf(n: number): string {
    return join(this.folder, String(n));
  }
}

/** Bytes of its body and address; of a body whose length is not given, as if it were large. */
function sizeOf({ headers, originalUrl }: Request): number {
  if (headers['transfer-encoding'] !== undefined) return Infinity;
  return Number(headers['content-length'] ?? 0) + originalUrl.length;
}

/** Sends the request through the socket and its answer back, each as it comes. */
async function passedOn(req: Request, res: Response, socketPath: string): Promise<void> {
  const { method, originalUrl: path, headers } = req;
  const inner = request({ socketPath, method, path, headers });
  const answered = new Promise<IncomingMessage>((resolve, reject) => {
    inner.once('response', resolve);
    inner.once('error', reject);
  });
  res.once('close', () => inner.destroy());
  const sent = pipeline(req, inner).catch(() => {});
  const answer = await answered;
  res.writeHead(answer.statusCode!, answer.headers);
  await pipeline(answer, res);
  await sent;
}
