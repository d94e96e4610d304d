import type { Client } from 'pg';
import type { Logger } from 'pino';
import { Recurring } from '../recurring';
import type { Database } from './database';
import { servicesLock } from './migrate';

const channel = 'tantamos';
const reconnectAfter = 500;
/** News of one thing are sent this often at most, in ms. */
const sendEvery = 200;

/** What news are about. */
export type Topic = `run ${string}` | `preview ${string}` | 'work';

/**
 * News between all processes on one database, by its own LISTEN and NOTIFY: whoever watches a run hears of it, whichever
 * process carries it out. News say only that there is something to look at; what was missed while a connection was lost
 * is made up for by telling everybody to look.
 */
export class Events {
  private readonly listeners = new Map<Topic, Set<() => void>>();
  private readonly waiting = new Map<Topic, NodeJS.Timeout>();
  private readonly unsent = new Set<Topic>();
  private client: Client | undefined;
  private readonly trouble: Recurring;
  private closed = false;

  constructor(
    private readonly database: Database,
    log: Logger,
  ) {
    this.trouble = new Recurring(log, 'not listening for news');
  }

  async start(): Promise<void> {
    try {
      const client = await this.database.listener();
      if (this.closed) return await client.end();
      this.client = client;
      client.on('end', () => this.lost(client));
      client.on('notification', (n) => this.tell(n.payload as Topic));
      // A share of the schema as it is: nobody brings it up under us. Where somebody does just now, it is tried again.
      const { rows } = await client.query<{ held: boolean }>('select pg_try_advisory_lock_shared($1) as held', [
        servicesLock,
      ]);
      if (!rows[0]!.held) throw new Error('The schema is being brought up by another service.');
      await client.query(`listen ${channel}`);
      this.trouble.over();
      for (const topic of [...this.listeners.keys()]) this.tell(topic);
    } catch (error) {
      this.trouble.met(error);
      this.lost(this.client);
    }
  }

  /** Calls `listener` whenever there is news; returns how to stop that. */
  on(topic: Topic, listener: () => void): () => void {
    const all = this.listeners.get(topic) ?? new Set();
    this.listeners.set(topic, all.add(listener));
    return () => {
      all.delete(listener);
      if (all.size === 0) this.listeners.delete(topic);
    };
  }

  /** Tells everybody, at once or soon: many news in a short time are one. */
  send(topic: Topic): void {
    if (this.waiting.has(topic)) return void this.unsent.add(topic);
    this.sendNow(topic);
  }

  /** Tells everybody at once, whatever was told shortly before: of what does not happen often, and is waited for. */
  sendNow(topic: Topic): void {
    this.unsent.delete(topic);
    clearTimeout(this.waiting.get(topic));
    void this.database.rows('select pg_notify($1, $2)', [channel, topic]).catch(() => {});
    const timer = setTimeout(() => {
      this.waiting.delete(topic);
      if (this.unsent.delete(topic) && !this.closed) this.send(topic);
    }, sendEvery);
    this.waiting.set(topic, timer);
  }

  async close(): Promise<void> {
    this.closed = true;
    for (const timer of this.waiting.values()) clearTimeout(timer);
    await this.client?.end().catch(() => {});
  }

  private tell(topic: Topic): void {
    for (const listener of [...(this.listeners.get(topic) ?? [])]) listener();
  }

  private lost(client: Client | undefined): void {
    if (this.closed || this.client !== client) return;
    this.client = undefined;
    client?.end().catch(() => {});
    setTimeout(() => void this.start(), reconnectAfter).unref();
  }
}
