import type { JobBody, LaterPartBody, SelectionParts } from '@tantamos/contract';
import type { Follows } from '@tantamos/core';
import type { DraftEdit } from './edits/form';

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
  /** New records out of the rows of a file: a part as it is. */
  readonly made?: LaterPartBody;
}

export interface DraftWhole {
  readonly act: 'delete' | 'copy' | null;
  readonly also: readonly DraftAlso[];
  readonly then: readonly DraftPart[];
}

export const nothingWhole: DraftWhole = { act: null, also: [], then: [] };

/** What a job does, as a draft has it. */
export function wholeFrom({ act, also, then }: Pick<JobBody, 'act' | 'also' | 'then'>): DraftWhole {
  return {
    act: act === 'create' ? null : (act ?? null),
    also: (also ?? []).map((a) => ({ ...a, values: a.values })),
    then: (then ?? []).map(partFrom),
  };
}

/** A further part, as a draft has it. */
export function partFrom(part: LaterPartBody): DraftPart {
  const { selection, edits, follows, also, act } = part;
  const { type, filter, ...more } = selection;
  if (act === 'create') return { type, filter: '', edits: [], made: part };
  return {
    type,
    filter: typeof filter === 'string' ? filter : '',
    more,
    edits: edits,
    ...(follows ? { follows } : {}),
    ...(also ? { also } : {}),
    ...(act === 'delete' ? { isDelete: true } : {}),
  };
}
