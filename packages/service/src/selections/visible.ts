import { checkSelection, ProblemError, type Context, type Selection } from '@tantamos/core';
import type { Seen } from '../rights/seen';

/** Types that a selection names, its own and those of its relatives. */
export function typesOf(selection: Selection): string[] {
  return [selection.type, ...(selection.related ? typesOf(selection.related.of) : [])];
}

/**
 * Does a selection name nothing that is withheld from the person? One that no longer works may name anything: it is shown only
 * where nothing is withheld at all, or to whom it belongs.
 */
export function isVisible(selection: Selection, seen: Seen, context: Context, isMine: boolean): boolean {
  if (seen.isWhole) return true;
  if (typesOf(selection).some((t) => seen.withholds(t))) return false;
  try {
    checkSelection(selection, seen.catalog, context);
    return true;
  } catch (error) {
    if (!(error instanceof ProblemError)) throw error;
    return isMine && !['unknown_field', 'type_mismatch'].includes(error.code);
  }
}
