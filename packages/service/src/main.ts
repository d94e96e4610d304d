#!/usr/bin/env node
import 'reflect-metadata';
import type { Server } from 'node:http';
import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { ProblemError } from '@tantamos/core';
import { isEmpty, loadMeadowline } from '@tantamos/demo';
import { pino } from 'pino';
import { needAccounts, type Entry } from './accounts/demo-accounts';
import { Database } from './database/database';
import { isPooler, poolerWords, preflight } from './database/preflight';
import { codeOf, outage } from './database/refusal';
import { createApp } from './http/app';
import { HeavyRequests } from './http/heavy-requests';
import { listen, usualSenders } from './http/listen';
import { openServices } from './services';

/**
 * Settings by environment: TANTAMOS_DATABASE_URL, TANTAMOS_OWNER_URL (the account that owns the schema, if another),
 * TANTAMOS_PORT, TANTAMOS_LOG, TANTAMOS_HOSTS (names it answers under besides loopback, with commas between),
 * TANTAMOS_AWAIT_COMMITS (`yes`: batches wait for the disk), TANTAMOS_PROXIES (addresses or networks of proxies that are believed).
 */
async function serve(): Promise<void> {
  const url = process.env.TANTAMOS_DATABASE_URL || stop('TANTAMOS_DATABASE_URL does not say which database to use.');
  const port = Number(process.env.TANTAMOS_PORT ?? 7410);
  if (!Number.isInteger(port) || port < 0 || port > 65535) stop(`“${process.env.TANTAMOS_PORT}” is no port.`);
  const log = pino({ level: process.env.TANTAMOS_LOG ?? 'warn' }, pino.destination(2));
  const ownerUrl = process.env.TANTAMOS_OWNER_URL || undefined;
  const demoLoaded = await needDemo(ownerUrl ?? url);
  let gone = (): void => {};
  const services = await openServices({
    url,
    ownerUrl,
    awaitsCommits: process.env.TANTAMOS_AWAIT_COMMITS === 'yes',
    log,
    gone: () => gone(),
  }).catch((error: unknown) => stop(startTrouble(error, url)));
  const entries = await needAccounts(services, demoLoaded);
  const folder = join(__dirname, '..', '..', 'console', 'dist');
  const hosts = listed(process.env.TANTAMOS_HOSTS);
  const proxies = listed(process.env.TANTAMOS_PROXIES);
  const heavy = new HeavyRequests({ url, hosts, proxies }, services.spending);
  services.catalogs.onRefresh = () => heavy.refresh();
  const app = createApp(services, { consoleFolder: existsSync(folder) ? folder : null, hosts, proxies, heavy });
  const server = listen(app, port, usualSenders, proxies);
  server.once('error', async (error: NodeJS.ErrnoException) => {
    await services.close();
    stop(
      error.code === 'EADDRINUSE'
        ? `Port ${port} is taken. Choose another: npm start -- --port ${port + 1}`
        : error.message,
    );
  });
  server.once('listening', () => sayReady(server, entries));
  let stopping = false;
  const end = (): void => {
    if (stopping) return;
    stopping = true;
    server.close();
    server.closeAllConnections();
    void heavy
      .close()
      .then(() => services.close())
      .then(() => process.exit(0));
  };
  gone = () => {
    process.stdout.write('\n  Tantamos has been taken away from the database; the service ends.\n\n');
    end();
  };
  // `disconnect`: whoever started us over a channel is gone, without having been able to say so.
  for (const event of ['SIGINT', 'SIGTERM', 'disconnect'] as const) process.on(event, end);
}

/** Loads the demo data into a database without tables. True if it did. */
async function needDemo(url: string): Promise<boolean> {
  const client = await new Database({ url }).listener().catch((error: unknown) => stop(startTrouble(error, url)));
  try {
    const { readOnly } = await preflight(client);
    if (readOnly !== null) return false;
    const { rows } = await client.query<{ there: boolean }>(`select to_regnamespace('tantamos') is not null as there`);
    // A database that Tantamos has been on before is somebody's, however empty it is by now.
    if (rows[0]!.there || !(await isEmpty(client))) return false;
    process.stderr.write('  loading the demo data …\n');
    await loadMeadowline(client);
    return true;
  } finally {
    await client.end();
  }
}

function sayReady(server: Server, entries: readonly Entry[]): void {
  const address = server.address();
  const port = typeof address === 'object' && address ? address.port : 0;
  const accounts = entries.map((a) => `    ${a.login.padEnd(8)} ${a.password.padEnd(16)} ${a.role}`);
  const entry = accounts.length > 0 ? ['', '  Sign in as', ...accounts] : [];
  process.stdout.write(
    ['', `  Tantamos is ready:  http://127.0.0.1:${port}`, ...entry, '', '  Stop with Ctrl-C.', '', ''].join('\n'),
  );
}

function startTrouble(error: unknown, url: string): string {
  if (error instanceof ProblemError) return error.message;
  const where = url.replace(/\/\/[^@]*@/, '//');
  const code = codeOf(error);
  if (code === '3D000') return `The database of ${where} does not exist.`;
  if (isWithoutPassword(error))
    return `The database at ${where} asks for a password; the address in the environment names none for this account.`;
  if (/^28/.test(code)) return `The database at ${where} does not let this account in: ${(error as Error).message}`;
  if (code === '42501')
    return `The account may not make the schema “tantamos” in ${where}: ${(error as Error).message}`;
  if (code === '25006') return `The database at ${where} is read-only, and Tantamos has not been set up in it yet.`;
  if (isPooler(error)) return poolerWords;
  if (outage(error) === null) return `Tantamos could not start: ${(error as Error).message.split('\n')[0]}`;
  return `The database at ${where} cannot be reached: ${(error as Error).message || code}`;
}

/** node-postgres has no code for it. */
const isWithoutPassword = (error: unknown): boolean =>
  error instanceof Error && /^SASL: .*client password must be/.test(error.message);

function listed(text: string | undefined): string[] {
  return (text ?? '')
    .split(',')
    .map((t) => t.trim())
    .filter(Boolean);
}

function stop(message: string): never {
  process.stderr.write(`\n  ${message}\n\n`);
  process.exit(1);
}

serve().catch((error: unknown) => stop(startTrouble(error, process.env.TANTAMOS_DATABASE_URL ?? '')));
