import { outcomeOf, type Job, type Outcome, type RecordType, type Sentence, type WorkOrder } from '@tantamos/core';
import { isWhole } from './sortable';
import type { Database } from '../database/database';

/** One run's mark on one record. */
export interface HistoryEntry {
  readonly run: string;
  readonly kind: 'edit' | 'undo';
  readonly at: Date;
  readonly by: string;
  readonly why: string | null;
  readonly sentence: string;
  readonly named: Sentence | null;
  readonly row_limits: Readonly<Record<string, string>> | null;
  readonly job: Job;
  readonly undo_which: { readonly filter?: string; readonly type?: string } | null;
  readonly work_order: WorkOrder;
  readonly made_by: string;
  readonly started_by: string;
  readonly outcome: Outcome;
  readonly cause: string | null;
  readonly changes: readonly { readonly field: string; readonly old: string | null; readonly new: string | null }[];
}

interface Row extends Omit<HistoryEntry, 'outcome' | 'changes'> {
  readonly letter: string;
  readonly fields: string[];
  readonly changes: { field: string; old: string | null; new: string | null }[];
}

/** Everything that runs did to one record or meant to, newest first; at most `limit` entries. */
export async function historyOf(
  database: Database,
  type: RecordType,
  key: string,
  limit: number,
): Promise<HistoryEntry[]> {
  const whole = isWhole(type);
  const rows = await database.rows<Row>(history, [type.id, key, whole, limit]);
  return rows.map(({ letter, fields, changes, ...entry }) => ({
    ...entry,
    outcome: outcomeOf(letter),
    changes: fields.flatMap((f) => changes.filter((c) => c.field === f)),
  }));
}

const history = `
  select h.run, h.kind, h.at, a.name as by, h.why, h.sentence, h.named, h.row_limits, h.job, h.undo_which, h.work_order, h.made_by, h.started_by,
    h.letter, h.cause, h.fields,
    (select coalesce(jsonb_agg(jsonb_build_object('field', v.field, 'old', v.old[h.low + h.n],
       'new', case when h.altered -> v.field ? h.n::text then h.altered -> v.field ->> h.n::text else v.new[h.low + h.n] end)), '[]')
     from tantamos.batch_value v where v.preview = h.preview and v.position = h.batch) as changes
  from (
    select s.run, s.batch, s.low, s.altered, s.n, s.part, p.kind, p.why, p.sentence, p.named, p.row_limits, p.job, p.undo_which, p.work_order, p.made_by, run.preview,
      run.started_by,
      array(select jsonb_array_elements_text(p.work_order -> 'parts' -> s.part -> 'writes')) as fields,
      coalesce(s.finished_at, run.started_at) as at, substr(s.outcomes, s.n, 1) as letter,
      coalesce(s.causes ->> s.n::text, b.causes[s.low + s.n]) as cause
    from (
      select r.*, coalesce(array_position(r.made, $2), case when r.type = $1 then array_position(c.keys[r.low + 1:r.high], $2) end) as n
      from tantamos.stretches_of($1, $2, tantamos.sortable($2, $3), $4 * 2) f
      join tantamos.run u on u.id = f.run
      join tantamos.run_batch r on r.run = f.run and r.position = f.position
      join tantamos.batch c on c.preview = u.preview and c.position = r.batch
    ) s
    join tantamos.run on run.id = s.run
    join tantamos.preview p on p.id = run.preview
    join tantamos.batch b on b.preview = run.preview and b.position = s.batch
    where s.n is not null
    order by at desc limit $4
  ) h
  join tantamos.account a on a.id = h.started_by
  order by h.at desc`;
