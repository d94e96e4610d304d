import { fieldKinds } from '@tantamos/core';
import { Type } from '@sinclair/typebox';
import {
  ArrayMaxSize,
  IsArray,
  IsBoolean,
  IsInt,
  IsNotEmpty,
  IsOptional,
  IsString,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import { Value } from './journal';
import { ListReportView } from './lists';
import { routesOf } from './route';
import { BlanksView, SelectionParts } from './selection';
import { count, named, nullable, oneOf, text, type Answer } from './shape';

export class ValuesBody extends SelectionParts {
  /** Up to ten fields or paths. */
  @IsArray() @ArrayMaxSize(10) @IsString({ each: true }) fields!: string[];
  /** Only values that hold this text. */
  @IsOptional() @IsString() @MaxLength(200) search?: string;
  @IsOptional() @IsInt() @Min(1) @Max(1000) most?: number;
  /** Numbers and dates also as counts by ranges. */
  @IsOptional() @IsBoolean() ranges?: boolean;
}

export class CrossBody extends SelectionParts {
  @IsString() @IsNotEmpty() @MaxLength(200) rows!: string;
  @IsString() @IsNotEmpty() @MaxLength(200) columns!: string;
}

export class ExplainBody extends SelectionParts {
  /** Also the nearest values that occur, for those that do not. */
  @IsOptional() @IsBoolean() near?: boolean;
}

export const ValueCount = named('ValueCount', { ...Value.properties, count });
export type ValueCount = Answer<typeof ValueCount>;

export const FieldValues = named('FieldValues', {
  field: text,
  label: text,
  kind: oneOf(fieldKinds),
  total: Type.Integer({ description: 'records counted' }),
  kinds: Type.Integer({ description: 'different values, blank among them' }),
  values: Type.Array(ValueCount),
  ranges: nullable(
    Type.Object({
      low: nullable(text),
      high: nullable(text),
      blank: count,
      steps: Type.Array(Type.Object({ from: text, to: text, count })),
    }),
  ),
});
export type FieldValues = Answer<typeof FieldValues>;

const side = Type.Object({ field: text, label: text, values: Type.Array(Value) });
export const Crossed = named('Crossed', {
  rows: side,
  columns: side,
  counts: Type.Array(Type.Array(count), { description: 'by row and column' }),
  total: count,
  beyond: Type.Integer({ description: 'records in combinations beyond those shown' }),
});
export type Crossed = Answer<typeof Crossed>;

export const Explained = named('Explained', {
  all: Type.Integer({ description: 'all records of the type' }),
  base: Type.Integer({ description: 'before the conditions: all, or the relatives' }),
  conditions: Type.Array(
    Type.Object({
      text,
      words: text,
      after: Type.Integer({ description: 'left after this condition' }),
      without: count,
      alone: count,
      nearest: Type.Array(Type.Object({ value: text, text }), {
        description: 'values that do occur, where this one does not',
      }),
    }),
  ),
  afterFilter: count,
  afterList: nullable(count),
  afterTake: nullable(count),
  afterPicks: nullable(count),
  matched: count,
  list: nullable(ListReportView),
  sentence: text,
  blanks: nullable(BlanksView),
  circles: Type.Integer({ description: 'circles found on the way to descendants or ancestors' }),
});
export type Explained = Answer<typeof Explained>;

export const FunctionView = named('FunctionView', {
  name: text,
  signature: text,
  group: text,
  source: text,
  doc: text,
  example: text,
});
export type FunctionView = Answer<typeof FunctionView>;

export const exploringRoutes = routesOf({
  values: {
    method: 'post',
    path: '/api/types/:type/values',
    summary: 'The values of fields and how often each occurs',
    answer: Type.Array(FieldValues),
    body: ValuesBody,
    searches: true,
  },
  cross: {
    method: 'post',
    path: '/api/types/:type/cross',
    summary: 'Two fields crossed: how often each pair of values occurs',
    answer: Crossed,
    body: CrossBody,
    searches: true,
  },
  explain: {
    method: 'post',
    path: '/api/types/:type/explain',
    summary: 'How each part of a selection narrows it',
    answer: Explained,
    body: ExplainBody,
    searches: true,
  },
  functions: {
    method: 'get',
    path: '/api/functions',
    summary: 'Every function of the expression language',
    answer: Type.Array(FunctionView),
  },
});
