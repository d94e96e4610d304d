import { alongOf, ProblemError, verdicts } from '@tantamos/core';
import { cut, transactionOn, type Connection, type Database } from '../database/database';
import { Freezer, type Frozen } from '../engine/freezer';
import type { Work } from './work';

/** Thrown where a preview is withdrawn, or another process holds it by now. */
export class Cancelled extends Error {}

/** A preview that is being worked out: by whom, how far it is, and over which connections. */
export interface Held {
  readonly preview: string;
  readonly holder: string;
  readonly batchSize: number;
  /** What its statements run on now, to be cancelled there. */
  readonly connections: Set<Connection>;
  /** Called as pieces are done; throws to give up. */
  progress(done: number, of: number): void;
  /** Called once all is frozen, before it is there for others; throws to give up. */
  atEnd(): Promise<void>;
}

const lockSpace = 741_002;

/**
 * What is worked out for each record is other than for the last: there is nothing to remember. Long statements, each of 100,000
 * records at most, are compiled for longer than that saves. Measured: 370 to be deleted with what falls with them took 19.9 s,
 * of which 19.7 went by before the first row; without, 1.7 s. 100,000 with four edits: 0.92 s; without, 0.80 s. And tables of
 * a moment need no fine statistics. One of two that work on it may wait for the other for longer than a session may rest.
 */
const settings = `set local work_mem = '64MB'; set local enable_memoize = off; set local jit = off;
  set local default_statistics_target = 10; set local idle_in_transaction_session_timeout = 0`;

/**
 * Works a preview out under one snapshot and freezes it: on one connection or, where there is much of it and another is free,
 * on two, each in a transaction of its own. It is there for others only by what is written last, its totals, and only by who
 * still holds it; what an attempt that came to nothing has left is swept away by the next.
 */
export async function freezeHeld(database: Database, held: Held, { freeze, sentence }: Work): Promise<void> {
  await database.with(async (connection) => {
    held.connections.add(connection);
    const frees = (): void => void held.connections.delete(connection);
    const alone = keptAlone(connection, held.preview, async () => {
      const { rows } = await connection.query<{ state: string }>('select state from tantamos.preview where id = $1', [
        held.preview,
      ]);
      if (rows[0]?.state !== 'working') throw new Cancelled();
      await sweep(connection, held.preview);
      try {
        const frozen = await frozenOn(database, connection, held, freeze);
        await held.atEnd();
        await transactionOn(connection, 'read committed', () => writeTotals(connection, held, frozen, sentence));
      } catch (error) {
        await sweep(connection, held.preview).catch(() => {});
        throw error;
      }
    });
    await alone.finally(frees);
  }, 'freezes');
}

/** A process that was thought dead and is not keeps the others out: only one of them freezes. */
async function keptAlone(connection: Connection, preview: string, work: () => Promise<void>): Promise<void> {
  await connection.query('select pg_advisory_lock($1, hashtext($2))', [lockSpace, preview]);
  try {
    await work();
  } finally {
    // Where the connection is lost, so is the lock: one that could not be let go is not used again.
    await connection
      .query('select pg_advisory_unlock($1, hashtext($2))', [lockSpace, preview])
      .catch(() => cut(connection));
  }
}

/** Takes away what an attempt has left that did not come to its end. */
async function sweep(connection: Connection, preview: string): Promise<void> {
  const { rowCount } = await connection.query('select from tantamos.batch where preview = $1 limit 1', [preview]);
  if (rowCount) await connection.query('select tantamos.sweep_preview($1)', [preview]);
}

async function frozenOn(
  database: Database,
  connection: Connection,
  held: Held,
  freeze: Work['freeze'],
): Promise<Frozen> {
  const second = new Second(database, held);
  try {
    const frozen = await transactionOn(connection, 'repeatable read', async () => {
      await connection.query(settings);
      const until = await timeLimit(connection);
      const freezer = new Freezer(connection, {
        previewId: held.preview,
        batchSize: held.batchSize,
        progress: (done, of) => {
          held.progress(done, of);
          if (Date.now() > until.at) throw tooLong(until.minutes);
        },
        second: () => second.open(connection),
      });
      return freeze(freezer);
    });
    await second.end('commit');
    return frozen;
  } catch (error) {
    await second.end('rollback').catch(() => {});
    throw error;
  }
}

/** Another connection under the snapshot of the first, in a transaction that is open until it is ended. */
class Second {
  private work: Promise<void> | null = null;
  private told: (how: 'commit' | 'rollback') => void = () => {};

