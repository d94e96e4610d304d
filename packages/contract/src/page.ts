import { Type } from 'class-transformer';
import { IsInt, IsOptional, Max, Min } from 'class-validator';
import { IsMoment } from './body';

/** A page of things, newest first. */
export class ListQuery {
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(200) limit?: number;
  /** The moment of the last one of the page before. */
  @IsOptional() @IsMoment() before?: string;
}
