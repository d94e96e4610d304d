import { Type as Of } from '@sinclair/typebox';
import { ArrayMaxSize, ArrayMinSize, IsArray, IsNotEmpty, IsString, MaxLength } from 'class-validator';
import { Nested } from './body';
import { Value } from './journal';
import { routesOf } from './route';
import { SelectionBody } from './selection';
import { count, moment, named, text, uuid, type Answer } from './shape';

export class KeepCountsBody {
  @IsString() @IsNotEmpty() @MaxLength(200) name!: string;
  @Nested(() => SelectionBody) selection!: SelectionBody;
  @IsArray() @ArrayMinSize(1) @ArrayMaxSize(3) @IsString({ each: true }) fields!: string[];
}

export const KeptCountsView = named('KeptCountsView', {
  id: uuid,
  name: text,
  type: text,
  madeBy: text,
  madeAt: moment,
  fields: Of.Array(text),
  total: count,
});
export type KeptCountsView = Answer<typeof KeptCountsView>;

export const ComparedCounts = named('ComparedCounts', {
  ...KeptCountsView.properties,
  totalNow: count,
  rows: Of.Array(Of.Object({ values: Of.Array(Value), before: count, now: count })),
});
export type ComparedCounts = Answer<typeof ComparedCounts>;

export const countRoutes = routesOf({
  keptCounts: {
    method: 'get',
    path: '/api/counts',
    summary: 'Counts that were kept',
    answer: Of.Array(KeptCountsView),
  },
  keepCounts: {
    method: 'post',
    path: '/api/counts',
    summary: 'Count values and keep the counts',
    answer: KeptCountsView,
    status: 201,
    body: KeepCountsBody,
    searches: true,
  },
  compareCounts: {
    method: 'get',
    path: '/api/counts/:id',
    summary: 'Kept counts beside those of now',
    answer: ComparedCounts,
    searches: true,
  },
  dropCounts: { method: 'delete', path: '/api/counts/:id', summary: 'Forget kept counts', answer: null, status: 204 },
});
