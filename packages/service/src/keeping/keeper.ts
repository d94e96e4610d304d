import type { Logger } from 'pino';
import type { Database } from '../database/database';
import { outage } from '../database/refusal';

/** Any number will do as long as every Tantamos uses the same one. */
const keeperLock = 741_000_002;
const lookEvery = 3_600_000;
/** Months made ahead, besides the present one. */
const ahead = 2;
const expiredAtOnce = 50;

/**
 * Keeps the house: makes the partitions of the months to come, drops those that are kept no longer, forgets previews that
 * have expired, and values that were kept for a job that nobody has made. One process at a time; what cannot be done now, because somebody reads, is done an hour later.
 */
export class Keeper {
  private timer: NodeJS.Timeout | undefined;
  private closed = false;

  constructor(
    private readonly database: Database,
    private readonly log: Logger,
  ) {}

  async start(): Promise<void> {
    await this.keep().catch((err: unknown) => {
      if (outage(err) === null) this.log.warn({ err }, 'could not keep the house; trying again in an hour');
    });
    if (this.closed) return;
    this.timer = setTimeout(() => void this.start(), lookEvery);
    this.timer.unref();
  }

  close(): void {
    this.closed = true;
    clearTimeout(this.timer);
  }

  /** Does all of it once; `now` is the present moment. Returns the months that were dropped, the first day of each. */
  async keep(now = new Date()): Promise<readonly string[]> {
    return this.database.with(async (connection) => {
      const { rows } = await connection.query<{ held: boolean }>('select pg_try_advisory_lock($1) as held', [
        keeperLock,
      ]);
      if (!rows[0]!.held) return [];
      try {
        // Readers are not kept waiting behind us.
        await connection.query(`set lock_timeout = '2s'`);
        await connection.query(needMonths, [now, ahead]);
        const old = await connection.query<{ month: string }>(oldMonths, [now]);
        const dropped: string[] = [];
        for (const { month } of old.rows) {
          const done = await connection.query<{ done: boolean }>('select tantamos.drop_month($1::date) as done', [
            month,
          ]);
          if (done.rows[0]!.done) dropped.push(month);
        }
        for (const forget of ['drop_expired', 'drop_unused_values', 'drop_old_measures'] as const)
          for (;;) {
            const gone = await connection.query<{ n: number }>(`select tantamos.${forget}($1) as n`, [expiredAtOnce]);
            if (gone.rows[0]!.n < expiredAtOnce || this.closed) break;
          }
        return dropped;
      } finally {
        await connection.query('reset lock_timeout').catch(() => {});
        await connection.query('select pg_advisory_unlock($1)', [keeperLock]).catch(() => {});
      }
    });
  }
}

const needMonths = `
  select tantamos.need_month((date_trunc('month', $1::timestamptz at time zone 'UTC') + make_interval(months => n))::date)
  from generate_series(0, $2::int) n`;

/** Months whose last day is longer ago than journals are kept, as first days. */
const oldMonths = `
  select to_date(substr(c.relname, 7), 'YYYY_MM')::text as month
  from pg_class c join pg_inherits i on i.inhrelid = c.oid cross join tantamos.workspace w
  where i.inhparent = 'tantamos.batch'::regclass and c.relname ~ '^batch_\\d{4}_\\d{2}$' and w.keep_months is not null
    and to_date(substr(c.relname, 7), 'YYYY_MM') + make_interval(months => w.keep_months + 1) <= $1::timestamptz at time zone 'UTC'
  order by 1`;
