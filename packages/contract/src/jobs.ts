import {
  firstWays,
  mostAtOnce,
  mostMade,
  mostMapped,
  problemCodes,
  type Edit,
  type FirstWay,
  type Problem,
} from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import {
  ArrayMaxSize,
  ArrayNotEmpty,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsNumber,
  IsOptional,
  IsString,
  IsUUID,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import { Nested, NestedList, Nullable, largestInteger } from './body';
import { Edits } from './edits';
import { JournalRecord, Value } from './journal';
import { routesOf } from './route';
import { SelectionBody } from './selection';
import { count, named, nullable, oneOf, text, type Answer } from './shape';

/** When a run may work, by the clock of a time zone. */
export class HoursBody {
  /** IANA name, as Europe/Lisbon. */
  @IsString() @IsNotEmpty() @MaxLength(100) zone!: string;
  /** `hh:mm`; to before from goes over midnight. */
  @IsString() @MaxLength(5) from!: string;
  @IsString() @MaxLength(5) to!: string;
  /** Days on which it may begin, 1 is Monday (ISO 8601); left out: all. */
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(7)
  @IsInt({ each: true })
  @Min(1, { each: true })
  @Max(7, { each: true })
  days?: number[];
}

/** While a run works it pauses when one of these is exceeded, and asks. */
export class StopIfBody {
  /** Records refused or in use. */
  @Nullable() @IsInt() @Min(0) @Max(largestInteger) failures?: number | null;
  /** Records that others changed after the preview. */
  @Nullable() @IsInt() @Min(0) @Max(largestInteger) editedSince?: number | null;
  /** Minutes of work. */
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) minutes?: number | null;
  /** How many times slower a small write beside it is than before it. */
  @Nullable() @IsNumber() @Min(1) @Max(1000) slowdown?: number | null;
  /** Seconds that a replica is behind. */
  @Nullable() @IsInt() @Min(0) @Max(largestInteger) lag?: number | null;
  /** Other sessions that wait for what it has locked. */
  @Nullable() @IsInt() @Min(0) @Max(largestInteger) waiting?: number | null;
}

export class SafetyBody {
  /** Null, or left out: as many as is usual for what is done. */
  @Nullable() @IsInt() @Min(1) @Max(10_000) batchSize?: number | null;
  @IsOptional() @IsInt() @Min(1) @Max(mostAtOnce) atOnce?: number;
  /** In which order: names of fields or paths, `-` before one for downwards; null, or left out: that of their keys. */
  @Nullable() @IsArray() @ArrayMaxSize(10) @IsString({ each: true }) @MaxLength(500, { each: true }) order?:
    string[] | null;
  /** Percent of the time spent working; null, or left out: by itself, less while others write. */
  @Nullable() @IsInt() @Min(1) @Max(100) pace?: number | null;
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) askAfter?: number | null;
  /** Which are the first: those that come first (left out), or one of each different from → to. */
  @IsOptional() @IsIn(firstWays) first?: FirstWay;
  /** No more records a second than this, on the average. */
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) perSecond?: number | null;
  /** At most this many in one go; the rest of the same frozen set is another go. */
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) perGo?: number | null;
  /** Minutes between two goes; null, or left out: the next one begins when somebody says so. */
  @Nullable() @IsInt() @Min(1) @Max(10_080) goEvery?: number | null;
  @Nullable() @Nested(() => HoursBody) hours?: HoursBody | null;
  /** Nothing is changed if more would change, fewer would, or a larger share of all records of the type (percent). */
  @Nullable() @IsInt() @Min(0) @Max(largestInteger) atMost?: number | null;
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) atLeast?: number | null;
  @Nullable() @IsNumber() @Min(0) @Max(100) atMostShare?: number | null;
  /** It does not begin while another run is to change some of the same records. */
  @IsOptional() @IsBoolean() alone?: boolean;
  @IsOptional() @Nested(() => StopIfBody) stopIf?: StopIfBody;
}

export class AlsoBody {
  /** The type of the records that are made. */
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  /** Its field that points at what they are made for; may be left out where there is one. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(200) by?: string;
  /** A reference field of the records: one for each record that it points at, not for each of them. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(200) per?: string;
  /** With `per`: its field that gets the first of the records that it is made for. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(200) first?: string;
  /** What the fields get: edits of the kinds set and compute. */
  @Edits(100) values!: readonly Edit[];
}

/** What new records are made of: one of these. */
export class FromBody {
  /** The rows of a kept file that fit no record, as its plan says. */
  @IsOptional() @IsUUID() file?: string;
  /** Nothing but what the edits say, so many times. */
  @IsOptional() @IsInt() @Min(1) @Max(mostMade) rows?: number;
}

