import type { ListReportView } from '@tantamos/contract';
import type { Job, Mend, Sentence, Trigger, Verdict, WorkOrder } from '@tantamos/core';
import type { Figures } from './figures';

/** A preview as it stands in the database, with the names behind its ids. */
export interface PreviewRow {
  readonly id: string;
  readonly kind: 'edit' | 'undo';
  readonly undo_of: string | null;
  /** Of an undo: which part of the run; null: all of it. */
  readonly undo_which: UndoWhich | null;
  readonly type: string;
  readonly job: Job;
  readonly work_order: WorkOrder;
  readonly sentence: string;
  /** The sentence with the records it names, and which records its maker saw (see `Seen.rowLimits`); null: made by an earlier version. */
  readonly named: Sentence | null;
  readonly row_limits: Readonly<Record<string, string>> | null;
  readonly why: string | null;
  readonly made_by: string;
  readonly made_by_name: string;
  readonly made_at: Date;
  readonly ready_at: Date | null;
  readonly expires_at: Date;
  readonly expired: boolean;
  readonly state: 'working' | 'ready' | 'failed' | 'cancelled';
  readonly trouble: string | null;
  /** While it is being worked out. */
  readonly progress: Progress | null;
  readonly batch_size: number;
  readonly batches: number;
  readonly matched: number;
  readonly will_change: number;
  /** The same by the order’s parts; null of what was frozen by an earlier version. */
  readonly part_changes: readonly number[] | null;
  readonly already_right: number;
  readonly not_allowed: number;
  readonly edited_since: number;
  readonly gone: number;
  /** How many records are made or removed along, by the place of the order's `along`. */
  readonly along: readonly number[];
  readonly pairs: readonly Pair[];
  readonly more_pairs: readonly string[];
  readonly causes: readonly { readonly cause: string; readonly count: number }[];
  readonly triggers: readonly Trigger[];
  readonly notes: readonly Note[];
  readonly figures: Figures;
  readonly list_report: ListReportView | null;
  readonly run: string | null;
}

/** Which part of a run is taken back. */
export interface UndoWhich {
  /** Of what the records are; left out: the type that the run is of, or all where nothing else is said. */
  readonly type?: string;
  readonly keys?: readonly string[];
  readonly filter?: string;
  readonly fields?: readonly string[];
  /** What others have changed since is put back too. */
  readonly overwrite?: boolean;
  /** Related records that others have edited since stay, and those they belong to are undone all the same. */
  readonly leaveEdited?: boolean;
}

/** Where a preview that is being worked out has got to. */
export interface Progress {
  readonly done: number;
  readonly of: number;
}

/** Something a person should know of a preview or run, in one sentence. */
export interface Note {
  readonly code:
    | 'given_unused'
    | 'rule_returns'
    | 'related_gone'
    | 'related_edited'
    | 'stored_otherwise'
    | 'blanks_left_out'
    | 'reads_like'
    | 'all_records'
    | 'filter_edited'
    | 'nothing_changes'
    | 'many_not_allowed'
    | 'new_value'
    | 'one_lane'
    | 'rule_in_trouble'
    | 'inactive'
    | 'per_blank'
    | 'blank_otherwise'
    | 'field_used'
    | 'own_record';
  readonly message: string;
  readonly count: number;
  readonly examples: readonly string[];
  readonly mend?: Mend;
  /** Where to look, as on a button: what says which records, or the records of a verdict. */
  readonly look?: { readonly words: string; readonly at: 'selection' | Verdict };
}

export interface Pair {
  readonly part: number;
  readonly field: string;
  readonly old: string | null;
  readonly new: string | null;
  readonly count: number;
}

/** Reads `PreviewRow`s; a condition on `p` follows. */
export const selectPreviews = `
  select p.*, p.expires_at < now() as expired, a.name as made_by_name, r.id as run,
    case when p.state = 'working' and w.preview is not null then jsonb_build_object('done', w.done, 'of', w.total) end as progress
  from tantamos.preview p join tantamos.account a on a.id = p.made_by left join tantamos.run r on r.preview = p.id
  left join tantamos.preview_work w on w.preview = p.id`;
