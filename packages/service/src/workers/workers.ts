import { randomBytes } from 'node:crypto';
import { hostname } from 'node:os';
import type { Logger } from 'pino';
import type { Client } from 'pg';
import type { Database } from '../database/database';
import { Recurring } from '../recurring';

/** How often a service says that it is alive, and how long after it is taken for frozen; in ms. */
const beatEvery = 2000;
const frozenAfter = 10_000;
/** How long a session that is ended is waited for, in ms. */
const endWithin = 2000;

export function newWorkerName(): string {
  return randomBytes(4).toString('hex');
}

interface Frozen {
  readonly name: string;
  readonly host: string;
  readonly process: number;
  readonly pid: number;
  readonly backend_start: string;
}

/**
 * Services that work on one database. Each says by the database's clock that it is alive. A dead one loses its locks with its
 * connections; a frozen one keeps them, and whatever waits for these would wait for good. So a session of a service that has not
 * said anything for a while, and that waits for its client, is ended by another service. One that executes, waits for a lock or
 * for a standby is never touched: it is at work whatever its service does.
 */
export class Workers {
  private client: Client | undefined;
  private timer: NodeJS.Timeout | undefined;
  private closed = false;
  /** When it wrote last, and since when without a gap: who was away itself cannot tell who else is. */
  private beatAt = 0;
  private steadySince = 0;
  private readonly trouble: Recurring;

  constructor(
    readonly name: string,
    private readonly database: Database,
    /** The accounts whose sessions a service has: the everyday one, and the owner where that is another. */
    private readonly accounts: readonly Database[],
    private readonly log: Logger,
    /** Runs that a frozen service held up, each with what was done about it. */
    private readonly onEnded: (runs: readonly string[], words: string) => Promise<void>,
  ) {
    this.trouble = new Recurring(log, 'heartbeat not written');
  }

  async start(): Promise<void> {
    await this.beat();
    await this.client?.query(forgetDead).catch((error: unknown) => this.trouble.met(error));
    const next = (): void => {
      if (this.closed) return;
      this.timer = setTimeout(
        () =>
          void this.beat()
            .then(() => this.endFrozen())
            .finally(next),
        beatEvery,
      );
      this.timer.unref();
    };
    next();
  }

  async close(): Promise<void> {
    this.closed = true;
    clearTimeout(this.timer);
    await this.client?.query('delete from tantamos.worker where name = $1', [this.name]).catch(() => {});
    await this.client?.end().catch(() => {});
  }

  /** On a connection of its own: a service that has much to do is no frozen one. */
  private async beat(): Promise<void> {
    try {
      this.client ??= await this.database.listener('heartbeat');
      await this.client.query({ name: 'beat', text: beat, values: [this.name, hostname(), process.pid] });
      this.trouble.over();
      const now = Date.now();
      if (now - this.beatAt > 2 * beatEvery) this.steadySince = now;
      this.beatAt = now;
    } catch (error) {
      this.trouble.met(error);
      await this.client?.end().catch(() => {});
      this.client = undefined;
    }
  }

  /** Ends the sessions of frozen services that keep others waiting. How many. */
  async endFrozen(): Promise<number> {
    if (Date.now() - this.steadySince < frozenAfter) return 0;
    let ended = 0;
    for (const account of this.accounts)
      try {
        const found = await account.rows<Frozen & Record<string, unknown>>(frozenSessions, [this.name, frozenAfter]);
        for (const session of found) if (await this.end(account, session)) ended++;
      } catch (error) {
        if (!this.closed) this.trouble.met(error);
      }
    return ended;
  }

  private async end(account: Database, { pid, backend_start: since, ...worker }: Frozen): Promise<boolean> {
    const runs = await account.rows<{ id: string }>(runsHeldBy, [pid]);
    // Looked at once more in the same statement: it may have gone on, or be another by now.
    const [done] = await account.rows<{ ended: boolean }>(endSession, [
      pid,
      since,
      worker.name,
      frozenAfter,
      endWithin,
    ]);
    if (!done?.ended) return false;
    const words = `The service ${worker.host}/${worker.process} did not answer and held locks: its session was ended, and the work continues in another service.`;
    this.log.warn({ worker, pid, runs: runs.map((r) => r.id) }, 'ended a session of a frozen service');
    await this.onEnded(
      runs.map((r) => r.id),
      words,
    );
    return true;
  }
}

const beat = `
  insert into tantamos.worker (name, host, process) values ($1, $2, $3)
  on conflict (name) do update set beat_at = clock_timestamp()`;

/** Services that ended without a word, a day after the last one; a frozen one still has sessions. */
const forgetDead = `
  delete from tantamos.worker w where beat_at < now() - interval '1 day'
    and not exists (select from pg_stat_activity a where a.application_name like 'tantamos% ' || w.name)`;

/** The session waits for its client, and for nothing else. */
const waitsForClient = `(a.state in ('idle', 'idle in transaction', 'idle in transaction (aborted)')
  or a.state = 'active' and a.wait_event_type = 'Client' and a.wait_event in ('ClientRead', 'ClientWrite'))`;

/** $1 this service, $2 ms. Sessions of frozen services that hold a lock others may wait for. */
const frozenSessions = `
  select w.name, w.host, w.process, a.pid, a.backend_start::text as backend_start
  from tantamos.worker w
  join pg_stat_activity a on a.datname = current_database() and a.usename = current_user and a.application_name like 'tantamos% ' || w.name
  where w.name <> $1 and w.beat_at < clock_timestamp() - make_interval(secs => $2::float8 / 1000) and ${waitsForClient}
    and (a.state <> 'idle' or exists (select from pg_locks l where l.pid = a.pid and l.locktype = 'advisory'))`;

/** $1 pid, $2 when it began, $3 its service, $4 ms, $5 ms that it is waited for. */
const endSession = `
  select pg_terminate_backend(a.pid, $5) as ended from pg_stat_activity a
  join tantamos.worker w on w.name = $3 and w.beat_at < clock_timestamp() - make_interval(secs => $4::float8 / 1000)
  where a.pid = $1 and a.backend_start::text = $2 and ${waitsForClient}`;

/** $1 pid. Runs whose share or whole it holds (see Lane). */
const runsHeldBy = `
  select run.id from tantamos.run join pg_locks l on l.pid = $1 and l.locktype = 'advisory' and l.objsubid = 1
    and ((l.classid::int8 << 32) | l.objid::int8) = hashtextextended(run.id::text, 1)
  where run.ended_at is null`;
