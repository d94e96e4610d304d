import { createHash } from 'node:crypto';
import { Client, Pool, types, type ClientConfig, type PoolClient, type QueryResultRow } from 'pg';
import QueryStream from 'pg-query-stream';
import { render, type Sql } from '@tantamos/core';

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

const searchConnections = 12;

export interface DatabaseOptions {
  readonly url: string;
  /** In place of the account's own (see `preflight`). */
  readonly searchPath?: string;
  /** Connections kept for requests and previews and, apart from these, for the lanes of runs. */
  readonly connections?: number;
  readonly lanes?: number;
}

/** The database Tantamos is pointed at: a pool of pinned connections, and the few ways of asking it. */
export class Database {
  private readonly pool: Pool;
  /** Searches have connections of their own: what is slow there holds nothing else up, and each keeps its time limit. */
  private readonly searches: Pool;
  private readonly lanes: Pool;
  /** Lanes that can be at work at the same time. */
  readonly mostLanes: number;
  private readonly limits = new WeakMap<Connection, number>();

  constructor(private readonly settings: DatabaseOptions) {
    const path: Record<string, string> = settings.searchPath === undefined ? {} : { search_path: settings.searchPath };
    const open = (max: number, more: Readonly<Record<string, string>> = {}, name = 'tantamos'): Pool =>
      new Pool({
        Client: Unshaken,
        connectionString: settings.url,
        max,
        options: optionsOf({ ...pinned, ...path, ...more }),
        application_name: name,
        keepAlive: true,
        connectionTimeoutMillis: 10_000,
      });
    this.pool = open(settings.connections ?? 20);
    this.searches = open(searchConnections);
    this.mostLanes = settings.lanes ?? 16;
    this.lanes = open(this.mostLanes, laneSettings, 'tantamos lane');
    // An idle connection that the server closes is replaced at its next use.
    for (const pool of [this.pool, this.searches, this.lanes]) pool.on('error', () => {});
  }

  async rows<R extends QueryResultRow>(text: string, values: readonly unknown[] = []): Promise<R[]> {
    return (await this.pool.query<R>(text, [...values])).rows;
  }

  async one<R extends QueryResultRow>(text: string, values: readonly unknown[] = []): Promise<R | undefined> {
    return (await this.rows<R>(text, values))[0];
  }

  async ask<R extends QueryResultRow>(piece: Sql): Promise<R[]> {
    const { text, values } = render(piece);
    return this.rows<R>(text, values);
  }

  /** One connection for the time of `work`. */
  async with<T>(work: (connection: Connection) => Promise<T>, pool = this.pool): Promise<T> {
    const connection = await pool.connect();
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

  /** The same on a connection that is set up for a lane of a run. */
  async withLane<T>(work: (connection: Connection) => Promise<T>): Promise<T> {
    return this.with(work, this.lanes);
  }

  /** A transaction around `work`; rolled back if it throws. */
  async transaction<T>(
    level: 'read committed' | 'repeatable read',
    work: (connection: Connection) => Promise<T>,
  ): Promise<T> {
    return this.with(async (connection) => {
      await connection.query(`begin isolation level ${level}`);
      try {
        const result = await work(connection);
        await connection.query('commit');
        return result;
      } catch (error) {
        await connection.query('rollback').catch(() => {});
        throw error;
      }
    });
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
    }, this.searches);
  }

  /** Rows one after another, a thousand in memory; the statement ends with the reader. */
  async *stream<R extends QueryResultRow>(piece: Sql, signal?: AbortSignal): AsyncGenerator<R> {
    const { text, values } = render(piece);
    const connection = await this.pool.connect();
    const stream = connection.query(new QueryStream(text, values, { batchSize: 1000 }));
    let whole = false;
    // Told through the stream too; unheard here, a cut would end the process.
    const cut = (): void => {};
    connection.on('error', cut);
    try {
      for await (const row of stream) {
        if (signal?.aborted) return;
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
    await this.pool.query('select pg_cancel_backend($1)', [processID]).catch(() => {});
  }

  /** A connection of its own, outside the pool: for listening. */
  async listener(): Promise<Client> {
    const client = new Unshaken({
      connectionString: this.settings.url,
      options: optionsOf(pinned),
      application_name: 'tantamos listener',
      keepAlive: true,
    });
    await client.connect();
    return client;
  }

  async close(): Promise<void> {
    await Promise.all([this.pool.end(), this.searches.end(), this.lanes.end()]);
  }
}

/** Runs a compiled statement on a given connection. */
export async function askOn<R extends QueryResultRow>(connection: Connection, piece: Sql): Promise<R[]> {
  const { text, values } = render(piece);
  return (await connection.query<R>(text, values)).rows;
}

/** Prepared once a connection; the name follows the text, since the catalog may change between runs. */
export async function askPrepared<R extends object>(connection: Connection, statement: Sql): Promise<R[]> {
  const { text, values } = render(statement);
  const name = createHash('sha1').update(text).digest('base64url');
  return (await connection.query<R & Record<string, unknown>>({ name, text, values })).rows;
}
