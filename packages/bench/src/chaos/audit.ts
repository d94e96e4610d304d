import type { Pool } from 'pg';
import { isOdd } from './world';

/** A record of a run, as the journal has it beside what the audit saw and what is there now. */
interface Told {
  readonly key: number;
  readonly outcome: string;
  readonly frozen_old: string | null;
  readonly written: string | null;
  /** Writes of lanes since the run began, and what the last of them found and left. */
  readonly writes: number;
  readonly found: { note: string | null; status: string; owner: number } | null;
  readonly left_: { note: string | null } | null;
  readonly kind_seen: string | null;
  readonly hands: number;
  readonly is_there: boolean;
}

/**
 * Holds a run's journal against the audit: everything that is wrong, in words. `from` is the audit's last entry before the
 * preview was made; `isUndo`: it puts values back, and reads nothing but these.
 */
export async function audit(db: Pool, runId: string, from: number, isUndo: boolean): Promise<string[]> {
  const wrong: string[] = [];
  const { rows } = await db.query<Told>(told, [runId, from]);
  const { rows: sums } = await db.query<{ fits: boolean }>(
    `select matched = changed + already_right + not_allowed + edited_since + refused + in_use + gone + not_yet
       and matched = (select sum(high - low) from tantamos.run_batch where run = run.id) as fits from tantamos.run where id = $1`,
    [runId],
  );
  if (!sums[0]?.fits) wrong.push(`run ${runId}: its totals do not add up`);
  for (const r of rows) {
    const say = (what: string): void => void wrong.push(`run ${runId}, record ${r.key} (${r.outcome}): ${what}`);
    if (r.outcome === 'c' && isOdd(r.key)) say('a trigger keeps it from being written');
    if (r.outcome === 'c') {
      if (r.writes !== 1) say(`written ${r.writes} times`);
      else if (r.found!.note !== r.frozen_old)
        say(`a hand edit was overwritten: ${r.found!.note}, frozen ${r.frozen_old}`);
      else if (r.left_!.note !== r.written) say(`stored ${r.left_!.note}, journal ${r.written}`);
      else if (!isUndo && (r.found!.status !== 'open' || r.kind_seen !== 'north'))
        say('written though what it rests on had changed');
    } else if (r.writes > 0) say(`written ${r.writes} times`);
    if (r.outcome === 'g' && r.is_there && r.hands === 0) say('said to be gone and is there');
    if (r.outcome === 'f' && r.hands === 0 && !isUndo && r.is_there) {
      const { rows: sealed } = await db.query<{ amount: number }>(
        'select amount::float8 as amount from orders where id = $1',
        [r.key],
      );
      if ((sealed[0]?.amount ?? -1) >= 0 && !isOdd(r.key)) say('refused, and nothing refuses it');
    }
  }
  return wrong;
}

const told = `
  with done as (
    select i.key::int as key, i.outcome, i.old as frozen_old,
      case when s.altered -> 'note' ? i.n::text then s.altered -> 'note' ->> i.n::text else i.new end as written
    from tantamos.run_batch s join tantamos.run on run.id = s.run
    join tantamos.batch b on b.preview = run.preview and b.position = s.batch
    join tantamos.batch_value v on v.preview = b.preview and v.position = b.position and v.field = 'note'
    cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null),
      unnest(v.old[s.low + 1:s.high]), unnest(v.new[s.low + 1:s.high])) with ordinality i(key, outcome, old, new, n)
    where s.run = $1)
  select d.*, coalesce(a.writes, 0)::int as writes, a.found, a.left_, a.kind_seen, coalesce(a.hands, 0)::int as hands,
    exists (select from orders o where o.id = d.key) as is_there
  from done d left join (
    select record, count(*) filter (where lane) as writes, count(*) filter (where not lane) as hands,
      (array_agg(old) filter (where lane))[1] as found, (array_agg(new) filter (where lane))[1] as left_,
      (array_agg(kind_seen) filter (where lane))[1] as kind_seen
    from (select *, who like 'tantamos lane%' as lane from audit where id > $2) x group by record) a on a.record = d.key`;