export class JobPartBody {
  @Nested(() => SelectionBody) selection!: SelectionBody;
  @Edits(100) edits!: readonly Edit[];
  /**
   * The records are deleted, each is made once more but for what the edits say, or new ones are made that get what the edits
   * say; left out: they are changed.
   */
  @IsOptional() @IsIn(['delete', 'copy', 'create']) act?: 'delete' | 'copy' | 'create';
  /** With create: what they are made of; left out: one, of nothing but what the edits say. */
  @IsOptional() @Nested(() => FromBody) from?: FromBody;
  /** What is made for each of them. */
  @IsOptional() @ArrayMaxSize(20) @NestedList(() => AlsoBody) also?: AlsoBody[];
  /** Values that are right already are written all the same, so that triggers fire. */
  @IsOptional() @IsBoolean() writeAgain?: boolean;
}

export class FollowsBody {
  /** Which part, from 1; left out: the one before. */
  @IsOptional() @IsInt() @Min(1) @Max(100) part?: number;
  /** Those whose `field` points at its records (left out), or those that `field` of its records points at. */
  @IsOptional() @IsIn(['pointing_at', 'pointed_at']) how?: 'pointing_at' | 'pointed_at';
  @IsString() @IsNotEmpty() @MaxLength(200) field!: string;
}

export class LaterPartBody extends JobPartBody {
  /** Only relatives of the records of an earlier part. */
  @IsOptional() @Nested(() => FollowsBody) follows?: FollowsBody;
}

export class JobBody extends JobPartBody {
  /** Further parts, each done when all records of those before it are. */
  @IsOptional() @ArrayMaxSize(20) @NestedList(() => LaterPartBody) then?: LaterPartBody[];
  @IsOptional() @Nested(() => SafetyBody) safety?: SafetyBody;
  @IsOptional() @IsString() @MaxLength(2000) why?: string;
  /** The preview that this one follows, so that the two can be compared. */
  @IsOptional() @IsUUID() after?: string;
}

export class SampleBody {
  @Nested(() => JobBody) job!: JobBody;
  /** Keys of the records in sight, whose old and new values are wanted. */
  @IsOptional() @IsArray() @ArrayMaxSize(500) @IsString({ each: true }) keys?: string[];
}

export class StepsBody {
  @IsString() @MaxLength(200) type!: string;
  /** Of the record that it is worked out for. */
  @IsString() @MaxLength(1000) key!: string;
  @IsString() @IsNotEmpty() @MaxLength(5000) formula!: string;
}

export class KeptValuesBody {
  @IsString() @MaxLength(200) type!: string;
  @IsString() @MaxLength(200) field!: string;
  /** The field whose values the keys are, as of a map; left out: they are keys of records. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(1000) by?: string;
  /** With those that are kept under this id already. */
  @IsOptional() @IsUUID() into?: string;
  @IsArray()
  @ArrayNotEmpty()
  @ArrayMaxSize(mostMapped)
  @IsString({ each: true })
  @MaxLength(10_000, { each: true })
  keys!: string[];
  /** One for each key; the empty text clears. */
  @IsArray() @ArrayMaxSize(mostMapped) @IsString({ each: true }) @MaxLength(10_000, { each: true }) values!: string[];
}

export const KeptValuesView = named('KeptValuesView', { id: text, count });
export type KeptValuesView = Answer<typeof KeptValuesView>;

export const StepView = named('StepView', { text, value: Value });
export type StepView = Answer<typeof StepView>;

/** A mistake a person can act on. */
export const ProblemShape = Of.Unsafe<Problem>(
  named('Problem', {
    code: oneOf(problemCodes),
    message: text,
    where: Of.Optional(Of.String({ description: 'filter, edits[0].value, columns …' })),
    span: Of.Optional(Of.Object({ start: count, end: count })),
    text: Of.Optional(Of.String({ description: 'the text the span is in, where it is not the one that was sent' })),
    suggestions: Of.Optional(Of.Array(text)),
    retryAfter: Of.Optional(Of.Integer({ description: 'seconds' })),
  }),
);

export const SampleView = named('SampleView', {
  sentence: text,
  matched: nullable(count),
  counts: nullable(
    Of.Object({ willChange: count, alreadyRight: count, notAllowed: count }, { additionalProperties: false }),
    'null while there is no edit yet, or the job has problems',
  ),
  rows: Of.Array(JournalRecord),
  problems: Of.Array(ProblemShape),
});
export type SampleView = Answer<typeof SampleView>;

export const jobRoutes = routesOf({
  sample: {
    method: 'post',
    path: '/api/jobs/sample',
    summary: 'A job not yet frozen: sentence, exact counts, rows in sight',
    answer: SampleView,
    body: SampleBody,
    searches: true,
  },
  keepValues: {
    method: 'post',
    path: '/api/jobs/values',
    summary:
      'A piece of values that a put or a map is to give, to be kept and named by its id: for more than one request holds',
    answer: KeptValuesView,
    status: 201,
    body: KeptValuesBody,
  },
  formulaSteps: {
    method: 'post',
    path: '/api/jobs/steps',
    summary: 'A formula taken apart: what each of its parts gives for one record, the whole last',
    answer: Of.Array(StepView),
    body: StepsBody,
    searches: true,
  },
});
