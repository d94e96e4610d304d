import type { RunCourse, RunEventView } from '@tantamos/contract';
import type { Database } from '../database/database';

/** More stretches of time than this are not shown. */
const mostStretches = 120;
const mostEvents = 500;

interface Event {
  readonly at: Date;
  readonly by: string | null;
  readonly what: string;
  readonly words: string | null;
}

const eventWords: Readonly<Record<string, string>> = {
  start: 'Started',
  pause: 'Told to pause',
  continue: 'Told to go on',
  stop: 'Told to stop',
  ask: 'Waits for you',
  rest: 'Waits until its time',
  wake: 'Goes on by itself',
  finish: 'Finished',
  settle: 'Batches under way are ended',
  change: 'Pace changed',
};

/** What happened to a run, in order; the newest few hundred. */
export async function runLog(database: Database, run: string): Promise<RunEventView[]> {
  const rows = await database.rows<Event & Record<string, unknown>>(
    `select e.* from (
       select r.at, a.name as by, r.what, r.words, r.id from tantamos.run_event r left join tantamos.account a on a.id = r.by
       where r.run = $1 order by r.id desc limit $2) e
     order by e.id`,
    [run, mostEvents],
  );
  return rows.map(({ at, by, what, words }) => ({
    at: at.toISOString(),
    by,
    what,
    words: `${eventWords[what] ?? what}${words === null ? '' : `: ${words}`}`,
  }));
}

/** How many records were dealt with in each stretch of time, and how long a small write beside them took. */
export async function runCourse(database: Database, run: string): Promise<RunCourse> {
  const span = await database.one<{ first: Date | null; seconds: number; usual: number | null }>(
    `select min(started_at) as first,
       greatest(1, ceil(extract(epoch from coalesce(max(ended_at), clock_timestamp()) - min(started_at)) / $2))::int as seconds,
       (select percentile_cont(0.5) within group (order by ms) from tantamos.canary where run = $1 and before) as usual
     from tantamos.run where id = $1`,
    [run, mostStretches],
  );
  if (!span?.first) return { seconds: 1, usualMs: null, stretches: [] };
  const rows = await database.rows<{ at: Date; done: number; ms: number | null }>(course, [
    run,
    span.first,
    span.seconds,
  ]);
  return {
    seconds: span.seconds,
    usualMs: span.usual,
    stretches: rows.map(({ at, done, ms }) => ({ at: at.toISOString(), done, canaryMs: ms })),
  };
}

/** $1 run, $2 when it began, $3 seconds of a stretch: those in which something was done or measured. */
const course = `
  with work as (
    select floor(extract(epoch from s.finished_at - $2) / $3)::int as n, sum(length(s.outcomes) - s.not_yet)::int as done
    from tantamos.run_batch s where s.run = $1 and s.finished_at is not null and s.tries > 0 group by 1
  ), waits as (
    select floor(extract(epoch from c.at - $2) / $3)::int as n, percentile_cont(0.5) within group (order by c.ms) as ms
    from tantamos.canary c where c.run = $1 and not c.before and c.ms is not null group by 1
  )
  select $2::timestamptz + make_interval(secs => n * $3) as at, coalesce(w.done, 0) as done, c.ms
  from work w full join waits c using (n) where n >= 0 order by n`;
