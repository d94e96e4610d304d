import { createHash } from 'node:crypto';
import { Client, Pool, types, type ClientConfig, type PoolClient, type QueryResult, type QueryResultRow } from 'pg';
import QueryStream from 'pg-query-stream';
import { fail, render, value, type Sql } from '@tantamos/core';
import { turns } from '../turns';
import { longestSearch } from './patience';

// Whole numbers of eight bytes (counts) as numbers; everything that is a record's value is asked for as text.
types.setTypeParser(types.builtins.INT8, (text) => Number(text));

/**
 * Text forms are pinned in every connection, so frozen values mean the same in every session; a vanished machine
 * does not keep its locks. Times in ms.
 */
export const pinned = {
  timezone: 'UTC',
  datestyle: 'ISO,YMD',
  intervalstyle: 'iso_8601',
  extra_float_digits: '1',
  bytea_output: 'hex',
  standard_conforming_strings: 'on',
  default_transaction_isolation: 'read committed',
  statement_timeout: '0',
  client_connection_check_interval: '5000',
  idle_in_transaction_session_timeout: '60000',
  tcp_keepalives_idle: '30',
};
/**
 * A lane's batch: its commit does not wait for the disk, since change, outcome and mark are one commit, so that what a
 * crash of the database takes away is ready again as a whole. Every change of a run's state does wait, and with it all
 * that came before. Its statements are the same for every batch, so each is planned once.
 */
const laneSettings = {
  synchronous_commit: 'off',
  lock_timeout: '20',
  plan_cache_mode: 'force_generic_plan',
  jit: 'off',
};
const optionsOf = (settings: Readonly<Record<string, string>>): string =>
  Object.entries(settings)
    .map(([name, setting]) => `-c ${name}=${setting.replace(/[\\ ]/g, '\\$&')}`)
    .join(' ');

export type Connection = PoolClient;

/**
 * A connection may be cut at any moment, also between two that listen for it (just connected and not yet given out, say):
 * an error that nobody hears would end the process. Whoever uses the connection hears of it by the next statement.
 */
class Unshaken extends Client {
  constructor(config?: ClientConfig) {
    super(config);
    this.on('error', () => {});
  }
}

/**
 * Each purpose has connections of its own, so that what is slow, or many, of one kind holds nothing of another up: `most` of
 * them, waited for so long, in ms (0: for as long as it takes).
 */
const purposes = {
  /** Control data, by short statements: who signs in, what a run says. */
  control: { most: 16, wait: 10_000 },
  /** Whatever asks the records, each with a limit of time. */
  searches: { most: 10, wait: 10_000 },
  /** Previews being worked out; more of them wait for their turn. */
  freezes: { most: 5, wait: 0 },
  /** Files on their way to a reader, who may be slow. */
  streams: { most: 5, wait: 5_000 },
} as const;
export type Purpose = keyof typeof purposes;
/** After so many seconds it may be tried again, where all connections of a purpose are taken. */
const tryAgainAfter = 5;

export interface DatabaseOptions {
  readonly url: string;
  /** In place of the account's own (see `preflight`). */
  readonly searchPath?: string;
  /** In place of the usual number: for control data, and for the lanes of runs. */
  readonly connections?: number;
  readonly lanes?: number;
  /** The service whose sessions these are: part of their application name, by which they are found. */
  readonly worker?: string;
  /** Batches wait for the disk: for where a standby, or another server behind foreign tables, is to have each at once. */
  readonly awaitsCommits?: boolean;
}

/** The database Tantamos is pointed at: pinned connections, a pool for each purpose, and the few ways of asking it. */
export class Database {
  private readonly pools: Readonly<Record<Purpose, Pool>>;
  private readonly lanes: Pool;
  /** Lanes that can be at work at the same time. */
  readonly mostLanes: number;
  private readonly limits = new WeakMap<Connection, number>();

  constructor(private readonly settings: DatabaseOptions) {
    const path: Record<string, string> = settings.searchPath === undefined ? {} : { search_path: settings.searchPath };
    const open = (max: number, wait: number, more: Readonly<Record<string, string>> = {}, name = 'tantamos'): Pool =>
      new Pool({
        Client: Unshaken,
        connectionString: settings.url,
        max,
        options: optionsOf({ ...pinned, ...path, ...more }),
        application_name: named(name, settings.worker),
        keepAlive: true,
        connectionTimeoutMillis: wait,
      });
    const pool = (purpose: Purpose): Pool => open(purposes[purpose].most, purposes[purpose].wait);
    const { most, wait } = purposes.control;
    this.pools = {
      // Compiling the statement that lists runs took 1.3 s, running it 2 ms: short statements are never worth it.
      control: open(settings.connections ?? most, wait, { jit: 'off' }),
      searches: pool('searches'),
      freezes: pool('freezes'),
      streams: pool('streams'),
    };
    this.mostLanes = settings.lanes ?? 16;
    const commits = settings.awaitsCommits ? { synchronous_commit: 'on' } : {};
    this.lanes = open(this.mostLanes, wait, { ...laneSettings, ...commits }, 'tantamos lane');
    // An idle connection that the server closes is replaced at its next use.
    for (const each of [...Object.values(this.pools), this.lanes]) each.on('error', () => {});
  }

