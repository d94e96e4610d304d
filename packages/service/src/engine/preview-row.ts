import type { ListReportView } from '@tantamos/contract';
import type { Job, Plan, Trigger } from '@tantamos/core';

/** A preview as it stands in the database, with the names behind its ids. */
export interface PreviewRow {
  readonly id: string;
  readonly kind: 'edit' | 'undo';
  readonly undo_of: string | null;
  readonly type: string;
  readonly job: Job;
  readonly plan: Plan;
  readonly sentence: string;
  readonly why: string | null;
  readonly made_by: string;
  readonly made_by_name: string;
  readonly made_at: Date;
  readonly ready_at: Date | null;
  readonly expires_at: Date;
  readonly expired: boolean;
  readonly state: 'working' | 'ready' | 'failed' | 'cancelled';
  readonly trouble: string | null;
  readonly batch_size: number;
  readonly batches: number;
  readonly matched: number;
  readonly will_change: number;
  readonly already_right: number;
  readonly not_allowed: number;
  readonly edited_since: number;
  readonly gone: number;
  readonly pairs: readonly Pair[];
  readonly more_pairs: readonly string[];
  readonly causes: readonly { readonly cause: string; readonly count: number }[];
  readonly triggers: readonly Trigger[];
  readonly list_report: ListReportView | null;
  readonly run: string | null;
}
export interface Pair {
  readonly field: string;
  readonly old: string | null;
  readonly new: string | null;
  readonly count: number;
}

/** Reads `PreviewRow`s; a condition on `p` follows. */
export const selectPreviews = `
  select p.*, p.expires_at < now() as expired, a.name as made_by_name, r.id as run
  from tantamos.preview p join tantamos.account a on a.id = p.made_by left join tantamos.run r on r.preview = p.id`;
