import type {
  Bounds,
  Field,
  Job,
  Outcome,
  Problem,
  RecordType,
  RunState,
  Selection,
  Totals,
  Trigger,
  Unreadable,
} from '@tantamos/core';

// The shapes of answers. Moments are ISO 8601 texts, values of records are the database's own text.

export interface Health {
  readonly ok: boolean;
  readonly version: string;
}
export interface Me {
  readonly id: string;
  readonly login: string;
  readonly name: string;
  readonly role: 'administrator' | 'editor';
  readonly workspace: Workspace;
}
export interface SignedIn extends Omit<Me, 'workspace'> {
  readonly token?: string;
  readonly expiresAt: string;
}
export interface Account extends Omit<Me, 'workspace'> {
  readonly active: boolean;
}
export interface Workspace {
  readonly name: string;
  readonly whyRequired: boolean;
  readonly previewHours: number;
  readonly previewMinutes: number;
  /** Months that journals are kept; null: for good. */
  readonly keepMonths: number | null;
  readonly timeZone: string;
  /** Name of the database. */
  readonly database: string;
  /** Why nothing can be changed in it; null where it can. */
  readonly readOnly: string | null;
  /** It is a copy, and an administrator may say that it is at home here. */
  readonly isCopy: boolean;
}
export interface TypeSummary {
  readonly id: string;
  readonly label: string;
  readonly comment: string | null;
  readonly key: readonly string[];
  readonly nameField: string | null;
  readonly ownerFields: readonly string[];
  readonly notChangeable: string | null;
  /** Null when records can be read; else the reason in one sentence. */
  readonly notReadable: string | null;
  readonly hidden: boolean;
  readonly bounds: Bounds;
  readonly about: number;
}
export type FieldView = Field;
export interface TypeView extends TypeSummary {
  readonly fields: readonly FieldView[];
  /** Fields that are there and cannot be read. */
  readonly unreadable: readonly Unreadable[];
  readonly rules: readonly { readonly name: string; readonly message: string }[];
  readonly triggers: readonly Trigger[];
}
/** A value with the name behind it, where it is a key or a choice. */
export interface Value {
  readonly value: string | null;
  readonly label?: string;
}
export interface FoundRecord {
  readonly key: string | null;
  /** By column, in the order asked for. */
  readonly values: readonly Value[];
}
export interface Found {
  readonly type: string;
  readonly columns: readonly { readonly name: string; readonly label: string; readonly kind: Field['kind'] }[];
  readonly records: readonly FoundRecord[];
  readonly next: string | null;
  readonly numberReturned: number;
  readonly numberMatched: number | null;
}
export interface RecordView {
  readonly type: string;
  readonly key: string;
  readonly name: string | null;
  readonly fields: readonly {
    readonly name: string;
    readonly label: string;
    readonly kind: Field['kind'];
    readonly value: Value;
  }[];
}
export interface ChangeView {
  readonly field: string;
  readonly label: string;
  readonly old: Value;
  readonly new: Value;
}
export interface JournalRecord {
  readonly type: string;
  readonly key: string;
  readonly name: string | null;
  readonly outcome: Outcome;
  readonly cause: string | null;
  readonly changes: readonly ChangeView[];
}
export interface JournalPage {
  readonly records: readonly JournalRecord[];
  readonly next: string | null;
}
export interface SampleView {
  readonly sentence: string;
  readonly matched: number | null;
  /** Null while there is no edit yet, or the job has problems. */
  readonly counts: { readonly willChange: number; readonly alreadyRight: number; readonly notAllowed: number } | null;
  readonly rows: readonly JournalRecord[];
  readonly problems: readonly Problem[];
}
export interface Draft {
  readonly job: Record<string, unknown> | null;
  readonly savedAt: string | null;
}
export interface PairView {
  readonly field: string;
  readonly label: string;
  readonly old: Value;
  readonly new: Value;
  readonly count: number;
}
export interface AlongView {
  readonly type: string;
  readonly label: string;
  readonly act: 'create' | 'delete' | 'blank' | 'restore';
  readonly count: number;
}
/** Something to know of a preview or run. */
export interface NoteView {
  readonly code: string;
  readonly message: string;
  readonly count: number;
  /** Some of those meant, as a person would read them. */
  readonly examples: readonly string[];
}
export interface PreviewView {
  readonly id: string;
  readonly kind: 'edit' | 'undo';
  readonly undoOf: string | null;
  readonly type: string;
  readonly typeLabel: string;
  readonly sentence: string;
  readonly job: Job;
  readonly why: string | null;
  readonly state: 'working' | 'ready' | 'failed' | 'cancelled';
  readonly trouble: string | null;
  readonly progress: { readonly done: number; readonly of: number } | null;
  readonly madeBy: string;
  readonly mine: boolean;
  readonly madeAt: string;
  readonly expiresAt: string;
  readonly expired: boolean;
  readonly batchSize: number;
  readonly batches: number;
  /** `not_yet` is what will change. */
  readonly totals: Totals;
  readonly pairs: readonly PairView[];
  /** Fields with more different from → to pairs than are listed. */
  readonly morePairs: readonly string[];
  readonly causes: readonly { readonly cause: string; readonly count: number }[];
  readonly triggers: readonly Trigger[];
  /** What became of the list that was pasted, where there was one. */
  readonly list: ListReportView | null;
  /** What is made or removed along with the records, counted apart from them. */
  readonly along: readonly AlongView[];
  /** What a person should know before starting it. */
  readonly notes: readonly NoteView[];
  /** Why it cannot be started; null where it can. */
  readonly hindrance: string | null;
  /** The number must be said to start the run. */
  readonly expectRequired: boolean;
  readonly run: string | null;
}
export interface RunView {
  readonly id: string;
  readonly preview: string;
  readonly kind: 'edit' | 'undo';
  readonly undoOf: string | null;
  readonly undoneBy: readonly { readonly run: string; readonly changed: number; readonly state: RunState }[];
  readonly type: string;
  readonly typeLabel: string;
  readonly sentence: string;
  readonly why: string | null;
  readonly state: RunState;
  readonly reason: string | null;
  readonly stateBy: string | null;
  readonly stateAt: string;
  readonly startedBy: string;
  readonly startedAt: string;
  readonly endedAt: string | null;
  readonly workedMs: number;
  readonly batchSize: number;
  readonly atOnce: number;
  readonly pace: number;
  readonly askAfter: number | null;
  readonly batches: number;
  readonly batchesDone: number;
  readonly list: ListReportView | null;
  readonly along: readonly AlongView[];
  readonly notes: readonly NoteView[];
  readonly totals: Totals;
  readonly verbs: readonly ('pause' | 'continue' | 'stop' | 'undo' | 'retry')[];
}
export interface RunBatchView {
  readonly position: number;
  readonly size: number;
  readonly state: 'ready' | 'tail' | 'done';
  readonly changed: number;
  readonly problems: number;
  readonly finishedAt: string | null;
}
export interface HistoryView {
  readonly run: string;
  readonly kind: 'edit' | 'undo';
  readonly at: string;
  readonly by: string;
  readonly why: string | null;
  readonly sentence: string;
  readonly outcome: Outcome;
  readonly cause: string | null;
  readonly changes: readonly ChangeView[];
}
/** The counts of a pasted list; every line is in one of blank, notAddresses, repeats, different. */
export interface ListReportView {
  readonly id: string;
  readonly lines: number;
  readonly blank: number;
  readonly notAddresses: number;
  readonly repeats: number;
  readonly different: number;
  readonly found: number;
  readonly unknown: number;
  /** The same in one line of sums. */
  readonly sentence: string;
  readonly byType: readonly {
    readonly type: string;
    readonly label: string;
    readonly fields: readonly string[];
    readonly found: number;
    readonly several: number;
    readonly records: number;
  }[];
  /** Unknown entries that are a key or code of another type, or in another field. */
  readonly elsewhere: readonly {
    readonly type: string;
    readonly label: string;
    readonly field: string;
    readonly count: number;
  }[];
}
export interface ListLineView {
  readonly n: number;
  readonly said: string;
  readonly fate: 'entry' | 'blank' | 'not_address' | 'repeat';
  readonly entry: number | null;
  readonly matches: readonly {
    readonly type: string;
    readonly key: string;
    readonly name: string;
    readonly taken: boolean;
  }[];
  readonly nearest: readonly string[];
  readonly elsewhere: { readonly type: string; readonly label: string; readonly field: string } | null;
}
export interface ListPage {
  readonly lines: readonly ListLineView[];
  readonly next: number | null;
}
export interface ValueCount {
  readonly value: string | null;
  readonly label?: string;
  readonly count: number;
}
export interface FieldValues {
  readonly field: string;
  readonly label: string;
  readonly kind: Field['kind'];
  /** Records counted. */
  readonly total: number;
  /** Different values, blank among them. */
  readonly kinds: number;
  readonly values: readonly ValueCount[];
  readonly ranges: {
    readonly low: string | null;
    readonly high: string | null;
    readonly blank: number;
    readonly steps: readonly { readonly from: string; readonly to: string; readonly count: number }[];
  } | null;
}
export interface Crossed {
  readonly rows: { readonly field: string; readonly label: string; readonly values: readonly Value[] };
  readonly columns: { readonly field: string; readonly label: string; readonly values: readonly Value[] };
  /** By row and column. */
  readonly counts: readonly (readonly number[])[];
  readonly total: number;
  /** Records in combinations beyond those shown. */
  readonly beyond: number;
}
export interface Explained {
  /** All records of the type. */
  readonly all: number;
  /** Before the conditions: all, or the relatives. */
  readonly base: number;
  readonly conditions: readonly {
    readonly text: string;
    readonly words: string;
    /** Where the condition stands in the filter. */
    readonly after: number;
    readonly without: number;
    readonly alone: number;
    /** Values that do occur, where this one does not. */
    readonly nearest: readonly { readonly value: string; readonly text: string }[];
  }[];
  readonly afterFilter: number;
  readonly afterList: number | null;
  readonly afterTake: number | null;
  readonly afterPicks: number | null;
  readonly matched: number;
  readonly list: ListReportView | null;
  readonly sentence: string;
  /** Circles found on the way to descendants or ancestors. */
  readonly circles: number;
}
export interface LookedUp {
  readonly key: string;
  readonly name: string;
  readonly hint: string;
}
export interface PointerView {
  readonly type: string;
  readonly label: string;
  readonly field: string;
  readonly fieldLabel: string;
  readonly count: number;
}
export interface SavedSelectionView {
  readonly id: string;
  readonly name: string;
  readonly note: string | null;
  readonly open: boolean;
  readonly mine: boolean;
  readonly owner: string;
  readonly type: string;
  readonly typeLabel: string;
  readonly version: number;
  readonly selection: Selection;
  readonly changedBy: string;
  readonly changedAt: string;
  readonly lastCount: number | null;
  readonly countedAt: string | null;
  /** Names of the selections that rest on it. */
  readonly usedBy: readonly string[];
}
export interface SavedVersionView {
  readonly version: number;
  readonly selection: Selection;
  readonly note: string | null;
  readonly changedBy: string;
  readonly changedAt: string;
}
export interface KeptCountsView {
  readonly id: string;
  readonly name: string;
  readonly type: string;
  readonly madeBy: string;
  readonly madeAt: string;
  readonly fields: readonly string[];
  readonly total: number;
}
export interface ComparedCounts extends KeptCountsView {
  readonly totalNow: number;
  readonly rows: readonly { readonly values: readonly Value[]; readonly before: number; readonly now: number }[];
}
export interface FunctionView {
  readonly name: string;
  readonly signature: string;
  readonly group: string;
  readonly source: string;
  readonly doc: string;
  readonly example: string;
}
/** RFC 9457 problem details, with every problem found. */
export interface ProblemDetails {
  readonly type: string;
  readonly title: string;
  readonly status: number;
  readonly detail: string;
  readonly code: string;
  readonly problems: readonly Problem[];
}
export type { RecordType };