  async rows<R extends QueryResultRow>(text: string, values: readonly unknown[] = []): Promise<R[]> {
    return this.with(async (connection) => (await connection.query<R>(text, [...values])).rows);
  }

  async one<R extends QueryResultRow>(text: string, values: readonly unknown[] = []): Promise<R | undefined> {
    return (await this.rows<R>(text, values))[0];
  }

  /** The same of what is asked again and again under a name: it is planned once a connection, which of a long one takes longer than asking. */
  async oneAgain<R extends QueryResultRow>(
    name: string,
    text: string,
    values: readonly unknown[],
  ): Promise<R | undefined> {
    const asked = { name, text, values: [...values] };
    return this.with(async (connection) => (await connection.query<R>(asked)).rows[0]);
  }

  /** Asks the records, as long as any search may take. */
  async ask<R extends QueryResultRow>(piece: Sql): Promise<R[]> {
    return this.askWithin<R>(piece, longestSearch);
  }

  /** One connection for the time of `work`; throws `busy` where none is to be had in time. */
  async with<T>(work: (connection: Connection) => Promise<T>, purpose: Purpose = 'control'): Promise<T> {
    return this.on(this.pools[purpose], work);
  }

  private async on<T>(pool: Pool, work: (connection: Connection) => Promise<T>): Promise<T> {
    const connection = await connected(pool);
    let broken: Error | undefined;
    let isCut = false;
    // A connection cut between two statements says so as an event; unheard, it would end the process.
    const cut = (error: Error): void => {
      isCut = true;
      broken = error;
    };
    connection.on('error', cut);
    try {
      return await work(connection);
    } catch (error) {
      // What cut the connection says more than the statement that found it cut.
      broken ??= error as Error;
      throw broken;
    } finally {
      connection.removeListener('error', cut);
      // A connection that failed outside a statement may be half way through something: it is not used again.
      const usable = !broken || (!isCut && ('severity' in broken || 'problems' in broken));
      connection.release(usable ? undefined : broken);
    }
  }

  /** The same if one is free at once and two more stay free for others; if not, nothing is done. */
  async withFree(purpose: Purpose, work: (connection: Connection) => Promise<void>): Promise<void> {
    const { totalCount, idleCount, waitingCount } = this.pools[purpose];
    const left = purposes[purpose].most - (totalCount - idleCount);
    if (waitingCount === 0 && left > 2) await this.with(work, purpose);
  }

  /** The same on a connection that is set up for a lane of a run. */
  async withLane<T>(work: (connection: Connection) => Promise<T>): Promise<T> {
    return this.on(this.lanes, work);
  }

  /** A transaction around `work`; rolled back if it throws. */
  async transaction<T>(
    level: 'read committed' | 'repeatable read',
    work: (connection: Connection) => Promise<T>,
    purpose: Purpose = 'control',
  ): Promise<T> {
    return this.with((connection) => transactionOn(connection, level, () => work(connection)), purpose);
  }

  /**
   * Asks with a limit in ms, and cancels the statement in the database when `signal` fires, so that a person who has
   * moved on costs nothing more.
   */
  async askWithin<R extends QueryResultRow>(piece: Sql, ms: number, signal?: AbortSignal): Promise<R[]> {
    return this.with(async (connection) => {
      const { text, values } = render(piece);
      const cancel = (): void => void this.cancel(connection);
      signal?.addEventListener('abort', cancel, { once: true });
      try {
        if (signal?.aborted) return [];
        const limit = Math.floor(ms);
        if (this.limits.get(connection) !== limit) await connection.query(`set statement_timeout = ${limit}`);
        this.limits.set(connection, limit);
        return (await connection.query<R>(text, values)).rows;
      } finally {
        signal?.removeEventListener('abort', cancel);
      }
    }, 'searches');
  }

  /**
   * Asks with a limit in ms without having the statement compiled: it reads journals, whose size the planner cannot tell.
   * Measured, what has become of 18,000 records: 1.85 s a statement, of which nearly all went by before the first row.
   */
  async askPlainly<R extends QueryResultRow>(piece: Sql, ms: number): Promise<R[]> {
    const ask = async (connection: Connection): Promise<R[]> => {
      await connection.query(`set local jit = off; set local statement_timeout = ${Math.floor(ms)}`);
      return askOn<R>(connection, piece);
    };
    return this.transaction('read committed', ask, 'searches');
  }

