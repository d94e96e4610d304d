import {
  firstWays,
  limitNames,
  mostAtOnce,
  outcomes,
  retried,
  runStates,
  type FirstWay,
  type Hours,
  type Outcome,
  type StopIf,
} from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import { ArrayMaxSize, IsArray, IsIn, IsInt, IsOptional, IsString, IsUUID, MaxLength, Min, Max } from 'class-validator';
import { Nullable, largestInteger } from './body';
import { AlongView, JournalPage, journalFiles, JournalQuery, NoteView } from './journal';
import { ListReportView } from './lists';
import { ListQuery } from './page';
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
  @IsOptional() @IsInt() @Min(1) @Max(100) pace?: number;
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) perSecond?: number | null;
}

export class UndoBody {
  @IsOptional() @IsString() @MaxLength(2000) why?: string;
}

export class RetryBody {
  /** Which records to try again; default: all that can be. */
  @IsOptional() @IsArray() @IsIn([...retried], { each: true }) outcomes?: Outcome[];
}

export const RunView = named('RunView', {
  id: uuid,
  preview: uuid,
  kind: oneOf(['edit', 'undo']),
  undoOf: nullable(uuid),
  undoneBy: Of.Array(Of.Object({ run: uuid, changed: count, state: oneOf(runStates) })),
  type: text,
  typeLabel: text,
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
  pace: count,
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
    query: JournalQuery,
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
