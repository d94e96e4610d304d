import { fieldKinds, outcomes } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import { Type } from 'class-transformer';
import { ArrayMaxSize, IsArray, IsIn, IsInt, IsOptional, IsString, Max, MaxLength, Min } from 'class-validator';
import { CommaList } from './body';
import { ChangeView, Value } from './journal';
import { routesOf } from './route';
import { BlanksView, SelectionParts } from './selection';
import { count, moment, named, nullable, oneOf, text, uuid, type Answer } from './shape';

export class FindBody extends SelectionParts {
  /** Field names or paths such as `grower.name`; default: every field. */
  @IsOptional() @CommaList() @IsArray() @ArrayMaxSize(200) @IsString({ each: true }) columns?: string[];
  /** Field names or paths, `-` before one for descending. */
  @IsOptional() @CommaList() @IsArray() @ArrayMaxSize(10) @IsString({ each: true }) sort?: string[];
  @IsOptional() @Type(() => Number) @IsInt() @Min(0) @Max(1000) limit?: number;
  /** The `next` of the page before. */
  @IsOptional() @IsString() @MaxLength(20_000) after?: string;
  /** `exact`: count what matches; `none`: do not. */
  @IsOptional() @IsIn(['exact', 'none']) count?: 'exact' | 'none';
}

export class LookupQuery {
  /** Part of a name, or a key. */
  @IsOptional() @IsString() @MaxLength(200) q?: string;
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(100) limit?: number;
}

export const FoundRecord = named('FoundRecord', {
  key: nullable(text),
  values: Of.Array(Value, { description: 'by column, in the order asked for' }),
});
export type FoundRecord = Answer<typeof FoundRecord>;

export const Found = named('Found', {
  type: text,
  columns: Of.Array(Of.Object({ name: text, label: text, kind: oneOf(fieldKinds) })),
  records: Of.Array(FoundRecord),
  next: nullable(text),
  numberReturned: count,
  numberMatched: nullable(count),
  blanks: nullable(BlanksView, 'only where the matches are counted'),
});
export type Found = Answer<typeof Found>;

export const RecordView = named('RecordView', {
  type: text,
  key: text,
  name: nullable(text),
  fields: Of.Array(Of.Object({ name: text, label: text, kind: oneOf(fieldKinds), value: Value })),
});
export type RecordView = Answer<typeof RecordView>;

export const HistoryView = named('HistoryView', {
  run: uuid,
  kind: oneOf(['edit', 'undo']),
  at: moment,
  by: text,
  why: nullable(text),
  sentence: text,
  outcome: oneOf(outcomes),
  cause: nullable(text),
  changes: Of.Array(ChangeView),
});
export type HistoryView = Answer<typeof HistoryView>;

export const LookedUp = named('LookedUp', { key: text, name: text, hint: text });
export type LookedUp = Answer<typeof LookedUp>;

export const PointerView = named('PointerView', { type: text, label: text, field: text, fieldLabel: text, count });
export type PointerView = Answer<typeof PointerView>;

export const recordRoutes = routesOf({
  find: {
    method: 'get',
    path: '/api/types/:type/records',
    summary: 'Find records',
    answer: Found,
    query: FindBody,
    searches: true,
  },
  search: {
    method: 'post',
    path: '/api/types/:type/search',
    summary: 'Find records, with a filter of any length',
    answer: Found,
    body: FindBody,
    searches: true,
  },
  record: { method: 'get', path: '/api/types/:type/records/:key', summary: 'One record', answer: RecordView },
  history: {
    method: 'get',
    path: '/api/types/:type/records/:key/history',
    summary: 'What runs did to one record',
    answer: Of.Array(HistoryView),
  },
  lookup: {
    method: 'get',
    path: '/api/types/:type/lookup',
    summary: 'Records by part of their name, for choosing one',
    answer: Of.Array(LookedUp),
    query: LookupQuery,
    searches: true,
  },
  pointers: {
    method: 'get',
    path: '/api/types/:type/records/:key/pointers',
    summary: 'Everything that points at one record, by type and field, counted',
    answer: Of.Array(PointerView),
    searches: true,
  },
});
