import { inputKinds, type Job, type JobInput } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import {
  ArrayMaxSize,
  ArrayNotEmpty,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsOptional,
  IsString,
  Max,
  MaxLength,
  Min,
} from 'class-validator';
import { Fits, isObject, largestInteger, Nested, NestedList, Nullable } from './body';
import { JobBody } from './jobs';
import { PreviewView } from './previews';
import { routesOf } from './route';
import { asRequested, count, flag, moment, named, nullable, oneOf, text, uuid, type Answer } from './shape';

export class SpotBody {
  /** JSON Pointer (RFC 6901) into the job, such as /edits/0/value. */
  @IsString() @IsNotEmpty() @MaxLength(200) at!: string;
  /** In an expression: which of its literals, from 0. */
  @IsOptional() @IsInt() @Min(0) @Max(largestInteger) literal?: number;
}

export class JobInputBody {
  @IsString() @IsNotEmpty() @MaxLength(60) name!: string;
  @IsString() @IsNotEmpty() @MaxLength(200) label!: string;
  @ArrayNotEmpty()
  @ArrayMaxSize(100)
  @NestedList(() => SpotBody)
  spots!: SpotBody[];
  /** What is taken where nothing is said, as an expression; left out: what stands in the job. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(1000) usual?: string;
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(100) from?: string;
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(100) to?: string;
  /** The only values that may be chosen. */
  @IsOptional() @IsArray() @ArrayNotEmpty() @ArrayMaxSize(200) @IsString({ each: true }) among?: string[];
}

export class JobLookBody {
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(300)
  @IsString({ each: true })
  @MaxLength(1000, { each: true })
  columns?: string[];
  @IsOptional() @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) @MaxLength(1000, { each: true }) sort?: string[];
}

export class SavedJobBody {
  @IsString() @IsNotEmpty() @MaxLength(100) name!: string;
  @Nested(() => JobBody) job!: JobBody;
  @IsOptional()
  @ArrayMaxSize(50)
  @NestedList(() => JobInputBody)
  inputs?: JobInputBody[];
  /** How its records are looked at. */
  @IsOptional() @Nested(() => JobLookBody) look?: JobLookBody;
  @Nullable() @IsString() @MaxLength(100) folder?: string | null;
  @Nullable() @IsString() @MaxLength(2000) note?: string | null;
  /** Open to all, or only mine (the default) and that of `people`. */
  @IsOptional() @IsBoolean() open?: boolean;
  /** Logins of people it is shared with. */
  @IsOptional() @IsArray() @ArrayMaxSize(200) @IsString({ each: true }) people?: string[];
  /** Why this version. */
  @IsOptional() @IsString() @MaxLength(2000) why?: string;
  /** The version this change was made on; refused when it is no longer the newest. */
  @IsOptional() @IsInt() @Min(1) @Max(largestInteger) version?: number;
}

/** A pasted list may be as long as one that is pasted by itself. */
const longest = 5_000_000;
const texts = { type: 'object', additionalProperties: { type: 'string', maxLength: longest } };
const areTexts = (v: unknown): boolean =>
  isObject(v) && Object.values(v as object).every((t) => typeof t === 'string' && t.length <= longest);

export class UseJobBody {
  /** What it asks for, by name; what is left out is as usual. */
  @IsOptional()
  @Fits('areTexts', texts, areTexts, 'inputs must be an object of texts')
  inputs?: Record<string, string>;
  @IsOptional() @IsString() @MaxLength(2000) why?: string;
}

export const savedJobsFileKind = 'saved-jobs';

export class FiledJobBody extends SavedJobBody {
  /** Keys of the records that it names, where the file comes from: by type, then by what is said of each. */
  @IsOptional()
  @Fits(
    'areTextsOfTexts',
    { type: 'object', additionalProperties: texts },
    (v) => isObject(v) && Object.values(v as object).every(areTexts),
    'keys must be an object of objects of texts',
  )
  keys?: Record<string, Record<string, string>>;
}

export class SavedJobsFileBody {
  @IsIn([savedJobsFileKind]) tantamos!: typeof savedJobsFileKind;
  @IsOptional() @IsString() @MaxLength(50) exportedAt?: string;
  @ArrayMaxSize(500)
  @NestedList(() => FiledJobBody)
  jobs!: FiledJobBody[];
}

export class ImportJobsBody {
  /** The file as exported. */
  @Nested(() => SavedJobsFileBody) file!: SavedJobsFileBody;
  /** What to do where a name is taken: refuse all, leave that one out, or make it a new version. */
  @IsOptional() @IsIn(['refuse', 'skip', 'replace']) taken?: 'refuse' | 'skip' | 'replace';
  /** Who is meant here by a name in the file: another name, or a key. */
  @IsOptional() @Fits('areNames', texts, areTexts, 'names must be an object of texts') names?: Record<string, string>;
}

