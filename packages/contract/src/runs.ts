import { outcomes, retried, runStates, type Outcome } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import { IsArray, IsIn, IsInt, IsOptional, IsString, IsUUID, MaxLength, Min, Max } from 'class-validator';
import { Nullable, largestInteger } from './body';
import { AlongView, JournalPage, journalFiles, JournalQuery, NoteView } from './journal';
import { ListReportView } from './lists';
import { ListQuery } from './page';
import { PreviewView } from './previews';
import { routesOf } from './route';
import { count, counts, moment, named, nullable, oneOf, text, uuid, type Answer } from './shape';

export class StartRunBody {
  @IsUUID() preview!: string;
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) askAfter?: number | null;
  /** How many will change, as you have read it; wanted for large runs, checked whenever given. */
  @Nullable() @IsInt() @Min(0) @Max(largestInteger) expect?: number | null;
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
  batches: count,
  batchesDone: count,
  list: nullable(ListReportView),
  along: Of.Array(AlongView),
  notes: Of.Array(NoteView),
  totals: counts('RunTotals', ['matched', ...outcomes]),
  verbs: Of.Array(oneOf(['pause', 'continue', 'stop', 'undo', 'retry']), {
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
