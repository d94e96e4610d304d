import {
  checkSelection,
  fieldNamed,
  orderBy,
  ProblemError,
  selectionsOf,
  sentenceText,
  thawReads,
  typeWords,
  walk,
  type Catalog,
  type Job,
  type NamedRecord,
  type OrderPart,
  type RecordType,
} from '@tantamos/core';
import { seenAmong } from '../catalog/names';
import type { Seen } from '../rights/seen';
import type { Services } from '../services';
import type { Journaled } from './known';

/**
 * The sentence and the job as the reader may see them now. Where the job says something of a type or field that is withheld, a
 * sentence of our own stands for it; a record that is withheld, or has been deleted, is not named. There is no job then.
 */
export async function toldOf(
  journaled: Journaled,
  seen: Seen,
  services: Pick<Services, 'compiler' | 'accounts' | 'database'>,
): Promise<{ sentence: string; job: Job | null }> {
  const { job, sentence, named, work_order: order } = journaled;
  if (seen.isWhole) return { sentence, job };
  // Which records a sentence of an earlier version names is not known.
  if ((named === null && seen.isLimited) || !(await namesOnlySeen(journaled, seen, services))) {
    const type = seen.catalog.find(order.parts[0]!.type);
    const which = type ? typeWords(type) : 'records';
    return { sentence: `A change of ${which}, said with what you may not see.`, job: null };
  }
  if (named === null) return { sentence, job };
  const records = named.filter((part) => typeof part !== 'string');
  const isThere = await seenAmong(services.database, seen.catalog, records);
  const isSeen = (record: NamedRecord): boolean => seen.catalog.find(record.type) !== undefined && isThere(record);
  const all = named.every((part) => typeof part === 'string' || isSeen(part));
  return { sentence: sentenceText(named, (r) => (isSeen(r) ? r.name : notNamed)), job: all ? job : null };
}

const notNamed = 'a record that you may not see';

async function namesOnlySeen(
  { job, undo_which: taken, work_order: order, made_by: madeBy }: Journaled,
  seen: Seen,
  { compiler, accounts }: Pick<Services, 'compiler' | 'accounts'>,
): Promise<boolean> {
  try {
    if (order.parts.some((part) => writesWithheld(part, seen) || readsWithheld(part, seen.catalog))) return false;
    const { filter, type = job.selection.type } = taken ?? {};
    const undone = filter === undefined ? [] : [{ type, filter }];
    const selections = [...selectionsOf(job), ...undone];
    const { catalog, context } = await compiler.context(seen, selections);
    if (job.safety?.order) orderBy(job.safety.order, catalog.type(job.selection.type), catalog);
    // Whoever made it was meant by me().
    const { record } = await accounts.person(madeBy);
    for (const s of selections) checkSelection(s, catalog, { ...context, me: record, ofLaterPart: true });
    // What an undo's filter names is kept as it was typed.
    return madeBy === seen.person.id || filter === undefined || !seen.isLimited;
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
