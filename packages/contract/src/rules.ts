import type { Edit, RuleSaid } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import {
  ArrayMaxSize,
  ArrayNotEmpty,
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
import { largestInteger, Nested, NestedList } from './body';
import { Edits } from './edits';
import { routesOf } from './route';
import { asRequested, count, flag, moment, named, nullable, oneOf, text, type Answer } from './shape';

export class AllowedBody {
  /** A value; the empty text is a blank. */
  @IsString() @MaxLength(1000) from!: string;
  @IsArray() @ArrayMaxSize(500) @IsString({ each: true }) @MaxLength(1000, { each: true }) to!: string[];
}

export class TransitionsBody {
  @IsString() @IsNotEmpty() @MaxLength(200) field!: string;
  @ArrayNotEmpty()
  @ArrayMaxSize(500)
  @NestedList(() => AllowedBody)
  allowed!: AllowedBody[];
}

export class ChoicesBody {
  @IsString() @IsNotEmpty() @MaxLength(200) field!: string;
  /** The field that narrows it. */
  @IsString() @IsNotEmpty() @MaxLength(200) by!: string;
  @ArrayNotEmpty()
  @ArrayMaxSize(500)
  @NestedList(() => AllowedBody)
  allowed!: AllowedBody[];
}

export class RuleBody {
  @IsString() @IsNotEmpty() @MaxLength(100) name!: string;
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  /** What a person is told when it is broken. */
  @IsString() @IsNotEmpty() @MaxLength(500) message!: string;
  /** The records it is about, as a filter; left out: all. */
  @IsOptional() @IsString() @MaxLength(5000) where?: string;
  /** What must be true of them, as a filter. A rule says this, `transitions` or `choices`. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(5000) holds?: string;
  /** What a field may become from what it is. */
  @IsOptional() @Nested(() => TransitionsBody) transitions?: TransitionsBody;
  /** Which values of a field go with those of another. */
  @IsOptional() @Nested(() => ChoicesBody) choices?: ChoicesBody;
  /** What puts a record right that breaks it. */
  @IsOptional() @Edits(10) mend?: readonly Edit[];
  /** A new rule is off unless this says otherwise; one that is there stays as it is. */
  @IsOptional() @IsBoolean() isOn?: boolean;
  /** The version this change was made on; refused when it is no longer the newest. */
  @IsOptional() @IsInt() @Min(1) @Max(largestInteger) version?: number;
}

export class SwitchBody {
  @IsBoolean() isOn!: boolean;
  @IsOptional() @IsInt() @Min(1) @Max(largestInteger) version?: number;
}

export class RulesQuery {
  /** Of this type only. */
  @IsOptional() @IsString() @MaxLength(200) type?: string;
}

const Allowed = Of.Array(Of.Object({ from: text, to: Of.Array(text) }));
const asEdits = Of.Unsafe<readonly Edit[]>({ type: 'array', items: { type: 'object' } });

export const RuleView = named('RuleView', {
  name: text,
  source: oneOf(['own', 'database'], 'of the workspace, or a check of the database'),
  type: text,
  typeLabel: text,
  message: text,
  words: Of.String({ description: 'what it asks, in words; of a check, its condition as the database prints it' }),
  isOn: flag,
  where: nullable(text),
  holds: nullable(text),
  transitions: nullable(Of.Object({ field: text, allowed: Allowed })),
  choices: nullable(Of.Object({ field: text, by: text, allowed: Allowed })),
  mend: nullable(asEdits),
  mendWords: nullable(text),
  fields: Of.Array(text, { description: 'fields whose change it is about' }),
  ofChange: Of.Boolean({ description: 'it is about changes, so no record breaks it by itself' }),
  trouble: nullable(text, 'why it can no longer be asked; it stops nothing meanwhile'),
  broken: nullable(count, 'records that broke it when it was last counted'),
  countedAt: nullable(moment, 'when that count began'),
  stale: Of.Boolean({ description: 'a run may have changed the count since; it is being counted again' }),
  counts: Of.Array(Of.Object({ day: Of.String({ format: 'date' }), broken: count })),
  version: count,
  changedBy: nullable(text),
  changedAt: nullable(moment),
});
export type RuleView = Answer<typeof RuleView>;

export const RuleVersionView = named('RuleVersionView', {
  version: count,
  said: asRequested<RuleSaid>('RuleBody'),
  words: Of.String({ description: 'what it asks, in words' }),
  isOn: flag,
  changedBy: text,
  changedAt: moment,
});
export type RuleVersionView = Answer<typeof RuleVersionView>;

export const ruleRoutes = routesOf({
  rules: {
    method: 'get',
    path: '/api/rules',
    summary: 'What must hold for records: rules of the workspace, and checks of the database',
    answer: Of.Array(RuleView),
    query: RulesQuery,
  },
  saveRule: {
    method: 'post',
    path: '/api/rules',
    summary: 'Save a rule under a name, or a new version of it',
    answer: RuleView,
    status: 201,
    body: RuleBody,
  },
  rule: { method: 'get', path: '/api/rules/:name', summary: 'One rule of the workspace', answer: RuleView },
  ruleVersions: {
    method: 'get',
    path: '/api/rules/:name/versions',
    summary: 'Its versions, newest first',
    answer: Of.Array(RuleVersionView),
  },
  switchRule: {
    method: 'patch',
    path: '/api/rules/:name',
    summary: 'Switch it on or off',
    answer: RuleView,
    body: SwitchBody,
  },
  countRule: {
    method: 'post',
    path: '/api/rules/:name/count',
    summary: 'Count the records that break it now; the last count of each day is kept',
    answer: RuleView,
    searches: true,
  },
  dropRule: { method: 'delete', path: '/api/rules/:name', summary: 'Delete a rule', answer: null, status: 204 },
});
