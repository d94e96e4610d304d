import {
  fieldKinds,
  firstWays,
  limitNames,
  mostAtOnce,
  outcomes,
  refusalKinds,
  retried,
  runStates,
  type FirstWay,
  type Hours,
  type Outcome,
  type StopIf,
} from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import {
  ArrayMaxSize,
  ArrayNotEmpty,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsOptional,
  IsString,
  IsUUID,
  MaxLength,
  Min,
  Max,
} from 'class-validator';
import { Nullable, largestInteger } from './body';
import { AlongView, JournalPage, JournalRecord, journalFiles, NoteView, RunJournalQuery, Value } from './journal';
import { ListReportView } from './lists';
import { ListQuery } from './page';
import { partShape } from './part';
import { PreviewView } from './previews';
import { routesOf } from './route';
import { count, counts, moment, named, nullable, oneOf, text, uuid, type Answer } from './shape';

/** So many records picked by hand, or of each different from → to, may be the first. */
export const mostFirst = 200;

export class StartRunBody {
  @IsUUID() preview!: string;
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) askAfter?: number | null;
  /** Which are the first, where the job is not to decide. */
  @IsOptional() @IsIn(firstWays) first?: FirstWay;
  /** Just these are the first, by their keys, instead of a number. */
  @IsOptional() @IsArray() @ArrayMaxSize(mostFirst) @IsString({ each: true }) firstKeys?: string[];
  /** How many will change, as you have read it; wanted for large runs, checked whenever given. */
  @Nullable() @IsInt() @Min(0) @Max(largestInteger) expect?: number | null;
}

/** How a run goes on from now. What is left out stays. */
export class ChangeRunBody {
  @IsOptional() @IsInt() @Min(1) @Max(mostAtOnce) atOnce?: number;
  /** Null: by itself, less while others write. */
  @Nullable() @IsInt() @Min(1) @Max(100) pace?: number | null;
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) perSecond?: number | null;
}

export class RecheckBody {
  /** The count that is gone on with, by its `id`; left out: a new one. */
  @IsOptional() @IsUUID() on?: string;
}

export class UndoBody {
  @IsOptional() @IsString() @MaxLength(2000) why?: string;
  /** Only what was done to records of this type; `keys` and `filter` are of these. Left out: the type that the run is of. */
  @IsOptional() @IsString() @MaxLength(200) type?: string;
  /** Only these records, and only those of them that the filter finds (CQL2 text). */
  @IsOptional() @IsArray() @ArrayNotEmpty() @ArrayMaxSize(10_000) @IsString({ each: true }) keys?: string[];
  @IsOptional() @IsString() @MaxLength(100_000) filter?: string;
  /** Only these fields. */
  @IsOptional() @IsArray() @ArrayNotEmpty() @ArrayMaxSize(200) @IsString({ each: true }) fields?: string[];
  /** What others have changed since is put back too; it needs the right to overwrite. */
  @IsOptional() @IsBoolean() overwrite?: boolean;
  /** Related records that others have edited since stay as they are, and the records they belong to are undone all the same. */
  @IsOptional() @IsBoolean() leaveEdited?: boolean;
}

export class RetryBody {
  /** Which records to try again; default: all that can be. */
  @IsOptional() @IsArray() @IsIn([...retried], { each: true }) outcomes?: Outcome[];
}

export const RunPartView = named('RunPartView', {
  ...partShape,
  totals: counts('RunPartTotals', ['matched', ...outcomes]),
});
export type RunPartView = Answer<typeof RunPartView>;

