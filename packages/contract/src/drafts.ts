import { Type } from '@sinclair/typebox';
import { IsInt, IsOptional, Min, Max } from 'class-validator';
import { Fits, isObject, largestInteger } from './body';
import { routesOf } from './route';
import { count, moment, named, nullable, text, uuid, type Answer } from './shape';

const mostKept = 2_000_000;
/** JSON that the database can keep: JSON.stringify writes what it cannot as escapes. */
function isStorable(json: string): boolean {
  return json.length <= mostKept && !/(?<!\\)(?:\\\\)*\\u(?:0000|d[89a-f])/.test(json);
}

export class DraftBody {
  /** Kept as it is: an unfinished job need not be right yet. */
  @Fits(
    'isSmallObject',
    { type: 'object' },
    (v) => isObject(v) && isStorable(JSON.stringify(v)),
    'job must be an object of at most 2 MB, without characters that no text can hold (NUL, half pairs)',
  )
  job!: Record<string, unknown>;
  /** The version that was read; refused when another tab has kept a newer one. */
  @IsOptional() @IsInt() @Min(1) @Max(largestInteger) version?: number;
}

export const DraftSummary = named('DraftSummary', {
  id: uuid,
  version: count,
  savedAt: moment,
  type: nullable(text, 'the type it is about; null where none has been chosen, or it is not to be seen'),
  typeLabel: nullable(text),
  title: Type.String({ description: 'what it would do so far, in words' }),
});
export type DraftSummary = Answer<typeof DraftSummary>;

export const Draft = named('Draft', {
  id: uuid,
  version: count,
  job: Type.Record(Type.String(), Type.Unknown()),
  savedAt: moment,
});
export type Draft = Answer<typeof Draft>;

export const draftRoutes = routesOf({
  drafts: {
    method: 'get',
    path: '/api/drafts',
    summary: 'My unfinished jobs, the last one touched first',
    answer: Type.Array(DraftSummary),
  },
  beginDraft: {
    method: 'post',
    path: '/api/drafts',
    summary: 'Begin an unfinished job',
    answer: Draft,
    status: 201,
    body: DraftBody,
  },
  draft: { method: 'get', path: '/api/drafts/:id', summary: 'One of my unfinished jobs', answer: Draft },
  keepDraft: {
    method: 'put',
    path: '/api/drafts/:id',
    summary: 'Keep an unfinished job of mine as it is now',
    answer: Draft,
    body: DraftBody,
  },
  dropDraft: {
    method: 'delete',
    path: '/api/drafts/:id',
    summary: 'Drop an unfinished job of mine',
    answer: null,
    status: 204,
  },
});
