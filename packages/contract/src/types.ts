import { bases, fieldKinds, mostAtOnce, newKeysWays, type NewKeys, type Field, type Trigger } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import {
  ArrayMaxSize,
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
import { Nullable, largestInteger } from './body';
import { routesOf } from './route';
import { count, flag, named, nullable, oneOf, text, type Answer } from './shape';

export class TypeSettingsBody {
  @Nullable() @IsString() @IsNotEmpty() @MaxLength(200) label?: string | null;
  @Nullable() @IsString() @MaxLength(200) nameField?: string | null;
  @Nullable() @IsArray() @ArrayMaxSize(20) @IsString({ each: true }) ownerFields?: string[] | null;
  @Nullable() @IsString() @MaxLength(200) activeField?: string | null;
  /** Fields in the order in which they stand in forms; those that are not named come after. */
  @Nullable() @IsArray() @ArrayMaxSize(2000) @IsString({ each: true }) fieldOrder?: string[] | null;
  /** Which records count as open, as CQL2 text; null: all of them. */
  @Nullable() @IsString() @IsNotEmpty() @MaxLength(10_000) openWhen?: string | null;
  /** How keys of new records are made where the database makes none; null: they are not. */
  @Nullable() @IsIn(newKeysWays) newKeys?: NewKeys | null;
  @IsOptional() @IsBoolean() refusesInactive?: boolean;
  @IsOptional() @IsBoolean() hidden?: boolean;
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) mostRecords?: number | null;
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) typedFrom?: number | null;
  @Nullable() @IsInt() @Min(1) @Max(10_000) largestBatch?: number | null;
  /** How runs go where a job does not say: records in a batch, batches at once, percent of the time spent working. */
  @Nullable() @IsInt() @Min(1) @Max(10_000) usualBatch?: number | null;
  @Nullable() @IsInt() @Min(1) @Max(mostAtOnce) usualAtOnce?: number | null;
  @Nullable() @IsInt() @Min(1) @Max(100) usualPace?: number | null;
  /** What a job may say at most. */
  @Nullable() @IsInt() @Min(1) @Max(mostAtOnce) mostAtOnce?: number | null;
  @Nullable() @IsInt() @Min(1) @Max(100) mostPace?: number | null;
}

export class FieldSettingsBody {
  @Nullable() @IsString() @IsNotEmpty() @MaxLength(200) label?: string | null;
  @IsOptional() @IsBoolean() hidden?: boolean;
  @IsOptional() @IsBoolean() protected?: boolean;
  /** Is it left out of the form for several records, unless a rule asks for it? */
  @IsOptional() @IsBoolean() leftOut?: boolean;
}

export const TriggerShape = Of.Unsafe<Trigger>(
  named('Trigger', {
    name: text,
    comment: nullable(text),
    at: Of.Array(oneOf(['insert', 'update', 'delete'])),
    onFields: nullable(Of.Array(text), 'null when it fires at any update'),
  }),
);

export const TypeSummary = named('TypeSummary', {
  id: text,
  label: text,
  comment: nullable(text),
  key: Of.Array(text),
  nameField: nullable(text),
  ownerFields: Of.Array(text),
  activeField: nullable(text, 'the field that is No of records that are not to be chosen any more'),
  refusesInactive: Of.Boolean({ description: 'whether they are refused; else one is warned' }),
  openWhen: nullable(text, 'which records count as open; null: all of them'),
  newKeys: nullable(oneOf(newKeysWays), 'how keys of new records are made where the database makes none'),
  notChangeable: nullable(text),
  notReadable: nullable(text, 'null when records can be read; else the reason in one sentence'),
  hidden: flag,
  bounds: Of.Object({
    mostRecords: nullable(count),
    typedFrom: count,
    largestBatch: count,
    usualBatch: nullable(count),
    usualAtOnce: nullable(count),
    usualPace: nullable(count),
    mostAtOnce: nullable(count),
    mostPace: nullable(count),
  }),
  about: Of.Number({ description: 'the database’s own estimate of the number of records' }),
});
export type TypeSummary = Answer<typeof TypeSummary>;

export const FieldView = Of.Unsafe<Field>(
  named('Field', {
    name: text,
    label: text,
    comment: nullable(text),
    kind: oneOf(fieldKinds),
    base: oneOf(bases),
    dbType: text,
    declared: text,
    maxLength: nullable(Of.Integer()),
    precision: nullable(Of.Integer()),
    scale: nullable(Of.Integer()),
    choices: nullable(Of.Array(Of.Object({ value: text, label: text }))),
    refersTo: nullable(text, 'id of the type a reference points at'),
    required: flag,
    unique: flag,
    notEditable: nullable(text),
    hidden: flag,
    protected: flag,
    leftOut: Of.Optional(
      Of.Boolean({ description: 'left out of the form for several records, unless a rule asks for it' }),
    ),
    generated: flag,
    default: nullable(text),
  }),
);
export type FieldView = Field;

export const TypeView = named('TypeView', {
  ...TypeSummary.properties,
  fields: Of.Array(FieldView),
  links: Of.Array(FieldView, {
    description: 'lists that stand in tables of links, each by the name of that type: what add and remove take as well',
  }),
  unreadable: Of.Array(Of.Object({ name: text, label: text, reason: text }), {
    description: 'fields that are there and cannot be read',
  }),
  rules: Of.Array(Of.Object({ name: text, message: text })),
  triggers: Of.Array(TriggerShape),
});
export type TypeView = Answer<typeof TypeView>;

export const typeRoutes = routesOf({
  types: { method: 'get', path: '/api/types', summary: 'All record types', answer: Of.Array(TypeSummary) },
  type: {
    method: 'get',
    path: '/api/types/:type',
    summary: 'One type with its fields, rules and triggers',
    answer: TypeView,
  },
  typeSettings: {
    method: 'get',
    path: '/api/types/:type/settings',
    summary: 'One type as administrators set it: what is hidden is among its fields',
    answer: TypeView,
  },
  setType: {
    method: 'patch',
    path: '/api/types/:type',
    summary: 'Change the settings of a type',
    answer: TypeView,
    body: TypeSettingsBody,
  },
  setField: {
    method: 'patch',
    path: '/api/types/:type/fields/:field',
    summary: 'Change the settings of a field',
    answer: TypeView,
    body: FieldSettingsBody,
  },
});
