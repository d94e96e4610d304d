import 'reflect-metadata';
import { parentPort, workerData } from 'node:worker_threads';
import { pino } from 'pino';
import type { ThreadData } from './heavy-requests';
import { createApp } from './app';
import { openHelper } from '../services';

// The thread that answers heavy requests (see `HeavyRequests`): the same routes, on a socket, with a few connections of its own.

const { url, socket, hosts, proxies } = workerData as ThreadData;

async function serve(): Promise<void> {
  const log = pino({ level: process.env.TANTAMOS_LOG ?? 'warn' }, pino.destination(2));
  const services = await openHelper({ url, log });
  const server = createApp(services, { hosts, proxies, heavy: null }).listen(socket);
  server.once('listening', () => parentPort!.postMessage('ready'));
  const close = async (): Promise<void> => {
    server.close();
    server.closeAllConnections();
    await services.close();
    process.exit(0);
  };
  parentPort!.on('message', (word: 'refresh' | 'end' | 'close') => {
    if (word === 'refresh') services.catalogs.refresh();
    else if (word === 'close') void close();
    // A preview that it works on is finished first.
    else void services.previews.idle().then(close);
  });
}

void serve();
