import { fail, shortId } from '@tantamos/core';
import type { Connection } from '../database/database';

/** Throws where another run that is not over is still to change some of the records of a preview. */
export async function mustBeAlone(connection: Connection, run: string, preview: string): Promise<void> {
  const { rows } = await connection.query<{ id: string; n: number }>(overlaps, [run, preview]);
  const other = rows[0];
  if (!other) return;
  const words = other.n === 1 ? '1 of these records' : `${other.n.toLocaleString('en-US')} of these records`;
  fail(
    'over_limit',
    `The job says to begin only if no other run is on these records; run ${shortId(other.id)} is still to change ${words}. Nothing was changed.`,
  );
}

/** $1 this run, $2 its preview: the other run that shares most records which it has not changed yet. */
const overlaps = `
  with mine as (
    select distinct p.part ->> 'type' as type, k.key
    from tantamos.preview v cross join lateral jsonb_array_elements(v.work_order -> 'parts') with ordinality p(part, n)
    join tantamos.batch b on b.preview = v.id and b.part = p.n - 1
    cross join lateral rows from (unnest(b.keys), string_to_table(b.verdicts, null)) k(key, verdict)
    where v.id = $2 and k.verdict = 'n'
  )
  select r.id, count(*)::int as n
  from tantamos.run r
  join tantamos.run_batch s on s.run = r.id and s.state <> 'done'
  join tantamos.batch b on b.preview = r.preview and b.position = s.batch
  cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null)) k(key, outcome)
  join mine m on m.type = s.type and m.key = k.key
  where r.ended_at is null and r.id <> $1 and k.outcome = 'n'
  group by r.id order by 2 desc limit 1`;
