import 'reflect-metadata';
import { editKinds, outcomes, type Edit, type Outcome } from '@tantamos/core';
import { Transform, Type } from 'class-transformer';
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
  MinLength,
  ValidateBy,
  ValidateIf,
  ValidateNested,
} from 'class-validator';
import { JSONSchema } from 'class-validator-jsonschema';

// Only what a request may hold stands here; anything else in a body or query is refused.

const orNull = ValidateIf((_, given) => given !== null && given !== undefined);
const list = (given: unknown): unknown =>
  typeof given === 'string'
    ? given
        .split(',')
        .map((s) => s.trim())
        .filter(Boolean)
    : given;

export class SignInBody {
  @IsString() @IsNotEmpty() @MaxLength(200) login!: string;
  @IsString() @MaxLength(1000) password!: string;
  /** `token`: answered with a token for `Authorization: Bearer`; else a cookie is set. */
  @IsOptional() @IsIn(['browser', 'token']) kind?: 'browser' | 'token';
  @IsOptional() @IsString() @MaxLength(200) label?: string;
}

export class AccountBody {
  @IsString() @IsNotEmpty() @MaxLength(200) login!: string;
  @IsString() @IsNotEmpty() @MaxLength(200) name!: string;
  @IsIn(['administrator', 'editor']) role!: 'administrator' | 'editor';
  @IsString() @MinLength(8) @MaxLength(1000) password!: string;
}

export class SelectionBody {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  /** CQL2 text. */
  @IsOptional() @IsString() filter?: string;
  /** Keys of picked records. */
  @IsOptional() @IsArray() @ArrayMaxSize(50_000) @IsString({ each: true }) keys?: string[];
}

export class EditBody {
  @IsIn(editKinds) kind!: Edit['kind'];
  @IsString() @IsNotEmpty() @MaxLength(200) field!: string;
  /** Text, number or yes/no; numbers that must stay exact are sent as text. */
  @JSONSchema(() => ({ type: ['string', 'number', 'boolean'] }) as never)
  @ValidateBy({
    name: 'isPlainValue',
    validator: {
      validate: (v: unknown) =>
        (typeof v === 'string' && v.length <= 1_000_000) || typeof v === 'boolean' || Number.isFinite(v),
      defaultMessage: () => 'value must be a text, a number, true or false',
    },
  })
  value!: string | number | boolean;
}

export class SafetyBody {
  @IsOptional() @IsInt() @Min(1) @Max(10_000) batchSize?: number;
  @IsOptional() @IsInt() @Min(1) @Max(8) atOnce?: number;
  /** Percent of the time spent working. */
  @IsOptional() @IsInt() @Min(1) @Max(100) pace?: number;
  @orNull @IsInt() @Min(1) askAfter?: number | null;
  @orNull @IsInt() @Min(0) atMost?: number | null;
}

export class JobBody {
  @ValidateNested() @Type(() => SelectionBody) selection!: SelectionBody;
  @IsArray() @ArrayMaxSize(100) @ValidateNested({ each: true }) @Type(() => EditBody) edits!: EditBody[];
  @IsOptional() @ValidateNested() @Type(() => SafetyBody) safety?: SafetyBody;
  @IsOptional() @IsString() @MaxLength(2000) why?: string;
}

export class SampleBody {
  @ValidateNested() @Type(() => JobBody) job!: JobBody;
  /** Keys of the records in sight, whose old and new values are wanted. */
  @IsOptional() @IsArray() @ArrayMaxSize(500) @IsString({ each: true }) keys?: string[];
}

export class DraftBody {
  /** Kept as it is: an unfinished job need not be right yet. */
  @JSONSchema(() => ({ type: 'object' }) as never)
  @ValidateBy({
    name: 'isSmallObject',
    validator: {
      validate: (v: unknown) =>
        typeof v === 'object' && v !== null && !Array.isArray(v) && JSON.stringify(v).length <= 2_000_000,
      defaultMessage: () => 'job must be an object',
    },
  })
  job!: Record<string, unknown>;
}

export class FindBody {
  @IsOptional() @IsString() filter?: string;
  @IsOptional() @IsIn(['cql2-text']) 'filter-lang'?: 'cql2-text';
  /** Field names or paths such as `grower.name`; default: every field. */
  @IsOptional()
  @Transform(({ value }) => list(value))
  @IsArray()
  @ArrayMaxSize(200)
  @IsString({ each: true })
  columns?: string[];
  /** Field names or paths, `-` before one for descending. */
  @IsOptional()
  @Transform(({ value }) => list(value))
  @IsArray()
  @ArrayMaxSize(10)
  @IsString({ each: true })
  sort?: string[];
  @IsOptional() @Type(() => Number) @IsInt() @Min(0) @Max(1000) limit?: number;
  /** The `next` of the page before. */
  @IsOptional() @IsString() @MaxLength(20_000) after?: string;
  /** `exact`: count what matches; `none`: do not. */
  @IsOptional() @IsIn(['exact', 'none']) count?: 'exact' | 'none';
}

export class StartRunBody {
  @IsUUID() preview!: string;
  @orNull @IsInt() @Min(1) askAfter?: number | null;
  /** How many will change, as you have read it; wanted for large runs, checked whenever given. */
  @orNull @IsInt() @Min(0) expect?: number | null;
}

export class UndoBody {
  @IsOptional() @IsString() @MaxLength(2000) why?: string;
}

const journalOutcomes = ['will_change', ...outcomes];

export class RetryBody {
  /** Which records to try again; default: refused, in use, edited since and not yet. */
  @IsOptional() @IsArray() @IsIn(['edited_since', 'refused', 'in_use', 'not_yet'], { each: true }) outcomes?: Outcome[];
}

export class JournalQuery {
  @IsOptional() @IsIn(journalOutcomes) outcome?: Outcome | 'will_change';
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(500) limit?: number;
  @IsOptional() @IsString() @MaxLength(100) after?: string;
  /** `csv` (RFC 4180) and `jsonl` stream every record; `json` is one page. */
  @IsOptional() @IsIn(['json', 'csv', 'jsonl']) format?: 'json' | 'csv' | 'jsonl';
}

export class ListQuery {
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(200) limit?: number;
  @IsOptional() @IsString() @MaxLength(50) before?: string;
}

export class TypeSettingsBody {
  @orNull @IsString() @IsNotEmpty() @MaxLength(200) label?: string | null;
  @orNull @IsString() @MaxLength(200) nameField?: string | null;
  @orNull @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) ownerFields?: string[] | null;
  @IsOptional() @IsBoolean() hidden?: boolean;
  @orNull @IsInt() @Min(1) mostRecords?: number | null;
  @orNull @IsInt() @Min(1) typedFrom?: number | null;
  @orNull @IsInt() @Min(1) @Max(10_000) largestBatch?: number | null;
}

export class FieldSettingsBody {
  @orNull @IsString() @IsNotEmpty() @MaxLength(200) label?: string | null;
  @IsOptional() @IsBoolean() hidden?: boolean;
  @IsOptional() @IsBoolean() protected?: boolean;
}

export class WorkspaceBody {
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(200) name?: string;
  @IsOptional() @IsBoolean() whyRequired?: boolean;
  /** How long a preview may be started, in hours. */
  @IsOptional() @IsInt() @Min(1) @Max(720) previewHours?: number;
}

export class NoBody {}
export class NoQuery {}
