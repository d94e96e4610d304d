import { fieldKinds, verdicts, type Job } from '@tantamos/core';
import { Type } from '@sinclair/typebox';
import { IsUUID } from 'class-validator';
import { ListQuery } from './page';
import {
  AlongView,
  ChangeView,
  JournalPage,
  journalFiles,
  JournalRecord,
  NoteView,
  PreviewJournalQuery,
  Value,
} from './journal';
import { JobBody } from './jobs';
import { ListReportView } from './lists';
import { partShape } from './part';
import { routesOf } from './route';
import { asRequested, count, counts, flag, moment, named, nullable, oneOf, text, uuid, type Answer } from './shape';
import { TriggerShape } from './types';

/** Which part of the job something is of, from 0. */
const part = Type.Integer({ description: 'which of the parts it is of, from 0' });

export const PairView = named('PairView', { ...ChangeView.properties, part, count });
export type PairView = Answer<typeof PairView>;

const Spread = Type.Object({ low: nullable(text), high: nullable(text), sum: nullable(text) });

export const FieldFigures = named('FieldFigures', {
  part,
  field: text,
  label: text,
  kind: oneOf(fieldKinds),
  changed: count,
  filled: Type.Integer({ description: 'of these, those that had no value and get one' }),
  emptied: Type.Integer({ description: 'of these, those that had a value and get none' }),
  before: Spread,
  after: Spread,
  longest: nullable(count, 'characters of the longest text there will be'),
});
export type FieldFigures = Answer<typeof FieldFigures>;

export const LoadsView = named('LoadsView', {
  part,
  field: text,
  label: text,
  people: Type.Array(Type.Object({ person: Value, before: count, after: count }), {
    description: 'records of the type that each of the people concerned has',
  }),
  more: Type.Integer({ description: 'people concerned who are not among them' }),
});
export type LoadsView = Answer<typeof LoadsView>;

export const PartView = named('PartView', {
  ...partShape,
  totals: counts('PartTotals', ['matched', ...verdicts]),
});
export type PartView = Answer<typeof PartView>;

export const PreviewView = named('PreviewView', {
  id: uuid,
  kind: oneOf(['edit', 'undo']),
  undoOf: nullable(uuid),
  type: text,
  typeLabel: text,
  sentence: text,
  job: nullable(asRequested<Job>('JobBody'), 'null where it holds what the person may not see'),
  why: nullable(text),
  state: oneOf(['working', 'ready', 'failed', 'cancelled']),
  trouble: nullable(text),
  progress: nullable(Type.Object({ done: count, of: count })),
  madeBy: text,
  mine: flag,
  madeAt: moment,
  expiresAt: moment,
  expired: flag,
  batchSize: count,
  batches: count,
  totals: counts('PreviewTotals', ['matched', ...verdicts]),
  parts: Type.Array(PartView, { description: 'in the order in which they are done; each is counted by itself' }),
  pairs: Type.Array(PairView),
  morePairs: Type.Array(text, { description: 'fields with more different from → to pairs than are listed' }),
  figures: Type.Array(FieldFigures, { description: 'of the values that change, before and after' }),
  loads: Type.Array(LoadsView, { description: 'owners before and after' }),
  loadsInAll: nullable(LoadsView, 'what each person has of all types whose owners change; null where that is one'),
  causes: Type.Array(Type.Object({ cause: text, count })),
  triggers: Type.Array(TriggerShape),
  list: nullable(ListReportView, 'what became of the list that was pasted, where there was one'),
  along: Type.Array(AlongView, { description: 'what is made or removed along with the records, counted apart' }),
  notes: Type.Array(NoteView, { description: 'what a person should know before starting it' }),
  hindrance: nullable(text, 'why it cannot be started; null where it can'),
  expectRequired: flag,
  run: nullable(uuid),
  after: nullable(uuid, 'the preview that this one follows'),
});
export type PreviewView = Answer<typeof PreviewView>;

const Different = Type.Object({ count, records: Type.Array(JournalRecord, { description: 'the first 50' }) });

export const PreviewDifferences = named('PreviewDifferences', {
  with: uuid,
  same: Type.Integer({ description: 'records that both would change alike' }),
  more: Different,
  fewer: Different,
  otherwise: Type.Object(
    { count, records: Type.Array(JournalRecord) },
    { description: 'both would change them, but not alike: from what the earlier would write to what this one would' },
  ),
});
export type PreviewDifferences = Answer<typeof PreviewDifferences>;

export class DifferencesQuery {
  @IsUUID() with!: string;
}

export const previewRoutes = routesOf({
  previews: {
    method: 'get',
    path: '/api/previews',
    summary: 'Previews not started yet',
    answer: Type.Array(PreviewView),
    query: ListQuery,
  },
  makePreview: {
    method: 'post',
    path: '/api/previews',
    summary: 'Work a job out and freeze it',
    answer: PreviewView,
    status: 201,
    body: JobBody,
    startsWork: true,
    searches: true,
  },
  preview: { method: 'get', path: '/api/previews/:id', summary: 'One preview', answer: PreviewView },
  previewEvents: {
    method: 'get',
    path: '/api/previews/:id/events',
    summary: 'Its progress, as it happens',
    answer: PreviewView,
    events: true,
  },
  previewRecords: {
    method: 'get',
    path: '/api/previews/:id/records',
    summary: 'Its records with old and new values',
    answer: JournalPage,
    query: PreviewJournalQuery,
    files: journalFiles,
  },
  previewDifferences: {
    method: 'get',
    path: '/api/previews/:id/differences',
    summary: 'What differs from another preview',
    answer: PreviewDifferences,
    query: DifferencesQuery,
    searches: true,
  },
  dropPreview: {
    method: 'delete',
    path: '/api/previews/:id',
    summary: 'Stop working it out, or withdraw it',
    answer: null,
    status: 204,
  },
});
