import {
  checkSelection,
  fieldNamed,
  orderBy,
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
import type { Journaled } from './known';

/** The sentence and the job, where they name nothing that is withheld from the person; else words of our own, and no job. */
export async function toldOf(
  { job, sentence, work_order: order, made_by: madeBy, undo_which: undone }: Journaled,
  seen: Seen,
  compiler: Compiler,
  makerOf: (id: string) => Promise<Person>,
): Promise<{ sentence: string; job: Job | null }> {
  if (seen.isWhole || (await namesOnlySeen(job, undone, order, seen, compiler, makerOf, madeBy)))
    return { sentence, job };
  const type = seen.catalog.find(order.parts[0]!.type);
  const which = type ? typeWords(type) : 'records';
  return { sentence: `A change of ${which}, said with what you may not see.`, job: null };
}

async function namesOnlySeen(
  job: Job,
  taken: Journaled['undo_which'],
  order: WorkOrder,
  seen: Seen,
  compiler: Compiler,
  makerOf: (id: string) => Promise<Person>,
  madeBy: string,
): Promise<boolean> {
  try {
    if (order.parts.some((part) => writesWithheld(part, seen) || readsWithheld(part, seen.catalog))) return false;
    const { filter, type = job.selection.type } = taken ?? {};
    const undone = filter === undefined ? [] : [{ type, filter }];
    const selections = [...selectionsOf(job), ...undone];
    const { catalog, context } = await compiler.context(seen, selections);
    if (job.safety?.order) orderBy(job.safety.order, catalog.type(job.selection.type), catalog);
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
