import type { BlanksView } from '@tantamos/contract';
import {
  checkCondition,
  conditionCounts,
  conditionWords,
  leavingOut,
  list,
  parse,
  ProblemError,
  type Catalog,
  type CheckedSelection,
  type Context,
  type Selection,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { longestSearch } from '../database/patience';
import type { Compiler } from '../jobs/compiler';
import type { Seen } from '../rights/seen';

/** More things compared are counted together only. */
const mostApart = 5;

export interface Asked {
  readonly plain: Selection;
  readonly selection: CheckedSelection;
  readonly catalog: Catalog;
  readonly context: Context;
}

/**
 * What the filter of a selection leaves out because it is blank where the filter says what it is not, and the filter that
 * takes it in; null where that is nothing, and where records were picked one by one.
 */
export async function blanksLeftOut(
  { compiler, database }: { compiler: Compiler; database: Database },
  seen: Seen,
  { plain, selection, catalog, context }: Asked,
  signal?: AbortSignal,
): Promise<BlanksView | null> {
  if (!plain.filter?.trim() || !selection.condition || selection.keys) return null;
  const leaving = leavingOut(plain.filter);
  if (!leaving) return null;
  const apart = leaving.operands.slice(0, mostApart);
  const filters = [leaving.taking, ...apart.map((o) => o.taking)];
  const taking = await Promise.all(
    filters.map((filter) => compiler.selection(seen, { type: plain.type, filter })),
  ).catch((error: unknown) => {
    // A filter that only just stays within its limits may not be longer.
    if (error instanceof ProblemError) return null;
    throw error;
  });
  if (!taking) return null;
  const conditions = [selection.condition, ...taking.map((t) => t.selection.condition!)];
  const [counts] = await database.askWithin<Record<string, number>>(
    conditionCounts(selection, conditions),
    longestSearch,
    signal,
  );
  const more = (i: number): number => (counts?.[`n${i + 1}`] ?? 0) - (counts?.n1 ?? 0);
  const count = more(1);
  if (count === 0) return null;
  const parts = apart.flatMap((o, i) => {
    const n = more(i + 2);
    if (n === 0) return [];
    const words = conditionWords(checkCondition(parse(`${o.text} IS NULL`), catalog, selection.type, context));
    return [{ count: n, words, filter: o.taking }];
  });
  return { count, sentence: sentenceOf(count, parts, leaving.ofOthers), filter: leaving.taking, parts };
}

function sentenceOf(count: number, parts: BlanksView['parts'], ofOthers: boolean): string {
  const said = (n: number): string => n.toLocaleString('en-US');
  const are = count === 1 ? 'is' : 'are';
  const [only, ...more] = parts;
  if (only && more.length === 0 && only.count === count) return `${said(count)} whose ${only.words} ${are} left out`;
  const being = ofOthers ? `being blank, or what points at ${count === 1 ? 'it' : 'them'} being so` : 'being blank';
  const each = parts.map((p) => `${said(p.count)} whose ${p.words}`);
  return `${said(count)} ${are} left out for ${being}${each.length > 0 ? `: ${list(each, 'and')}` : ''}`;
}
