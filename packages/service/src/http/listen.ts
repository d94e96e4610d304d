import { createServer, STATUS_CODES, type IncomingMessage, type Server } from 'node:http';
import type { Duplex } from 'node:stream';
import type { Socket } from 'node:net';
import { ProblemError, type ProblemCode } from '@tantamos/core';
import type { Express } from 'express';
import { problemDetails } from './problem-details';

/** How slow a sender may be, and how many connections one address may have. Times in ms. */
export interface Senders {
  /** The head of a request, from the first byte on; the whole of it. */
  readonly head: number;
  readonly whole: number;
  /** A body arrives at so many bytes in so long at least, while it is being read. */
  readonly bytes: number;
  readonly every: number;
  readonly connections: number;
}
export const usualSenders: Senders = { head: 15_000, whole: 60_000, bytes: 5_000, every: 5_000, connections: 400 };

/** Listens on loopback. Behind `proxies`, connections are not counted: they are of many people. */
export function listen(app: Express, port: number, senders = usualSenders, proxies: readonly string[] = []): Server {
  // It looks for what is late once a second; the usual half a minute would come on top of each limit.
  const server = createServer({ connectionsCheckingInterval: Math.min(1000, senders.head) }, app);
  server.headersTimeout = senders.head;
  server.requestTimeout = senders.whole;
  // Longer than clients and proxies keep theirs: else a request may meet a connection that is just being closed.
  server.keepAliveTimeout = 65_000;
  server.on('clientError', refuse);
  if (proxies.length === 0) server.on('connection', limitConnections(senders.connections));
  server.on('request', (req: IncomingMessage) => mustKeepSending(req, senders));
  return server.listen(port, '127.0.0.1');
}

/** Closes connections of an address that has too many. */
function limitConnections(most: number): (socket: Socket) => void {
  const open = new Map<string, number>();
  return (socket) => {
    const address = socket.remoteAddress ?? '';
    const count = (open.get(address) ?? 0) + 1;
    if (count > most) return void socket.destroy();
    open.set(address, count);
    socket.once('close', () => {
      const left = open.get(address)! - 1;
      if (left > 0) open.set(address, left);
      else open.delete(address);
    });
  };
}

/** Ends a request whose body comes too slowly; not while it waits for us to read on. */
function mustKeepSending(req: IncomingMessage, { bytes, every }: Senders): void {
  if (!req.headers['transfer-encoding'] && !(Number(req.headers['content-length']) > 0)) return;
  const { socket } = req;
  let before = socket.bytesRead;
  let waitedForUs = true;
  const timer = setInterval(() => {
    if (req.complete) return clearInterval(timer);
    const isRead = req.readableFlowing === true;
    if (isRead && !waitedForUs && socket.bytesRead - before < bytes)
      refuse(Object.assign(new Error('too slow'), { code: 'ERR_HTTP_REQUEST_TIMEOUT' }), socket);
    waitedForUs = !isRead;
    before = socket.bytesRead;
  }, every);
  timer.unref();
  req.once('close', () => clearInterval(timer));
}

const troubles: Readonly<Record<string, readonly [number, ProblemCode, string]>> = {
  HPE_HEADER_OVERFLOW: [
    431,
    'too_long',
    'The address and headers of the request are too long; send a filter in a body.',
  ],
  ERR_HTTP_REQUEST_TIMEOUT: [408, 'too_slow', 'The request did not arrive in time.'],
};

/** What never becomes a request is refused in the same form as anything else. */
function refuse(error: NodeJS.ErrnoException, socket: Duplex): void {
  if (error.code === 'ECONNRESET' || !socket.writable) return void socket.destroy();
  const [status, code, message] = troubles[error.code ?? ''] ?? [400, 'bad_request', 'The request cannot be read.'];
  const body = JSON.stringify({ ...problemDetails(new ProblemError({ code, message })), status });
  socket.end(
    [
      `HTTP/1.1 ${status} ${STATUS_CODES[status]}`,
      'Content-Type: application/problem+json',
      `Content-Length: ${Buffer.byteLength(body)}`,
      'Connection: close',
      '',
      body,
    ].join('\r\n'),
  );
}