export const RunView = named('RunView', {
  id: uuid,
  preview: uuid,
  kind: oneOf(['edit', 'undo']),
  undoOf: nullable(uuid),
  undoneBy: Of.Array(
    Of.Object({
      run: uuid,
      changed: count,
      state: oneOf(runStates),
      whole: Of.Boolean({ description: 'not only a part of it' }),
    }),
  ),
  type: text,
  typeLabel: text,
  types: Of.Array(Of.Object({ id: text, label: text }), { description: 'of which records it is, part by part' }),
  sentence: text,
  why: nullable(text),
  state: oneOf(runStates),
  reason: nullable(text),
  stateBy: nullable(text),
  stateAt: moment,
  startedBy: text,
  previewBy: Of.String({ description: 'who worked its preview out' }),
  startedAt: moment,
  endedAt: nullable(moment),
  workedMs: count,
  batchSize: count,
  atOnce: count,
  pace: nullable(count, 'percent of the time; null: by itself, less while others write'),
  givesWay: Of.Boolean({ description: 'others write just now, and it waits for them' }),
  askAfter: nullable(count),
  perSecond: nullable(count, 'records, on the average'),
  perGo: nullable(count),
  goEvery: nullable(count, 'minutes between two goes'),
  hours: nullable(
    Of.Unsafe<Hours>(Of.Object({ zone: text, from: text, to: text, days: Of.Optional(Of.Array(count)) })),
  ),
  stopIf: Of.Unsafe<StopIf>(
    Of.Partial(Of.Object(Object.fromEntries(limitNames.map((l) => [l, nullable(Of.Number())])))),
  ),
  exceeded: nullable(Of.Object({ limit: oneOf(limitNames), allowed: Of.Number(), found: Of.Number(), words: text })),
  wakesAt: nullable(moment, 'when it goes on by itself'),
  batches: count,
  batchesDone: count,
  list: nullable(ListReportView),
  along: Of.Array(AlongView),
  notes: Of.Array(NoteView),
  totals: counts('RunTotals', ['matched', ...outcomes]),
  parts: Of.Array(RunPartView, {
    description: 'in the order in which they are done, each counted by itself; `done` names what `changed` counts',
  }),
  verbs: Of.Array(oneOf(['pause', 'continue', 'stop', 'change', 'undo', 'retry']), {
    description: 'what this person may say to it now',
  }),
});
export type RunView = Answer<typeof RunView>;

export const RunBatchView = named('RunBatchView', {
  position: count,
  size: count,
  state: oneOf(['ready', 'tail', 'done']),
  changed: count,
  problems: count,
  finishedAt: nullable(moment),
});
export type RunBatchView = Answer<typeof RunBatchView>;

/** Something that happened to a run. */
export const RunEventView = named('RunEventView', {
  at: moment,
  by: nullable(text),
  what: text,
  words: text,
});
export type RunEventView = Answer<typeof RunEventView>;

/** How a run went over time, in stretches of the same length. */
export const RunCourse = named('RunCourse', {
  seconds: Of.Number({ description: 'length of a stretch' }),
  /** How long a small write took before the run, in ms. */
  usualMs: nullable(Of.Number()),
  stretches: Of.Array(
    Of.Object({
      at: moment,
      done: count,
      canaryMs: nullable(Of.Number({ description: 'how long a small write beside it took, the median' })),
    }),
  ),
});
export type RunCourse = Answer<typeof RunCourse>;

/** Why records were not changed: one reason, with what can be done. */
export const CauseView = named('CauseView', {
  outcome: oneOf(outcomes),
  cause: nullable(text, 'with what differs from record to record left out; null: no more is known'),
  count,
  kind: nullable(oneOf(refusalKinds)),
  code: nullable(text, 'the SQLSTATE of the database'),
  said: nullable(text, 'the words of the database about one of them'),
  next: text,
  steps: Of.Array(oneOf(['show_other', 'mend', 'retry', 'drop'])),
  other: nullable(Of.Object({ type: text, filter: text }), 'the record that has the value already'),
});
export type CauseView = Answer<typeof CauseView>;

