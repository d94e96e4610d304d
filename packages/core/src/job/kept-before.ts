const mostShown = 2;

/** Of counts that were kept, newest first, those of the run's records that were made before it began: what to look at beside a recheck. */
export function keptBefore<C extends { readonly type: string; readonly madeAt: string }>(
  counts: readonly C[],
  run: { readonly type: string; readonly startedAt: string },
): readonly C[] {
  return counts.filter((c) => c.type === run.type && c.madeAt < run.startedAt).slice(0, mostShown);
}