  /** Rows one after another, a thousand in memory; the statement ends with the reader. */
  async *stream<R extends QueryResultRow>(piece: Sql, signal?: AbortSignal): AsyncGenerator<R> {
    const { text, values } = render(piece);
    const connection = await connected(this.pools.streams);
    const stream = connection.query(new QueryStream(text, values, { batchSize: 1000 }));
    let whole = false;
    const turn = turns();
    // Told through the stream too; unheard here, a cut would end the process.
    const cut = (): void => {};
    connection.on('error', cut);
    try {
      for await (const row of stream) {
        if (signal?.aborted) return;
        await turn();
        yield row as R;
      }
      whole = true;
    } finally {
      connection.removeListener('error', cut);
      // A statement that was left half way is not read to its end: its connection goes.
      connection.release(whole ? undefined : new Error('left half way'));
    }
  }

  /** Cancels what a connection is doing now. */
  async cancel(connection: Connection): Promise<void> {
    const { processID } = connection as unknown as { processID: number };
    await this.rows('select pg_cancel_backend($1)', [processID]).catch(() => {});
  }

  /** A connection of its own, outside the pool: for listening. */
  async listener(purpose: 'listener' | 'heartbeat' = 'listener'): Promise<Client> {
    const client = new Unshaken({
      connectionString: this.settings.url,
      options: optionsOf(pinned),
      application_name: named(`tantamos ${purpose}`, this.settings.worker),
      keepAlive: true,
    });
    await client.connect();
    return client;
  }

  async close(): Promise<void> {
    await Promise.all([...Object.values(this.pools), this.lanes].map((pool) => pool.end()));
  }
}

function named(purpose: string, worker: string | undefined): string {
  return worker === undefined ? purpose : `${purpose} ${worker}`;
}

/** A connection of a pool. That all are taken for too long is said as what it is, not as an outage of the database. */
async function connected(pool: Pool): Promise<Connection> {
  try {
    return await pool.connect();
  } catch (error) {
    const isFull = pool.totalCount >= (pool.options.max ?? 0) && /timeout exceeded/.test((error as Error).message);
    if (!isFull) throw error;
    return fail('busy', 'The service has as much to do as it can do at once; try again in a moment.', {
      retryAfter: tryAgainAfter,
    });
  }
}

/** Cuts a connection; whoever uses it hears of it by the next statement. */
export function cut(connection: Connection): void {
  const { connection: wire } = connection as unknown as { connection: { stream: { destroy(): void } } };
  wire.stream.destroy();
}

/** A transaction around `work` on a given connection; rolled back if it throws. */
export async function transactionOn<T>(
  connection: Connection,
  level: 'read committed' | 'repeatable read',
  work: () => Promise<T>,
): Promise<T> {
  await connection.query(`begin isolation level ${level}`);
  try {
    const result = await work();
    await connection.query('commit');
    return result;
  } catch (error) {
    await connection.query('rollback').catch(() => {});
    throw error;
  }
}

/** Runs a compiled statement on a given connection. */
export async function askOn<R extends QueryResultRow>(connection: Connection, piece: Sql): Promise<R[]> {
  const { text, values } = render(piece);
  return (await connection.query<R>(text, values)).rows;
}

/** How many rows a statement wrote. */
export async function writtenBy(connection: Connection, piece: Sql): Promise<number> {
  const { text, values } = render(piece);
  return (await connection.query(text, values)).rowCount ?? 0;
}

/** Prepared once a connection; the name follows the text, since the catalog may change between runs. */
export async function askPrepared<R extends object>(connection: Connection, statement: Sql): Promise<R[]> {
  return (await new Standing(statement).ask<R>(connection)).rows;
}

/** A value of a standing statement that is another each time it is asked. */
export function leftOpen(name: string): Sql {
  return value(new Open(name));
}
class Open {
  constructor(readonly name: string) {}
}

/** A prepared statement that is asked many times: put into words once, with what is open in it given at each time. */
export class Standing {
  private readonly name: string;
  private readonly text: string;
  private readonly values: readonly unknown[];

  constructor(statement: Sql) {
    const { text, values } = render(statement);
    this.name = createHash('sha1').update(text).digest('base64url');
    this.text = text;
    this.values = values;
  }

  ask<R extends object>(
    connection: Connection,
    given: Readonly<Record<string, unknown>> = {},
  ): Promise<QueryResult<R & Record<string, unknown>>> {
    const values = this.values.map((v) => (v instanceof Open ? given[v.name] : v));
    return connection.query<R & Record<string, unknown>>({ name: this.name, text: this.text, values });
  }
}