/** What has become of the records that a run changed. */
export const RecheckView = named('RecheckView', {
  id: uuid,
  at: nullable(moment, 'when all was counted; null while it is under way: ask again with `on`'),
  counted: count,
  changed: count,
  notCounted: Of.Integer({
    minimum: 0,
    description: 'records that the run has changed since they were counted: it was at work meanwhile',
  }),
  asWritten: count,
  changedSince: count,
  putBack: count,
  gone: count,
  matched: count,
  matchesNow: nullable(count, 'how many the job’s selection finds now; null where it cannot be asked'),
  fields: Of.Array(
    Of.Object({
      field: text,
      label: text,
      kind: oneOf(fieldKinds),
      asWritten: count,
      values: Of.Array(Of.Object({ value: Value, before: count, after: count, now: count })),
      more: nullable(count, 'different values that are not told; null: too many for any to be told'),
    }),
    { description: 'how many of them had each value before the run, after it, and have it now' },
  ),
  who: nullable(
    Of.Object({ field: text, label: text, values: Of.Array(Of.Object({ value: Value, count })) }),
    'who changed them last, where a field tells',
  ),
  laterRuns: nullable(
    Of.Array(Of.Object({ run: uuid, by: text, sentence: text, count })),
    'null where they could not be found in time',
  ),
  records: Of.Array(JournalRecord, {
    description: 'those changed since: from what was written to what stands there now',
  }),
});
export type RecheckView = Answer<typeof RecheckView>;

export const runRoutes = routesOf({
  runs: {
    method: 'get',
    path: '/api/runs',
    summary: 'Runs, newest first',
    answer: Of.Array(RunView),
    query: ListQuery,
  },
  startRun: {
    method: 'post',
    path: '/api/runs',
    summary: 'Start the run of a preview',
    answer: RunView,
    status: 201,
    body: StartRunBody,
    startsWork: true,
  },
  run: { method: 'get', path: '/api/runs/:id', summary: 'One run', answer: RunView },
  runEvents: {
    method: 'get',
    path: '/api/runs/:id/events',
    summary: 'Its progress, as it happens',
    answer: RunView,
    events: true,
  },
  runRecords: {
    method: 'get',
    path: '/api/runs/:id/records',
    summary: 'Its records with their outcomes',
    answer: JournalPage,
    query: RunJournalQuery,
    files: journalFiles,
  },
  runBatches: {
    method: 'get',
    path: '/api/runs/:id/batches',
    summary: 'Its batches',
    answer: Of.Array(RunBatchView),
  },
  runLog: {
    method: 'get',
    path: '/api/runs/:id/log',
    summary: 'What happened to it, in order',
    answer: Of.Array(RunEventView),
  },
  runCourse: {
    method: 'get',
    path: '/api/runs/:id/course',
    summary: 'How fast it went over time, and how long others waited for a small write meanwhile',
    answer: RunCourse,
  },
  runCauses: {
    method: 'get',
    path: '/api/runs/:id/causes',
    summary: 'Why records were not changed, and what can be done',
    answer: Of.Array(CauseView),
  },
  recheckRun: {
    method: 'post',
    path: '/api/runs/:id/recheck',
    summary: 'Count anew what has become of the records that it changed, for two seconds, or go on with a count',
    answer: RecheckView,
    body: RecheckBody,
    searches: true,
  },
  changeRun: {
    method: 'patch',
    path: '/api/runs/:id',
    summary: 'Change its pace and how many batches work at once, while it goes on',
    answer: RunView,
    body: ChangeRunBody,
  },
  pauseRun: {
    method: 'post',
    path: '/api/runs/:id/pause',
    summary: 'Pause after the batches under way',
    answer: RunView,
  },
  continueRun: { method: 'post', path: '/api/runs/:id/continue', summary: 'Go on', answer: RunView },
  stopRun: {
    method: 'post',
    path: '/api/runs/:id/stop',
    summary: 'Stop for good after the batches under way',
    answer: RunView,
  },
  undoRun: {
    method: 'post',
    path: '/api/runs/:id/undo',
    summary: 'Preview putting back what it changed',
    answer: PreviewView,
    status: 201,
    body: UndoBody,
    startsWork: true,
  },
  retryRun: {
    method: 'post',
    path: '/api/runs/:id/retry',
    summary: 'Preview the same edits for records that were left',
    answer: PreviewView,
    status: 201,
    body: RetryBody,
    startsWork: true,
  },
});
