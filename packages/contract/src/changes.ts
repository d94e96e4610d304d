import { outcomes, type Outcome } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import { Type } from 'class-transformer';
import { IsIn, IsInt, IsOptional, IsString, IsUUID, Max, MaxLength, Min } from 'class-validator';
import { JournalRecord } from './journal';
import { routesOf } from './route';
import { RunView } from './runs';
import { count, moment, named, nullable, uuid, type Answer } from './shape';

/** Which runs are looked for; all that is said must hold. */
export class ChangesQuery {
  /** `today`, `yesterday`, `monday`, `7 days`, a day or a moment (ISO 8601), by the workspace's clocks. */
  @IsOptional() @IsString() @MaxLength(50) since?: string;
  @IsOptional() @IsString() @MaxLength(50) until?: string;
  /** Who started them: login or name. */
  @IsOptional() @IsString() @MaxLength(200) by?: string;
  @IsOptional() @IsString() @MaxLength(200) type?: string;
  /** A field of that type that they changed. */
  @IsOptional() @IsString() @MaxLength(200) field?: string;
  /** The key of a record of that type. */
  @IsOptional() @IsString() @MaxLength(2000) record?: string;
  /** What the field was, and what it came to be: a value, the label of a choice, the name of a record; empty: blank. */
  @IsOptional() @IsString() @MaxLength(10_000) old?: string;
  @IsOptional() @IsString() @MaxLength(10_000) new?: string;
  /** Only those that left records so. */
  @IsOptional() @IsIn(outcomes) outcome?: Outcome;
  /** What stands in the sentence or in the reason. */
  @IsOptional() @IsString() @MaxLength(500) text?: string;
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(100) limit?: number;
  /** The run that the page before ended with. */
  @IsOptional() @IsUUID() after?: string;
}

export const ChangesPage = named('ChangesPage', {
  runs: Of.Array(
    Of.Object({
      run: RunView,
      matching: nullable(count, 'records of it that fit; null where no record or value was asked for'),
      records: Of.Array(JournalRecord, { description: 'a few of those' }),
    }),
  ),
  next: nullable(uuid, 'for the page after it'),
  lookedBackTo: nullable(moment, 'where looking was ended before there were enough: the next page goes on from there'),
});
export type ChangesPage = Answer<typeof ChangesPage>;

export const changeRoutes = routesOf({
  changes: {
    method: 'get',
    path: '/api/changes',
    summary: 'What was changed: runs by time, person, type, field, record, value, outcome and words, newest first',
    answer: ChangesPage,
    searches: true,
    query: ChangesQuery,
  },
});
