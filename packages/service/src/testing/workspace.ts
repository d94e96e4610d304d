import { randomUUID } from 'node:crypto';
import type { AddressInfo } from 'node:net';
import { Client as Postgres, Pool } from 'pg';
import { pino } from 'pino';
import { Client } from '../../../client/src';
import { demoAccounts, needAccounts } from '../accounts/demo-accounts';
import { createApp } from '../http/app';
import { HeavyRequests } from '../http/heavy-requests';
import { listen, type Senders } from '../http/listen';
import type { Patience as Reader } from '../http/readers';
import { heard } from './answers';
import { Database } from '../database/database';
import { migrate } from '../database/migrate';
import { openServices, type Services } from '../services';
import type { Patience } from '../engine/batch';
import type { Seen } from '../rights/seen';

/** The cluster of `npm test`; a database of it by name. */
export function serverUrl(database: string): string {
  const server = process.env.TANTAMOS_TEST_SERVER;
  if (!server) throw new Error('Run the tests with npm test: it starts the database they need.');
  return server + database;
}

/** The password of every role of that cluster: also for those that tests create. */
export const testPassword = (): string => new URL(serverUrl('postgres')).password;

/** The same address for another role. */
export const asRole = (url: string, role: string): string => Object.assign(new URL(url), { username: role }).href;

/** The two roles of an installation (docs/operate.md); `npm test` creates them. */
export const ownerRole = 'meadowline_owner';
const everydayRole = 'tantamos_service';

/** A database of its own with the demo data in it, dropped at the end. */
export async function freshDatabase(
  template = 'meadowline_template',
): Promise<{ url: string; drop: () => Promise<void> }> {
  const name = `t_${randomUUID().replaceAll('-', '')}`;
  await onServer(`create database ${name} template ${template} owner ${ownerRole}`);
  return { url: serverUrl(name), drop: () => onServer(`drop database if exists ${name} with (force)`) };
}

const onServer = (text: string): Promise<void> => atServer(async (client) => void (await client.query(text)));

/** Copying a template takes turns with others that copy it. */
async function atServer(work: (client: Postgres) => Promise<void>): Promise<void> {
  const client = new Postgres({ connectionString: serverUrl('postgres') });
  await client.connect();
  try {
    await client.query('select pg_advisory_lock(1)');
    await work(client);
  } finally {
    await client.end();
  }
}

/** The name of the same template with our schema in it, made when it is first asked for: that is half of opening a workspace. */
async function broughtUp(template: string): Promise<string> {
  const name = `${template}_brought_up`;
  await atServer(async (client) => {
    if ((await client.query('select from pg_database where datname = $1', [name])).rowCount === 1) return;
    await client.query(`create database ${name}_soon template ${template} owner ${ownerRole}`);
    const database = new Database({ url: asRole(serverUrl(`${name}_soon`), ownerRole) });
    await migrate(database).finally(() => database.close());
    await client.query(`alter database ${name}_soon rename to ${name}`);
  });
  return name;
}

/** A service on a free port with the demo's accounts, its clients, and the database beside it. */
export interface Workspace {
  readonly services: Services;
  readonly base: string;
  readonly url: string;
  readonly admin: Client;
  readonly editor: Client;
  readonly reader: Client;
  readonly adminToken: string;
  /** Straight to the database, as somebody else would be. */
  readonly sql: Pool;
  close(): Promise<void>;
}

/** Locked records are given up on after a second, so that tests need not wait. */
/** Tests run beside each other on one server: what the others write would hold them up. */
const impatient: Patience = { tries: 4, firstWait: 100, givesWay: false };

export async function openWorkspace(
  options: {
    template?: string;
    /** A database that is there already, and stays. */
    url?: string;
    consoleFolder?: string;
    patience?: Patience;
    reader?: Reader;
    hosts?: string[];
    proxies?: string[];
    /** Hears every line of the log, at every level. */
    logged?: (line: string) => void;
    /** Done by the owner of the database before the service opens it. */
    before?: (sql: Pool) => Promise<unknown>;
    /** Role that the service works as, which also owns the schema; left out: the usual two roles. */
    role?: string;
    /** Does the owner of the database own the schema too, apart from that role? */
    twoRoles?: boolean;
    gone?: () => void;
    /** How slow senders may be, and how many connections an address may have. */
    senders?: Senders;
    /** Answers heavy requests in a thread of their own, as the program does. */
    heavy?: boolean;
  } = {},
): Promise<Workspace> {
  const { template = 'meadowline_template' } = options;
  // Otherwise bringing it up is part of what is tried.
  const isUsual = options.role === undefined && !options.twoRoles;
  const { url, drop } = options.url
    ? { url: options.url, drop: async () => {} }
    : await freshDatabase(isUsual && !options.before ? await broughtUp(template) : template);
  const sql = new Pool({ connectionString: url, max: 4 });
  sql.on('error', () => {});
  await options.before?.(sql);
  const services = await openServices({
    gone: options.gone,
    ownerUrl: isUsual ? asRole(url, ownerRole) : options.twoRoles ? url : undefined,
    url: asRole(url, options.role ?? everydayRole),
    log: options.logged
      ? pino({ level: 'trace' }, { write: options.logged })
      : pino({ level: process.env.TANTAMOS_LOG ?? 'silent' }, pino.destination(2)),
    patience: options.patience ?? impatient,
  });
  await needAccounts(services, true);
  const { consoleFolder, reader, hosts = [], proxies = [] } = options;
  const heavy = options.heavy
    ? new HeavyRequests({ url: asRole(url, options.role ?? everydayRole), hosts, proxies }, services.spending)
    : null;
  if (heavy) services.catalogs.onRefresh = () => heavy.refresh();
  const server = listen(
    createApp(services, { consoleFolder, reader, hosts, proxies, heavy }),
    0,
    options.senders,
    proxies,
  );
  await new Promise((resolve) => server.once('listening', resolve));
  const base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  // A database of an earlier version has fewer of them.
  const tokens = await Promise.all(demoAccounts.map((a) => tokenOf(base, a.login, a.password).catch(() => undefined)));
  return {
    services,
    base,
    url,
    admin: new Client({ base, token: tokens[0], heard }),
    editor: new Client({ base, token: tokens[1], heard }),
    reader: new Client({ base, token: tokens[2], heard }),
    adminToken: tokens[0]!,
    sql,
    async close() {
      server.close();
      server.closeAllConnections();
      await heavy?.close();
      await sql.end();
      await services.close();
      await drop();
    },
  };
}

/** What the holder of an account sees and may do. */
export async function seenBy({ services }: Pick<Workspace, 'services'>, login: string): Promise<Seen> {
  const account = (await services.accounts.list()).find((a) => a.login === login)!;
  return services.gate.of(account);
}

export async function tokenOf(base: string, login: string, password: string): Promise<string> {
  return (await new Client({ base }).signIn({ login, password, kind: 'token' })).token!;
}
