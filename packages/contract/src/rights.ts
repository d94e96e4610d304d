import { rightActs } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
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
import { Nullable, largestInteger } from './body';
import type { RightAct as Act } from '@tantamos/core';
import { routesOf } from './route';
import { flag, named, nullable, oneOf, text, uuid, type Answer } from './shape';

export class RightLineBody {
  /** To whom: a role, or one account by its login. Just one of the two. */
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(100) role?: string;
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(200) login?: string;
  /** A denial always wins. */
  @IsIn(['allow', 'deny']) effect!: 'allow' | 'deny';
  @IsArray() @ArrayMinSize(1) @ArrayMaxSize(20) @IsIn([...rightActs], { each: true }) acts!: Act[];
  /** Left out or null: every type. */
  @Nullable() @IsArray() @ArrayMinSize(1) @ArrayMaxSize(200) @IsString({ each: true }) types?: string[] | null;
  /** Of one type; left out or null: every field. */
  @Nullable() @IsArray() @ArrayMinSize(1) @ArrayMaxSize(500) @IsString({ each: true }) fields?: string[] | null;
  /** Of one type: only records for which this CQL2 text is true. */
  @Nullable() @IsString() @IsNotEmpty() @MaxLength(20_000) filter?: string | null;
  /** Of `change_many`: how many records one run may change at most. */
  @Nullable() @IsInt() @Min(1) @Max(largestInteger) most?: number | null;
}

export class RoleBody {
  @IsString() @IsNotEmpty() @MaxLength(100) id!: string;
  @IsString() @IsNotEmpty() @MaxLength(200) label!: string;
}

export const RightAct = oneOf(rightActs);

export const RightLineView = named('RightLineView', {
  id: uuid,
  role: nullable(text),
  login: nullable(text),
  effect: oneOf(['allow', 'deny']),
  acts: Of.Array(RightAct),
  types: nullable(Of.Array(text)),
  fields: nullable(Of.Array(text)),
  filter: nullable(text),
  most: nullable(Of.Integer()),
  words: Of.String({ description: 'the line as a sentence' }),
  trouble: nullable(text, 'why the line means nothing as the tables are now; a denial then denies all it could mean'),
});
export type RightLineView = Answer<typeof RightLineView>;

export const RoleView = named('RoleView', { id: text, label: text, accounts: Of.Integer(), builtIn: flag });
export type RoleView = Answer<typeof RoleView>;

const Verdict = Of.Object({
  act: RightAct,
  may: oneOf(['all', 'some', 'none']),
  words: Of.String({ description: 'what exactly, and by which line' }),
  lines: Of.Array(uuid, { description: 'the lines that decide' }),
});

export const MayView = named('MayView', {
  login: text,
  name: text,
  role: text,
  roleLabel: text,
  active: flag,
  general: Of.Array(Verdict, { description: 'rights that are not about types' }),
  types: Of.Array(Of.Object({ type: text, label: text, acts: Of.Array(Verdict) })),
  lines: Of.Array(RightLineView, { description: 'all lines that speak of the person, by role or by name' }),
});
export type MayView = Answer<typeof MayView>;

export const rightRoutes = routesOf({
  roles: { method: 'get', path: '/api/roles', summary: 'All roles', answer: Of.Array(RoleView) },
  addRole: {
    method: 'post',
    path: '/api/roles',
    summary: 'Add a role; it has no right until lines give it some',
    answer: RoleView,
    status: 201,
    body: RoleBody,
  },
  dropRole: {
    method: 'delete',
    path: '/api/roles/:role',
    summary: 'Delete a role that no account has',
    answer: null,
    status: 204,
  },
  rights: {
    method: 'get',
    path: '/api/rights',
    summary: 'Every line of rights',
    answer: Of.Array(RightLineView),
  },
  addRight: {
    method: 'post',
    path: '/api/rights',
    summary: 'Allow or deny something to a role or to one account',
    answer: RightLineView,
    status: 201,
    body: RightLineBody,
  },
  dropRight: { method: 'delete', path: '/api/rights/:id', summary: 'Take a line away', answer: null, status: 204 },
  may: {
    method: 'get',
    path: '/api/may/:login',
    summary: 'What a person may do, and by which line; of others only for administrators',
    answer: MayView,
  },
});
