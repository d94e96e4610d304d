import { dateOrders, decimalMarks, rowFates, type DateOrder, type DecimalMark, type RowFate } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  IsArray,
  IsBooleanString,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsObject,
  IsOptional,
  IsString,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import { NestedList, largestInteger } from './body';
import { routesOf } from './route';
import type { JobBody } from './jobs';
import { asRequested, count, counts, flag, moment, named, nullable, oneOf, text, uuid, type Answer } from './shape';

/** How a file is read, where that is not to be found out. */
export class FileQuery {
  @IsString() @IsNotEmpty() @MaxLength(255) name!: string;
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(40) encoding?: string;
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(1) separator?: string;
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(200) sheet?: string;
  /** Whether the first row names the columns. */
  @IsOptional() @IsBooleanString() header?: string;
}

export class FileMatchBody {
  @IsString() @IsNotEmpty() @MaxLength(300) column!: string;
  /** A field or a path. */
  @IsString() @IsNotEmpty() @MaxLength(1000) field!: string;
}

export class FileTakeBody {
  @IsString() @IsNotEmpty() @MaxLength(200) field!: string;
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(300) column?: string;
  /** What is worked out of the columns: `file.price * 1.05`. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(5000) formula?: string;
}

export class FilePlanBody {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  /** A row is about the record of which all of these are what its cells say. */
  @IsArray() @ArrayMaxSize(5) @NestedList(() => FileMatchBody) match!: FileMatchBody[];
  @IsArray() @ArrayMaxSize(100) @NestedList(() => FileTakeBody) take!: FileTakeBody[];
  /** The column of signatures of an export that comes back: only what was edited in it is taken; nothing else need match. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(300) signed?: string;
  /** By column: how numbers and dates in it are written, `{decimal, dates}`; left out: as was found. */
  @IsOptional() @IsObject() readings?: Record<string, { decimal?: DecimalMark; dates?: DateOrder }>;
  /** What an empty cell does to its field; left out: leave. */
  @IsOptional() @IsIn(['leave', 'clear']) blank?: 'leave' | 'clear';
  /** Rows that fit no record; left out: stop. */
  @IsOptional() @IsIn(['stop', 'skip', 'create']) unknown?: 'stop' | 'skip' | 'create';
  /** Rows that fit several records; left out: skip. */
  @IsOptional() @IsIn(['skip', 'all']) several?: 'skip' | 'all';
}

export class FileRowsQuery {
  /** Rows by what became of them; those that are left; those with cells that a spreadsheet had damaged. */
  @IsOptional() @IsIn([...rowFates, 'all', 'left', 'mended']) of?: RowFate | 'all' | 'left' | 'mended';
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(1000) limit?: number;
  /** After the row of this number. */
  @IsOptional() @Type(() => Number) @IsInt() @Min(0) @Max(largestInteger) after?: number;
  @IsOptional() @IsIn(['json', 'csv']) format?: 'json' | 'csv';
}

const reading = {
  decimal: oneOf(decimalMarks),
  order: nullable(oneOf(dateOrders), 'null where dates can be read in two ways'),
};

export const FileColumnView = named('FileColumnView', {
  name: text,
  looks: oneOf(['text', 'number', 'date']),
  ...reading,
  samples: Of.Array(text, { description: 'a few of its cells, different ones' }),
});
export type FileColumnView = Answer<typeof FileColumnView>;

export const FilePlanSaid = named('FilePlanSaid', {
  type: text,
  match: Of.Array(Of.Object({ column: text, field: text })),
  take: Of.Array(Of.Object({ field: text, column: Of.Optional(text), formula: Of.Optional(text) })),
  signed: Of.Optional(text),
  readings: Of.Optional(
    Of.Record(text, Of.Object({ decimal: Of.Optional(oneOf(decimalMarks)), dates: Of.Optional(oneOf(dateOrders)) })),
  ),
  blank: oneOf(['leave', 'clear']),
  unknown: oneOf(['stop', 'skip', 'create']),
  several: oneOf(['skip', 'all']),
});
export type FilePlanSaid = Answer<typeof FilePlanSaid>;

export const FileReport = named('FileReport', {
  rows: count,
  fates: counts('RowFates', rowFates),
  records: Of.Integer({ description: 'records that rows are taken for' }),
  sentence: Of.String({ description: 'the same in one line of sums' }),
  mended: Of.Integer({
    description: 'cells of an export that came back which a spreadsheet had damaged, taken as they were',
  }),
  reasons: Of.Array(Of.Object({ reason: text, count }), { description: 'why rows are not taken, most first' }),
});
export type FileReport = Answer<typeof FileReport>;

export const FileView = named('FileView', {
  id: uuid,
  name: text,
  madeAt: moment,
  bytes: count,
  rows: count,
  format: oneOf(['csv', 'xlsx', 'jsonl']),
  encoding: nullable(text),
  separator: nullable(text),
  sheet: nullable(text),
  sheets: Of.Array(text),
  hasHeader: flag,
  columns: Of.Array(FileColumnView),
  notes: Of.Array(Of.Object({ code: text, message: text, count })),
  plan: nullable(FilePlanSaid),
  report: nullable(FileReport, 'what became of its rows under the plan'),
});
export type FileView = Answer<typeof FileView>;

export const FileWork = named('FileWork', {
  file: FileView,
  stopped: nullable(text, 'why nothing can be done with it as it is; null where it can'),
  job: nullable(asRequested<JobBody>('JobBody'), 'what to preview; null where nothing can be done'),
});
export type FileWork = Answer<typeof FileWork>;

export const FileRowView = named('FileRowView', {
  n: count,
  at: Of.Integer({ description: 'the line or row that it stands on in the file' }),
  cells: Of.Array(nullable(text)),
  fate: nullable(oneOf(rowFates)),
  reason: nullable(text),
  key: nullable(text, 'of the record that it is about'),
  damage: Of.Array(text, { description: 'what a spreadsheet did to cells of it, each taken as before' }),
});
export type FileRowView = Answer<typeof FileRowView>;

export const FileRows = named('FileRows', { rows: Of.Array(FileRowView), next: nullable(count) });
export type FileRows = Answer<typeof FileRows>;

export const valueMedia = [
  'text/csv',
  'application/jsonl',
  'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet',
  'application/octet-stream',
] as const;

export const fileRoutes = routesOf({
  uploadFile: {
    method: 'post',
    path: '/api/files',
    summary: 'A file of values: its rows are read and kept for a day',
    answer: FileView,
    status: 201,
    query: FileQuery,
    takes: valueMedia,
  },
  file: { method: 'get', path: '/api/files/:id', summary: 'A kept file', answer: FileView },
  guessPlan: {
    method: 'get',
    path: '/api/files/:id/guess/:type',
    summary: 'Which column is which field of a type, and by which rows and records find each other, as it seems',
    answer: FilePlanSaid,
    searches: true,
  },
  planFile: {
    method: 'put',
    path: '/api/files/:id/plan',
    summary: 'Say what its rows are to do: each is accounted for once, and what can be done comes back as a job',
    answer: FileWork,
    body: FilePlanBody,
    searches: true,
  },
  fileRows: {
    method: 'get',
    path: '/api/files/:id/rows',
    summary: 'Its rows, by what became of them',
    answer: FileRows,
    query: FileRowsQuery,
    files: ['text/csv'],
    searches: true,
  },
});
