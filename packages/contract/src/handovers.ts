import { Type } from '@sinclair/typebox';
import {
  ArrayMaxSize,
  ArrayNotEmpty,
  IsArray,
  IsBoolean,
  IsIn,
  IsNotEmpty,
  IsNumber,
  IsOptional,
  IsString,
  MaxLength,
  Min,
} from 'class-validator';
import { handoverRests, type HandoverRest } from '@tantamos/core';
import { Nested, NestedList } from './body';
import { SafetyBody } from './jobs';
import { PreviewView } from './previews';
import { routesOf } from './route';
import { count, flag, moment, named, nullable, text, uuid, type Answer } from './shape';

export class HandoverLineBody {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  @IsString() @IsNotEmpty() @MaxLength(200) field!: string;
  @IsIn(['open', 'all']) which!: 'open' | 'all';
  /** A reference field: each gets whom the record it points at will have, which is handed over, too. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(200) follow?: string;
  /** Where that will have none of those who receive: whom it has (theirs), one of those (split), or nobody new (leave). */
  @IsOptional() @IsIn(handoverRests) rest?: HandoverRest;
}

export class HandoverShareBody {
  /** Name or key. */
  @IsString() @IsNotEmpty() @MaxLength(1000) to!: string;
  @IsOptional() @IsNumber() @Min(0) weight?: number;
}

export class HandoverBody {
  @IsArray() @ArrayNotEmpty() @ArrayMaxSize(20) @NestedList(() => HandoverLineBody) lines!: HandoverLineBody[];
  /** To whom what does not follow others goes. */
  @IsArray() @ArrayMaxSize(200) @NestedList(() => HandoverShareBody) among!: HandoverShareBody[];
  /** Whoever has fewest gets the next; left out: evenly, or by weights. */
  @IsOptional() @IsBoolean() level?: boolean;
  @IsOptional() @Nested(() => SafetyBody) safety?: SafetyBody;
  @IsOptional() @IsString() @MaxLength(2000) why?: string;
}

export const HandoverLineView = named('HandoverLineView', {
  type: text,
  label: text,
  field: text,
  fieldLabel: text,
  isOwner: Type.Boolean({
    description: 'the field says who answers for the record; else who did something, or the like',
  }),
  openWhen: nullable(text, 'which records count as open; null: all do'),
  open: count,
  total: count,
  not: nullable(text, 'why it cannot be handed over; null where it can'),
  follows: Type.Array(Type.Object({ field: text, label: text, type: text }), {
    description: 'fields that point at records whose owners could be followed',
  }),
  before: nullable(
    Type.Object({ open: count, total: count }),
    'as the last hand over of this person that was started found it',
  ),
  why: Type.Array(text, { description: 'why there are still some, after that hand over' }),
});
export type HandoverLineView = Answer<typeof HandoverLineView>;

export const HandoverView = named('HandoverView', {
  type: text,
  key: text,
  name: text,
  isActive: nullable(flag, 'null where nothing tells'),
  lines: Type.Array(HandoverLineView),
  last: nullable(
    Type.Object({ at: moment, by: text, preview: uuid, run: uuid, state: text }),
    'the last hand over of this person whose run was started',
  ),
});
export type HandoverView = Answer<typeof HandoverView>;

export const handoverRoutes = routesOf({
  handover: {
    method: 'get',
    path: '/api/handovers/:type/:person',
    summary:
      'Everything that points at a person (by name or key), open and all counted, and what the last hand over left',
    answer: HandoverView,
    searches: true,
  },
  makeHandover: {
    method: 'post',
    path: '/api/handovers/:type/:person',
    summary: 'Work out, over all types, what points at a person given to others; its preview is run like any other',
    answer: PreviewView,
    status: 201,
    body: HandoverBody,
    startsWork: true,
    searches: true,
  },
});
