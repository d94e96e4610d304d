import { Type as Of } from '@sinclair/typebox';
import { Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsOptional,
  IsString,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import { NestedList, largestInteger } from './body';
import { routesOf } from './route';
import { count, flag, named, nullable, oneOf, text, uuid, type Answer } from './shape';

export class ListTargetBody {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  /** Fields or paths to match, in this order. */
  @IsArray() @ArrayMaxSize(10) @IsString({ each: true }) fields!: string[];
}

export class PasteBody {
  /** Anything pasted: lines, separators, quotes, `Name <a@b>`, page addresses. */
  @IsString() @MaxLength(8_000_000) text!: string;
  @ArrayMinSize(1)
  @ArrayMaxSize(10)
  @NestedList(() => ListTargetBody)
  targets!: ListTargetBody[];
}

const listPages = [
  'all',
  'blank',
  'not_address',
  'repeat',
  'different',
  'found',
  'unknown',
  'several',
  'elsewhere',
] as const;

export class ListPageQuery {
  @IsOptional() @IsIn(listPages) of?: (typeof listPages)[number];
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(1000) limit?: number;
  @IsOptional() @Type(() => Number) @IsInt() @Min(0) @Max(largestInteger) after?: number;
  /** `csv` streams every line. */
  @IsOptional() @IsIn(['json', 'csv']) format?: 'json' | 'csv';
}

export class ListChoicesBody {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  @IsInt() @Min(1) @Max(largestInteger) entry!: number;
  /** The records meant; none leaves the entry out. */
  @IsArray() @ArrayMaxSize(1000) @IsString({ each: true }) keys!: string[];
}

/** The counts of a pasted list; every line is in one of blank, notAddresses, repeats, different. */
export const ListReportView = named('ListReportView', {
  id: uuid,
  lines: count,
  blank: count,
  notAddresses: count,
  repeats: count,
  different: count,
  found: count,
  unknown: count,
  sentence: Of.String({ description: 'the same in one line of sums' }),
  byType: Of.Array(
    Of.Object({ type: text, label: text, fields: Of.Array(text), found: count, several: count, records: count }),
  ),
  file: Of.Optional(uuid),
  elsewhere: Of.Array(Of.Object({ type: text, label: text, field: text, count }), {
    description: 'unknown entries that are a key or code of another type, or in another field',
  }),
});
export type ListReportView = Answer<typeof ListReportView>;

export const ListLineView = named('ListLineView', {
  n: count,
  said: text,
  fate: oneOf(['entry', 'blank', 'not_address', 'repeat']),
  entry: nullable(count),
  matches: Of.Array(Of.Object({ type: text, key: text, name: text, taken: flag })),
  nearest: Of.Array(text),
  elsewhere: nullable(Of.Object({ type: text, label: text, field: text })),
});
export type ListLineView = Answer<typeof ListLineView>;

export const ListPage = named('ListPage', { lines: Of.Array(ListLineView), next: nullable(count) });
export type ListPage = Answer<typeof ListPage>;

export const listRoutes = routesOf({
  paste: {
    method: 'post',
    path: '/api/lists',
    summary: 'Match a pasted list with records',
    answer: ListReportView,
    status: 201,
    body: PasteBody,
    searches: true,
  },
  list: { method: 'get', path: '/api/lists/:id', summary: 'The report of a pasted list', answer: ListReportView },
  listLines: {
    method: 'get',
    path: '/api/lists/:id/lines',
    summary: 'Its lines, by what became of them',
    answer: ListPage,
    query: ListPageQuery,
    files: ['text/csv'],
    searches: true,
  },
  chooseInList: {
    method: 'put',
    path: '/api/lists/:id/choices',
    summary: 'Which records an entry means, where several fit',
    answer: ListReportView,
    body: ListChoicesBody,
  },
});