  constructor(
    private readonly database: Database,
    private readonly held: Held,
  ) {}

  /** Null where none is to be had: it is a help, and no reason to fail. */
  async open(first: Connection): Promise<Connection | null> {
    const { rows } = await first.query<{ snapshot: string; limit: string }>(
      `select pg_export_snapshot() as snapshot, current_setting('statement_timeout') as limit`,
    );
    const { snapshot, limit } = rows[0]!;
    const ending = new Promise<'commit' | 'rollback'>((resolve) => (this.told = resolve));
    return new Promise((opened) => {
      let isOpen = false;
      const work = this.database.withFree('freezes', async (connection) => {
        this.held.connections.add(connection);
        try {
          await connection.query(
            `begin isolation level repeatable read; set transaction snapshot '${snapshot}'; ${settings}`,
          );
          await connection.query(`select set_config('statement_timeout', $1, true)`, [limit]);
          isOpen = true;
          opened(connection);
          await connection.query(await ending);
        } finally {
          this.held.connections.delete(connection);
        }
      });
      this.work = work.catch((error: unknown) => {
        if (isOpen) throw error;
      });
      this.work.then(
        () => opened(null),
        () => {},
      );
    });
  }

  async end(how: 'commit' | 'rollback'): Promise<void> {
    this.told(how);
    await this.work;
  }
}

/**
 * A transaction as long as a preview holds back the cleaning of every table (vacuum), so it is given so long at most: by a
 * limit on each statement, and by the time it is in between.
 */
async function timeLimit(connection: Connection): Promise<{ at: number; minutes: number }> {
  const { rows } = await connection.query<{ minutes: number }>(
    `select preview_minutes as minutes, set_config('statement_timeout', (preview_minutes * 60000)::text, true) from tantamos.workspace`,
  );
  const { minutes } = rows[0]!;
  return { at: Date.now() + minutes * 60_000, minutes };
}

function tooLong(minutes: number): ProblemError {
  return new ProblemError({
    code: 'too_slow',
    message: `It was given up after ${minutes === 1 ? 'a minute' : `${minutes} minutes`}: a longer one would hold back the database’s own cleaning (vacuum). Narrow the selection, or have an administrator allow more (preview minutes).`,
  });
}

async function writeTotals(
  connection: Connection,
  { preview: id, holder }: Held,
  { order, batches, pairs }: Frozen,
  sentence: Work['sentence'],
): Promise<void> {
  const { rowCount } = await connection.query(
    `update tantamos.preview p set state = 'ready', ready_at = clock_timestamp(), batches = $2, pairs = $3, more_pairs = $4,
       work_order = $5, matched = t.matched, ${verdicts.map((v) => `${v} = t.${v}`).join(', ')},
       along = array(select coalesce((select sum(cardinality(owners)) from tantamos.batch_along where preview = p.id and along = n), 0)
         from generate_series(0, $6::int - 1) n order by n),
       causes = coalesce((
         select jsonb_agg(jsonb_build_object('cause', case when c.kinds = 1 then c.one else c.reason end, 'count', c.count)
           order by c.count desc)
         from (
           select tantamos.reason_of(cause) as reason, min(cause) as one, count(distinct cause) as kinds, count(*) as count
           from tantamos.batch b, unnest(b.causes) cause
           where b.preview = p.id and b.causes is not null and cause is not null group by 1) c), '[]')
     from (select coalesce(sum(size), 0) as matched,
         ${verdicts.map((v) => `coalesce(sum(${v}), 0) as ${v}`).join(', ')}
       from tantamos.batch where preview = $1) t
     where p.id = $1 and p.state = 'working' and exists (select from tantamos.preview_work w where w.preview = p.id and w.holder = $7)`,
    [id, batches, JSON.stringify(pairs.list()), JSON.stringify(pairs.more()), order, alongOf(order).length, holder],
  );
  if (!rowCount) throw new Cancelled();
  const { rows } = await connection.query<{ part: number; matched: number; changes: number }>(
    'select part, sum(size)::int as matched, sum(will_change)::int as changes from tantamos.batch where preview = $1 group by part',
    [id],
  );
  const of = order.parts.map((_, part) => rows.find((row) => row.part === part));
  const { sentence: text, named } = sentence(of.map((row) => row?.matched ?? 0));
  await connection.query('update tantamos.preview set sentence = $2, named = $3, part_changes = $4 where id = $1', [
    id,
    text,
    named && JSON.stringify(named),
    of.map((row) => row?.changes ?? 0),
  ]);
}
