import 'reflect-metadata';
import { editKinds, outcomes, relatedHows, type Edit, type Outcome, type Related } from '@tantamos/core';
import { Transform, Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsOptional,
  IsString,
  IsTimeZone,
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

/** A filter as CQL2 text, or as CQL2 JSON: a text of it (which keeps every digit) or the JSON itself. */
function IsFilter(): PropertyDecorator {
  return (target, key) => {
    JSONSchema(() => ({ type: ['string', 'object', 'boolean'] }) as never)(target, key as string);
    ValidateBy({
      name: 'isFilter',
      validator: {
        validate: (v: unknown) =>
          typeof v === 'string' || typeof v === 'boolean' || (typeof v === 'object' && v !== null),
        defaultMessage: () => 'filter must be a text or CQL2 JSON',
      },
    })(target, key);
  };
}

/** A class that is defined further below; hidden from the metadata that decorators emit. */
type Later<T> = T;

export class RelatedBody {
  @ValidateNested() @Type(() => SelectionBody) of!: Later<SelectionBody>;
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
}

export class TakeBody {
  @IsInt() @Min(0) @Max(2_000_000_000) count!: number;
  /** Field names or paths, `-` before one for descending. */
  @IsOptional() @IsArray() @ArrayMaxSize(10) @IsString({ each: true }) order?: string[];
  /** At random, the same for the same text. */
  @IsOptional() @IsString() @MaxLength(200) seed?: string;
  /** So many for each value of this field. */
  @IsOptional() @IsString() @MaxLength(200) per?: string;
}

/** What says which records, besides their type. Each part narrows what the ones before it leave. */
export class SelectionParts {
  @IsOptional() @ValidateNested() @Type(() => RelatedBody) related?: RelatedBody;
  @IsOptional() @IsFilter() filter?: string | object | boolean;
  @IsOptional() @IsIn(['cql2-text', 'cql2-json']) 'filter-lang'?: 'cql2-text' | 'cql2-json';
  @IsOptional() @ValidateNested() @Type(() => ListChoiceBody) list?: ListChoiceBody;
  @IsOptional() @ValidateNested() @Type(() => TakeBody) take?: TakeBody;
  /** Keys of picked records. */
  @IsOptional() @IsArray() @ArrayMaxSize(50_000) @IsString({ each: true }) keys?: string[];
  /** Keys of records left out by hand. */
  @IsOptional() @IsArray() @ArrayMaxSize(50_000) @IsString({ each: true }) drop?: string[];
}

export class SelectionBody extends SelectionParts {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
}

const isPlainValue = (v: unknown): boolean =>
  (typeof v === 'string' && v.length <= 1_000_000) || typeof v === 'boolean' || Number.isFinite(v);

/** Values that a preview has kept. */
export class GivenBody {
  @IsUUID() id!: string;
  @IsInt() @Min(1) count!: number;
}

export class EditBody {
  @IsIn(editKinds) kind!: Edit['kind'];
  @IsString() @IsNotEmpty() @MaxLength(200) field!: string;
  /** Of `set` and `fill`: text, number or yes/no; numbers that must stay exact are sent as text. */
  @ValidateIf((e: EditBody) => e.kind !== 'put' || e.value !== undefined)
  @JSONSchema(() => ({ type: ['string', 'number', 'boolean'] }) as never)
  @ValidateBy({
    name: 'isPlainValue',
    validator: { validate: isPlainValue, defaultMessage: () => 'value must be a text, a number, true or false' },
  })
  value?: string | number | boolean;
  /** Of `put`: a value for each of these records, by key. */
  @ValidateIf((e: EditBody) => (e.kind === 'put' && e.given === undefined) || e.values !== undefined)
  @JSONSchema(() => ({ type: 'object' }) as never)
  @ValidateBy({
    name: 'isValuesByKey',
    validator: {
      validate: (v: unknown) =>
        typeof v === 'object' && v !== null && !Array.isArray(v) && Object.values(v).every(isPlainValue),
      defaultMessage: () => 'values must be an object of values by key',
    },
  })
  values?: Record<string, string | number | boolean>;
  /** Of `put`, instead of `values`: those that an earlier preview of the same type and field has kept. */
  @IsOptional() @ValidateNested() @Type(() => GivenBody) given?: GivenBody;
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

export class FindBody extends SelectionParts {
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

export class LookupQuery {
  /** Part of a name, or a key. */
  @IsOptional() @IsString() @MaxLength(200) q?: string;
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(100) limit?: number;
}

export class ListTargetBody {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  /** Fields or paths to match, in this order. */
  @IsArray() @ArrayMaxSize(10) @IsString({ each: true }) fields!: string[];
}

export class PasteBody {
  /** Anything pasted: lines, separators, quotes, `Name <a@b>`, page addresses. */
  @IsString() @MaxLength(8_000_000) text!: string;
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(10)
  @ValidateNested({ each: true })
  @Type(() => ListTargetBody)
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
  @IsOptional() @Type(() => Number) @IsInt() @Min(0) after?: number;
  /** `csv` streams every line. */
  @IsOptional() @IsIn(['json', 'csv']) format?: 'json' | 'csv';
}

export class ListChoicesBody {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  @IsInt() @Min(1) entry!: number;
  /** The records meant; none leaves the entry out. */
  @IsArray() @ArrayMaxSize(1000) @IsString({ each: true }) keys!: string[];
}

export class SavedSelectionBody {
  @IsString() @IsNotEmpty() @MaxLength(100) name!: string;
  @ValidateNested() @Type(() => SelectionBody) selection!: SelectionBody;
  @orNull @IsString() @MaxLength(2000) note?: string | null;
  /** Open to all, or only mine (the default). */
  @IsOptional() @IsBoolean() open?: boolean;
  /** The version this change was made on; refused when it is no longer the newest. */
  @IsOptional() @IsInt() @Min(1) version?: number;
  /** Change it although other selections rest on it. */
  @IsOptional() @IsBoolean() anyway?: boolean;
}

export class ImportBody {
  /** The file as exported: `{"tantamos": "saved-selections", "selections": […]}`. */
  @JSONSchema(() => ({ type: 'object' }) as never)
  @ValidateBy({
    name: 'isObject',
    validator: {
      validate: (v: unknown) => typeof v === 'object' && v !== null,
      defaultMessage: () => 'file must be an object',
    },
  })
  file!: Record<string, unknown>;
  /** What to do where a name is taken: refuse all, leave that one out, or make it a new version. */
  @IsOptional() @IsIn(['refuse', 'skip', 'replace']) taken?: 'refuse' | 'skip' | 'replace';
}

export class KeepCountsBody {
  @IsString() @IsNotEmpty() @MaxLength(200) name!: string;
  @ValidateNested() @Type(() => SelectionBody) selection!: SelectionBody;
  @IsArray() @ArrayMinSize(1) @ArrayMaxSize(3) @IsString({ each: true }) fields!: string[];
}

export const fileFormats = ['csv', 'jsonl', 'xlsx'] as const;

export class ExportBody extends SelectionParts {
  @IsIn(fileFormats) format!: (typeof fileFormats)[number];
  @IsOptional() @IsArray() @ArrayMaxSize(200) @IsString({ each: true }) columns?: string[];
  @IsOptional() @IsArray() @ArrayMaxSize(10) @IsString({ each: true }) sort?: string[];
  /** Between cells of CSV; a comma, as RFC 4180 has it, unless said. */
  @IsOptional() @IsIn([',', ';', '\t']) separator?: ',' | ';' | '\t';
  /** Begin with a byte order mark, which some spreadsheets need to read UTF-8. */
  @IsOptional() @IsBoolean() bom?: boolean;
  @IsOptional() @IsBoolean() decimalComma?: boolean;
  /** Cells as they are, even where a spreadsheet would take them for a formula. */
  @IsOptional() @IsBoolean() raw?: boolean;
  /** Values as stored instead of names and labels. */
  @IsOptional() @IsBoolean() stored?: boolean;
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
  /** How long a preview may be worked out, in minutes. */
  @IsOptional() @IsInt() @Min(1) @Max(720) previewMinutes?: number;
  /** How many months journals are kept; null: for good. */
  @ValidateIf((_, v) => v !== null && v !== undefined) @IsInt() @Min(1) @Max(240) keepMonths?: number | null;
  /** IANA name, such as Europe/Berlin: what TODAY, the day of a moment and so on mean. */
  @IsOptional() @IsTimeZone() timeZone?: string;
}

export class DetachBody {
  /** Name of the database, said to confirm. */
  @IsString() @IsNotEmpty() @MaxLength(200) database!: string;
}

export class NoBody {}
export class NoQuery {}