const job = asRequested<Job>('JobBody');
const Choices = nullable(Of.Array(Of.Object({ value: text, label: text })));

export const AskedInputView = named('AskedInputView', {
  name: text,
  label: text,
  kind: oneOf(inputKinds),
  type: nullable(text, 'the type whose records may be chosen'),
  choices: Choices,
  usual: Of.String({ description: 'what is taken where nothing is said' }),
  from: Of.Optional(text),
  to: Of.Optional(text),
  among: Of.Optional(Of.Array(text)),
  spots: Of.Array(Of.Object({ at: text, literal: Of.Optional(count) })),
});
export type AskedInputView = Answer<typeof AskedInputView>;

export const SavedJobView = named('SavedJobView', {
  id: uuid,
  name: text,
  folder: nullable(text),
  note: nullable(text),
  open: flag,
  mine: flag,
  mayChange: flag,
  owner: text,
  people: Of.Array(text, { description: 'names of those it is shared with' }),
  type: text,
  typeLabel: text,
  sentence: text,
  job,
  inputs: Of.Array(asRequested<JobInput>('JobInputBody')),
  asks: Of.Array(AskedInputView, { description: 'what it asks for, as a form needs it; empty where it is in trouble' }),
  schema: Of.Unknown({ description: 'JSON Schema (2020-12) of `inputs` when it is used' }),
  look: Of.Object({ columns: Of.Optional(Of.Array(text)), sort: Of.Optional(Of.Array(text)) }),
  uses: Of.Array(Of.Object({ what: oneOf(['selection', 'rule', 'field']), name: text })),
  trouble: nullable(text, 'why it needs a look: what it names has gone or changed'),
  version: count,
  changedBy: text,
  changedAt: moment,
  lastPreview: nullable(uuid),
  usedBy: nullable(text),
  usedAt: nullable(moment),
});
export type SavedJobView = Answer<typeof SavedJobView>;

export const SavedJobVersionView = named('SavedJobVersionView', {
  version: count,
  job,
  inputs: Of.Array(asRequested<JobInput>('JobInputBody')),
  sentence: text,
  changes: Of.Array(text, { description: 'what differs from the version before, in words' }),
  why: nullable(text),
  changedBy: text,
  changedAt: moment,
});
export type SavedJobVersionView = Answer<typeof SavedJobVersionView>;

export const ConstantView = named('ConstantView', {
  spot: Of.Object({ at: text, literal: Of.Optional(count) }),
  kind: oneOf(inputKinds),
  text,
  shown: Of.String({ description: 'the same as people know it: the name of a record, the label of a choice' }),
  label: Of.String({ description: 'what it is the value of' }),
  type: nullable(text),
  choices: Choices,
});
export type ConstantView = Answer<typeof ConstantView>;

export const savedJobRoutes = routesOf({
  savedJobs: {
    method: 'get',
    path: '/api/saved-jobs',
    summary: 'Jobs saved under names: mine, those shared with me, and those open to all',
    answer: Of.Array(SavedJobView),
  },
  saveJob: {
    method: 'post',
    path: '/api/saved-jobs',
    summary: 'Save a job under a name, or a new version of it',
    answer: SavedJobView,
    status: 201,
    body: SavedJobBody,
  },
  constants: {
    method: 'post',
    path: '/api/jobs/constants',
    summary: 'The values that stand in a job, each of which may be asked for at use instead',
    answer: Of.Array(ConstantView),
    body: JobBody,
  },
  savedJob: { method: 'get', path: '/api/saved-jobs/:name', summary: 'One saved job', answer: SavedJobView },
  savedJobVersions: {
    method: 'get',
    path: '/api/saved-jobs/:name/versions',
    summary: 'Its versions, newest first',
    answer: Of.Array(SavedJobVersionView),
  },
  useJob: {
    method: 'post',
    path: '/api/saved-jobs/:name/preview',
    summary:
      'Preview it with what it asks for; the preview follows the last one made of it, so that both can be compared',
    answer: PreviewView,
    status: 201,
    body: UseJobBody,
    startsWork: true,
    searches: true,
  },
  dropSavedJob: {
    method: 'delete',
    path: '/api/saved-jobs/:name',
    summary: 'Delete a saved job',
    answer: null,
    status: 204,
  },
  savedJobsFile: {
    method: 'get',
    path: '/api/saved-jobs-file',
    summary: 'All saved jobs as a file, with the names that people gave',
    answer: null,
    files: ['application/json'],
  },
  importJobs: {
    method: 'post',
    path: '/api/saved-jobs-file',
    summary: 'Take saved jobs from a file: all of them, or none',
    answer: Of.Array(SavedJobView),
    body: ImportJobsBody,
  },
});
