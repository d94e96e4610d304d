/** Records of a preview that are worth a look, by what becomes of one field. */
export const picks = ['spread', 'largest', 'longest', 'emptied'] as const;
export type JournalPick = (typeof picks)[number];

const few = 5;

/**
 * The from → to counts of a field that are worth showing, greatest first: a few where nearly every record has its own
 * (`more`: there are others than these). And whether any are left out.
 */
export function pairsShown<P extends { readonly count: number }>(
  pairs: readonly P[],
  more: boolean,
  most: number,
): { readonly shown: readonly P[]; readonly isMore: boolean } {
  const isEachItsOwn = more || pairs[0]?.count === 1;
  const shown = pairs.slice(0, isEachItsOwn ? few : most);
  return { shown, isMore: more || shown.length < pairs.length };
}
