import {
  alongOf,
  checkSelection,
  fail,
  fieldNamed,
  ProblemError,
  selectionsOf,
  thawReads,
  typeWords,
  walk,
  type Catalog,
  type Job,
  type OrderPart,
  type RecordType,
  type WorkOrder,
} from '@tantamos/core';
import type { Person } from '../accounts/person';
import type { Seen } from '../rights/seen';
import type { Compiler } from '../jobs/compiler';

/** What of a preview, and of its run, tells whether a person may know of it. */
export interface Journaled {
  readonly type: string;
  readonly work_order: WorkOrder;
  readonly made_by: string;
  /** Who started its run, where that is another. */
  readonly started_by?: string;
  readonly job: Job;
  readonly sentence: string;
}

/**
 * May the person know of it at all? Of every type in it they must be let see something, and where they see only some of its
 * records, it must be their own: its counts are of all of them. Of types that are there no more, whose own it is and
 * administrators.
 */
export function isKnown(of: Omit<Journaled, 'job' | 'sentence'>, seen: Seen): boolean {
  if (seen.isWhole && typesIn(of.work_order).every((t) => seen.isThere(t))) return true;
  const isMine = of.made_by === seen.person.id || of.started_by === seen.person.id;
  return typesIn(of.work_order).every((id) => {
    const type = seen.catalog.find(id);
    if (type) return isMine || !type.limits?.source;
    return !seen.isThere(id) && (isMine || seen.may('administer'));
  });
}

export function mustKnow(of: Omit<Journaled, 'job' | 'sentence'>, seen: Seen, what: 'preview' | 'run'): void {
  if (!isKnown(of, seen)) fail('not_found', `There is no such ${what}.`);
}

function typesIn(order: WorkOrder): string[] {
  return [
    ...order.parts.flatMap((p) => (p.of === null ? [p.type] : [p.type, p.of])),
    ...alongOf(order).map(({ entry }) => entry.type),
  ];
}

/** The sentence and the job, where they name nothing that is withheld from the person; else words of our own, and no job. */
export async function toldOf(
  { job, sentence, work_order: order, made_by: madeBy }: Journaled,
  seen: Seen,
  compiler: Compiler,
  makerOf: (id: string) => Promise<Person>,
): Promise<{ sentence: string; job: Job | null }> {
  if (seen.isWhole || (await namesOnlySeen(job, order, seen, compiler, makerOf, madeBy))) return { sentence, job };
  const type = seen.catalog.find(order.parts[0]!.type);
  const which = type ? typeWords(type) : 'records';
  return { sentence: `A change of ${which}, said with what you may not see.`, job: null };
}

async function namesOnlySeen(
  job: Job,
  order: WorkOrder,
  seen: Seen,
  compiler: Compiler,
  makerOf: (id: string) => Promise<Person>,
  madeBy: string,
): Promise<boolean> {
  try {
    if (order.parts.some((part) => writesWithheld(part, seen) || readsWithheld(part, seen.catalog))) return false;
    const selections = selectionsOf(job);
    const { catalog, context } = await compiler.context(seen, selections);
    // Whoever made it was meant by me().
    const { record } = await makerOf(madeBy);
    const checked = selections.map((s) => checkSelection(s, catalog, { ...context, me: record, ofLaterPart: true }));
    // Names of records that are not to be seen may stand in it.
    const named = checked.some(({ condition, related }) => condition !== null || related !== null);
    return madeBy === seen.person.id || !named || catalog.types.every((t) => !t.limits?.source);
  } catch (error) {
    if (error instanceof ProblemError) return false;
    throw error;
  }
}

/** Writes a field that is withheld, or one that points at records that are: their names stand in what is said. */
function writesWithheld(part: OrderPart, seen: Seen): boolean {
  const type = seen.catalog.find(part.type);
  return part.writes.some((name) => {
    const field = type && fieldNamed(type, name);
    return field !== undefined && (field.hidden || seen.losesReference(part.type, name));
  });
}

function readsWithheld(part: OrderPart, catalog: Catalog): boolean {
  let withheld = false;
  for (const tree of thawReads(part, catalog))
    walk(tree, (node) => {
      if (node.kind === 'field') withheld ||= node.at.field.hidden || node.at.through.some((step) => step.field.hidden);
      if (node.kind === 'children') withheld ||= node.relation.field.hidden;
    });
  return withheld;
}

/** Words about a record of a type, unless they name a field that is withheld. */
export function wordsAsSeen(words: string | null, type: RecordType | undefined): string | null {
  if (words === null || !type) return words;
  const hidden = type.fields.filter((f) => f.hidden);
  if (hidden.length === 0) return words;
  const lower = words.toLowerCase();
  const named = hidden.some((f) => [f.name, f.label].some((n) => lower.includes(n.toLowerCase())));
  return named ? 'For a reason that lies in what you may not see.' : words;
}
