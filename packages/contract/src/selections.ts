import type { Selection } from '@tantamos/core';
import { Type as Of } from '@sinclair/typebox';
import {
  ArrayMaxSize,
  IsBoolean,
  IsIn,
  IsInt,
  IsNotEmpty,
  IsOptional,
  IsString,
  MaxLength,
  Min,
  Max,
} from 'class-validator';
import { Nested, NestedList, Nullable, largestInteger } from './body';
import { routesOf } from './route';
import { SelectionBody } from './selection';
import { asRequested, count, flag, moment, named, nullable, text, uuid, type Answer } from './shape';

export class SavedSelectionBody {
  @IsString() @IsNotEmpty() @MaxLength(100) name!: string;
  @Nested(() => SelectionBody) selection!: SelectionBody;
  @Nullable() @IsString() @MaxLength(2000) note?: string | null;
  /** Open to all, or only mine (the default). */
  @IsOptional() @IsBoolean() open?: boolean;
  /** The version this change was made on; refused when it is no longer the newest. */
  @IsOptional() @IsInt() @Min(1) @Max(largestInteger) version?: number;
  /** Change it although other selections rest on it. */
  @IsOptional() @IsBoolean() anyway?: boolean;
}

export class FiledSelectionBody {
  @IsString() @IsNotEmpty() @MaxLength(100) name!: string;
  @Nullable() @IsString() @MaxLength(2000) note?: string | null;
  @IsOptional() @IsBoolean() open?: boolean;
  @Nested(() => SelectionBody) selection!: SelectionBody;
}

export const selectionsFileKind = 'saved-selections';

export class SelectionsFileBody {
  @IsIn([selectionsFileKind]) tantamos!: typeof selectionsFileKind;
  @IsOptional() @IsString() @MaxLength(50) exportedAt?: string;
  @ArrayMaxSize(1000)
  @NestedList(() => FiledSelectionBody)
  selections!: FiledSelectionBody[];
}

export class ImportBody {
  /** The file as exported. */
  @Nested(() => SelectionsFileBody) file!: SelectionsFileBody;
  /** What to do where a name is taken: refuse all, leave that one out, or make it a new version. */
  @IsOptional() @IsIn(['refuse', 'skip', 'replace']) taken?: 'refuse' | 'skip' | 'replace';
}

const selection = asRequested<Selection>('SelectionBody');

export const SavedSelectionView = named('SavedSelectionView', {
  id: uuid,
  name: text,
  note: nullable(text),
  open: flag,
  mine: flag,
  owner: text,
  type: text,
  typeLabel: text,
  version: count,
  selection,
  changedBy: text,
  changedAt: moment,
  lastCount: nullable(count),
  countedAt: nullable(moment),
  usedBy: Of.Array(text, { description: 'names of the selections that rest on it' }),
});
export type SavedSelectionView = Answer<typeof SavedSelectionView>;

export const SavedVersionView = named('SavedVersionView', {
  version: count,
  selection,
  note: nullable(text),
  changedBy: text,
  changedAt: moment,
});
export type SavedVersionView = Answer<typeof SavedVersionView>;

export const selectionRoutes = routesOf({
  selections: {
    method: 'get',
    path: '/api/selections',
    summary: 'Saved selections: mine and those open to all',
    answer: Of.Array(SavedSelectionView),
  },
  saveSelection: {
    method: 'post',
    path: '/api/selections',
    summary: 'Save a selection under a name, or a new version of it',
    answer: SavedSelectionView,
    status: 201,
    body: SavedSelectionBody,
  },
  selection: {
    method: 'get',
    path: '/api/selections/:name',
    summary: 'One saved selection',
    answer: SavedSelectionView,
  },
  selectionVersions: {
    method: 'get',
    path: '/api/selections/:name/versions',
    summary: 'Its versions, newest first',
    answer: Of.Array(SavedVersionView),
  },
  countSelection: {
    method: 'post',
    path: '/api/selections/:name/count',
    summary: 'Count its records now; the count stays with it',
    answer: SavedSelectionView,
    searches: true,
  },
  dropSelection: {
    method: 'delete',
    path: '/api/selections/:name',
    summary: 'Delete a saved selection',
    answer: null,
    status: 204,
  },
  selectionsFile: {
    method: 'get',
    path: '/api/selections-file',
    summary: 'All saved selections as a file, filters in CQL2 JSON',
    answer: null,
    files: ['application/json'],
  },
  importSelections: {
    method: 'post',
    path: '/api/selections-file',
    summary: 'Take saved selections from a file: all of them, or none',
    answer: Of.Array(SavedSelectionView),
    body: ImportBody,
  },
});
