import { useCallback, useMemo } from 'react';
import { everything, type Draft, type View } from './draft';
import { useDraft } from './DraftKeeper';

/** The draft as far as it is about this type; a draft of another is left alone until something is done here. */
export function useDraftOf(type: string) {
  const { draft: kept, change } = useDraft();
  const draft: Draft = useMemo(() => (kept.type === type ? kept : { ...kept, ...everything }), [kept, type]);
  const set = useCallback(
    (next: Partial<Draft>) => change({ ...(kept.type === type ? {} : everything), type, ...next }),
    [change, kept.type, type],
  );
  const view: View = kept.views[type] ?? {};
  const setView = (next: Partial<View>): void => change({ views: { ...kept.views, [type]: { ...view, ...next } } });
  return { draft, set, change, view, setView };
}
