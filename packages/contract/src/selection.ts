import { relatedHows, type Related } from '@tantamos/core';
import {
  ArrayMaxSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsOptional,
  IsString,
  IsUUID,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import { Type as Of } from '@sinclair/typebox';
import { Fits, isObject, type Later, Nested, largestInteger } from './body';
import { count, named, text, type Answer } from './shape';

/** What a filter leaves out because it is blank where the filter says what it is not. */
export const BlanksView = named('BlanksView', {
  count,
  sentence: Of.String({ description: 'how many are left out for being blank, and of what' }),
  filter: Of.String({ description: 'the filter that takes them in, as CQL2 text' }),
  parts: Of.Array(Of.Object({ count, words: text, filter: text }), { description: 'by what is blank' }),
});
export type BlanksView = Answer<typeof BlanksView>;

/** A filter as CQL2 text, or as CQL2 JSON: a text of it (which keeps every digit) or the JSON itself. */
const IsFilter = (): PropertyDecorator =>
  Fits(
    'isFilter',
    { type: ['string', 'object', 'boolean'] },
    (v) => typeof v === 'string' || typeof v === 'boolean' || isObject(v),
    'filter must be a text or CQL2 JSON',
  );

export class RelatedBody {
  @Nested(() => SelectionBody) of!: Later<SelectionBody>;
  /** Those whose `field` points at these; those that `field` of these points at; siblings, descendants, ancestors. */
  @IsIn(relatedHows) how!: Related['how'];
  @IsString() @IsNotEmpty() @MaxLength(200) field!: string;
  /** Are these themselves in it? For siblings, descendants and ancestors. */
  @IsOptional() @IsBoolean() self?: boolean;
  @IsOptional() @IsInt() @Min(1) @Max(100) depth?: number;
}

export class ListChoiceBody {
  @IsUUID() id!: string;
  /** Entries that several records fit: take them all (or as chosen), or none. */
  @IsOptional() @IsIn(['all', 'none']) several?: 'all' | 'none';
  /** Entries that no record fits: a preview stops and says so, or goes on without them. */
  @IsOptional() @IsIn(['stop', 'skip']) unknown?: 'stop' | 'skip';
  /** The name of the file whose rows it is made of, where it is. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(255) file?: string;
}

export class TakeBody {
  @IsInt() @Min(0) @Max(largestInteger) count!: number;
  /** Field names or paths, `-` before one for descending. */
  @IsOptional() @IsArray() @ArrayMaxSize(10) @IsString({ each: true }) order?: string[];
  /** At random, the same for the same text. */
  @IsOptional() @IsString() @MaxLength(200) seed?: string;
  /** So many for each value of this field. */
  @IsOptional() @IsString() @MaxLength(200) per?: string;
}

/** What says which records, besides their type. Each part narrows what the ones before it leave. */
export class SelectionParts {
  @IsOptional() @Nested(() => RelatedBody) related?: RelatedBody;
  @IsOptional() @IsFilter() filter?: string | object | boolean;
  @IsOptional() @IsIn(['cql2-text', 'cql2-json']) 'filter-lang'?: 'cql2-text' | 'cql2-json';
  @IsOptional() @Nested(() => ListChoiceBody) list?: ListChoiceBody;
  @IsOptional() @Nested(() => TakeBody) take?: TakeBody;
  /** Keys of picked records. */
  @IsOptional() @IsArray() @ArrayMaxSize(50_000) @IsString({ each: true }) keys?: string[];
  /** Keys of records left out by hand. */
  @IsOptional() @IsArray() @ArrayMaxSize(50_000) @IsString({ each: true }) drop?: string[];
}

export class SelectionBody extends SelectionParts {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
}
