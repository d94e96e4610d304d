import { alongOf, fail, type Job, type WorkOrder } from '@tantamos/core';
import type { Seen } from '../rights/seen';

/** What of a preview, and of its run, tells whether a person may know of it. */
export interface Journaled {
  readonly type: string;
  readonly work_order: WorkOrder;
  readonly made_by: string;
  /** Who started its run, where that is another. */
  readonly started_by?: string;
  readonly job: Job;
  /** Of an undo: which part of a run, its filter among it. */
  readonly undo_which: { readonly filter?: string; readonly type?: string } | null;
  readonly sentence: string;
}

/**
 * May the person know of it at all? Of every type in it they must be let see something, and where they see only some of its
 * records, it must be their own: its counts are of all of them. Of types that are there no more, whose own it is and
 * administrators.
 */
export function isKnown(of: Pick<Journaled, 'work_order' | 'made_by' | 'started_by'>, seen: Seen): boolean {
  if (seen.isWhole && typesIn(of.work_order).every((t) => seen.isThere(t))) return true;
  const isMine = of.made_by === seen.person.id || of.started_by === seen.person.id;
  return typesIn(of.work_order).every((id) => {
    const type = seen.catalog.find(id);
    if (type) return isMine || !type.limits?.source;
    return !seen.isThere(id) && (isMine || seen.may('administer'));
  });
}

export function mustKnow(
  of: Pick<Journaled, 'work_order' | 'made_by' | 'started_by'>,
  seen: Seen,
  what: 'preview' | 'run',
): void {
  if (!isKnown(of, seen)) fail('not_found', `There is no such ${what}.`);
}

function typesIn(order: WorkOrder): string[] {
  return [
    ...order.parts.flatMap((p) => (p.of === null ? [p.type] : [p.type, p.of])),
    ...alongOf(order).map(({ entry }) => entry.type),
  ];
}
