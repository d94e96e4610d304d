import type { AlsoBody, JobBody, LaterPartBody, SelectionParts } from '@tantamos/contract';
import type { Follows } from '@tantamos/core';
import { completeEdits, type DraftEdit } from './edits';

// What a job does besides its edits, as far as it has been said.

/** A record made for each of the job’s records. */
export interface DraftAlso {
  readonly type?: string;
  readonly by?: string;
  readonly per?: string;
  readonly first?: string;
  readonly values: readonly DraftEdit[];
}

/** A further part of the job. */
export interface DraftPart {
  readonly type?: string;
  readonly follows?: Follows;
  readonly filter: string;
  /** What else says which records: not shown, and kept. */
  readonly more?: SelectionParts;
  /** What is made for them: not shown, and kept. */
  readonly also?: LaterPartBody['also'];
  readonly edits: readonly DraftEdit[];
  readonly isDelete?: boolean;
}

export interface DraftWhole {
  readonly act: 'delete' | 'copy' | null;
  readonly also: readonly DraftAlso[];
  readonly then: readonly DraftPart[];
}

export const nothingWhole: DraftWhole = { act: null, also: [], then: [] };

/** What is complete of it, as the service takes it. */
export function wholeOf({ act, also, then }: DraftWhole): Pick<JobBody, 'act' | 'also' | 'then'> {
  const made = act === 'delete' ? [] : also.flatMap((a) => alsoOf(a) ?? []);
  const later = then.flatMap((p) => partOf(p) ?? []);
  return {
    ...(act === null ? {} : { act }),
    ...(made.length > 0 ? { also: made } : {}),
    ...(later.length > 0 ? { then: later } : {}),
  };
}

/** What a job does, as a draft has it. */
export function wholeFrom({ act, also, then }: Pick<JobBody, 'act' | 'also' | 'then'>): DraftWhole {
  return {
    act: act ?? null,
    also: (also ?? []).map((a) => ({ ...a, values: a.values as readonly DraftEdit[] })),
    then: (then ?? []).map(({ selection: { type, filter, ...more }, edits, follows, also: made, act: done }) => ({
      type,
      filter: typeof filter === 'string' ? filter : '',
      more,
      edits: edits as readonly DraftEdit[],
      ...(follows ? { follows } : {}),
      ...(made ? { also: made } : {}),
      ...(done === 'delete' ? { isDelete: true } : {}),
    })),
  };
}

function alsoOf({ type, by, per, first, values }: DraftAlso): AlsoBody | null {
  if (type === undefined) return null;
  return {
    type,
    ...(by === undefined ? {} : { by }),
    ...(per === undefined ? {} : { per }),
    ...(per === undefined || first === undefined ? {} : { first }),
    values: completeEdits(values),
  };
}

function partOf({ type, follows, filter, more, also, edits, isDelete }: DraftPart): LaterPartBody | null {
  const complete = isDelete ? [] : completeEdits(edits);
  if (type === undefined || (complete.length === 0 && !isDelete && !also)) return null;
  return {
    selection: { ...more, type, ...(filter.trim() ? { filter } : {}) },
    edits: complete,
    ...(follows ? { follows } : {}),
    ...(also ? { also } : {}),
    ...(isDelete ? { act: 'delete' as const } : {}),
  };
}

/** The place of one among those that are complete, which is the only ones the service knows. */
export function placeAmong<T>(all: readonly T[], at: number, isComplete: (one: T) => boolean): number {
  return all.slice(0, at).filter(isComplete).length;
}

export const isWholeAlso = (a: DraftAlso): boolean => alsoOf(a) !== null;
export const isWholePart = (p: DraftPart): boolean => partOf(p) !== null;
