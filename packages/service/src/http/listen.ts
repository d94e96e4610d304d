import { STATUS_CODES, type Server } from 'node:http';
import type { Duplex } from 'node:stream';
import { ProblemError, type ProblemCode } from '@tantamos/core';
import type { Express } from 'express';
import { problemDetails } from './problem-details';

/** Listens on loopback. A request has to arrive within a minute, its head within 15 s. */
export function listen(app: Express, port: number): Server {
  const server = app.listen(port, '127.0.0.1');
  server.headersTimeout = 15_000;
  server.requestTimeout = 60_000;
  // Longer than clients and proxies keep theirs: else a request may meet a connection that is just being closed.
  server.keepAliveTimeout = 65_000;
  server.on('clientError', refuse);
  return server;
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
