import type { AlsoBody, JobBody, LaterPartBody } from '@tantamos/contract';
import { completeEdits } from './edits';
import type { DraftAlso, DraftPart, DraftWhole } from './whole';

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

function partOf({ type, follows, filter, more, also, edits, isDelete, made }: DraftPart): LaterPartBody | null {
  if (made) return made;
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
