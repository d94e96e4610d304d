import {
  alongOf,
  fail,
  ProblemError,
  thawReads,
  walk,
  type Catalog,
  type Checked,
  type Job,
  type OrderPart,
  type Sentence,
  type WorkOrder,
} from '@tantamos/core';
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
  readonly named: Sentence | null;
  readonly row_limits: Readonly<Record<string, string>> | null;
}

/** As much of it as tells whether a person may know of it. */
export type Knowable = Pick<Journaled, 'work_order' | 'made_by' | 'started_by' | 'row_limits'>;

/**
 * May the person know of it at all? Of every type in it they must be let see something. Where they see only some of a type's
 * records, also of one that it only reads, it must be their own, and made while they saw the same of them: its counts and values
 * are of all that its maker saw. Of types that are there no more, whose own it is and administrators.
 */
export function isKnown(of: Knowable, seen: Seen): boolean {
  return whyNotKnown(of, seen) === null;
}

export function mustKnow(of: Knowable, seen: Seen, what: 'preview' | 'run'): void {
  const why = whyNotKnown(of, seen);
  if (why === 'other rows')
    fail(
      'not_permitted',
      `Your rights have changed since this ${what} was made: you see other records now. Preview the job again, or ask an administrator.`,
    );
  if (why !== null) fail('not_found', `There is no such ${what}.`);
}

function whyNotKnown(of: Knowable, seen: Seen): 'withheld' | 'other rows' | null {
  const written = typesIn(of.work_order);
  if (seen.isWhole && written.every((t) => seen.isThere(t))) return null;
  const isMine = of.made_by === seen.person.id || of.started_by === seen.person.id;
  for (const id of written) {
    if (seen.catalog.find(id)) continue;
    if (seen.isThere(id) || !(isMine || seen.may('administer'))) return 'withheld';
  }
  const limited = Object.keys(seen.rowLimits);
  const touched = limited.length === 0 ? [] : [...written, ...typesRead(of.work_order, seen)];
  const narrowed = limited.filter((id) => touched.includes(id));
  if (narrowed.length > 0 && of.made_by !== seen.person.id) return 'withheld';
  return narrowed.every((id) => of.row_limits?.[id] === seen.rowLimits[id]) ? null : 'other rows';
}

function typesIn(order: WorkOrder): string[] {
  return [
    ...order.parts.flatMap((p) => (p.of === null ? [p.type] : [p.type, p.of])),
    ...alongOf(order).map(({ entry }) => entry.type),
  ];
}

/** Types whose records it also reads, next to those it writes: along references, and what refers to them. */
function typesRead(order: WorkOrder, seen: Seen): string[] {
  const types = new Set<string>();
  for (const part of order.parts)
    for (const tree of seen.withEverything((catalog) => readsOf(part, catalog)))
      walk(tree, (node) => {
        if (node.kind === 'field')
          [node.at.type, ...node.at.through.map((step) => step.type)].forEach((t) => types.add(t.id));
        if (node.kind === 'children') types.add(node.relation.child.id);
      });
  return [...types];
}

/** None where a type or field of it is there no more: nobody can read that. */
function readsOf(part: OrderPart, catalog: Catalog): readonly Checked[] {
  try {
    return thawReads(part, catalog);
  } catch (error) {
    if (error instanceof ProblemError) return [];
    throw error;
  }
}
