import { AnswerError } from '@tantamos/client';
import { queryOptions, useQuery } from '@tanstack/react-query';
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { api, queryClient } from '../app/api';
import { Trouble, Working } from '../components/states';
import { queries } from '../queries';
import { draftOf, emptyDraft, isWork, type Draft } from './draft';
import { holdFirstFree, placeOfTab } from './held';

interface Held {
  readonly draft: Draft;
  change(change: Partial<Draft>): void;
  /** Which unfinished job this window works on; null: one that has not been kept yet. */
  readonly id: string | null;
  /** Leaves this one as it is kept, and goes to another; null: a new one. */
  open(id: string | null): Promise<void>;
  /** Something happened to it that the person should know. */
  readonly notice: string | null;
  dismiss(): void;
}

const Context = createContext<Held | null>(null);
const saveAfter = 400;

export function useDraft(): Held {
  return useContext(Context)!;
}

interface Kept {
  readonly id: string | null;
  readonly version: number | null;
  readonly draft: Draft;
}

/**
 * Keeps the unfinished job of this window with the service, so that it survives everything. Each window has its own: a new
 * window takes up the last one that no other window has open, or begins a new one.
 */
export function DraftKeeper({ children }: { children: ReactNode }) {
  const first = useQuery(firstDraft());
  if (first.isPending) return <Working what="Opening" />;
  if (!first.data) return <Trouble error={first.error} onRetry={() => void first.refetch()} />;
  return <Keeping from={first.data}>{children}</Keeping>;
}

/** The unfinished job a window begins with. */
export function firstDraft() {
  return queryOptions({ queryKey: ['first-draft'], queryFn: takeUpFirst, staleTime: Infinity, gcTime: Infinity });
}

async function takeUpFirst(): Promise<Kept> {
  const all = await api.drafts();
  const id = await holdFirstFree(all.map((d) => d.id));
  if (id) return read(id);
  // How the person looks at things is theirs, whatever they work on.
  const newest = all[0] && draftOf((await api.draft(all[0].id)).job);
  return { id: null, version: null, draft: fresh(newest) };
}

async function read(id: string): Promise<Kept> {
  const { version, job } = await api.draft(id);
  return { id, version, draft: draftOf(job) };
}

function fresh(before: Draft | undefined): Draft {
  return before ? { ...emptyDraft, views: before.views, filterMode: before.filterMode } : emptyDraft;
}

function Keeping({ from, children }: { from: Kept; children: ReactNode }) {
  const [draft, setDraft] = useState(from.draft);
  const [at, setAt] = useState({ id: from.id });
  const [notice, setNotice] = useState<string | null>(null);
  const kept = useRef({ ...from });
  const saving = useRef<Promise<void>>(Promise.resolve());

  /** One after another, so that each knows the version of the one before. */
  const save = useCallback((next: Draft, outlives = false): Promise<void> => {
    const work = async (): Promise<void> => {
      if (kept.current.draft === next) return;
      const { id, version } = kept.current;
      const body = { job: { ...next }, version: version ?? undefined };
      try {
        if (id === null && !isWork(next)) return void (kept.current = { ...kept.current, draft: next });
        const now =
          id === null
            ? await api.beginDraft({ job: { ...next } }, { outlives })
            : await api.keepDraft(id, body, { outlives });
        kept.current = { id: now.id, version: now.version, draft: next };
        if (id === null) setAt({ id: now.id });
      } catch (error) {
        const code = error instanceof AnswerError ? error.code : '';
        if (code === 'over_limit' || code === 'bad_request') {
          kept.current = { ...kept.current, draft: next };
          return setNotice(`This job is not kept: ${(error as Error).message}`);
        }
        // Kept again with the next change if this one does not get through.
        if (code !== 'stale_version' && code !== 'not_found') return;
        const other = await api.beginDraft({ job: { ...next } });
        kept.current = { id: other.id, version: other.version, draft: next };
        setAt({ id: other.id });
        setNotice(
          code === 'stale_version'
            ? 'This job was changed in another window meanwhile. Both are kept: what you see here is an unfinished job of its own now.'
            : 'This job was dropped in another window. What you see here is kept as a new one.',
        );
      }
      void queryClient.invalidateQueries({ queryKey: queries.drafts().queryKey });
    };
    saving.current = saving.current.then(work, work);
    return saving.current;
  }, []);

  useEffect(() => {
    if (kept.current.draft === draft) return;
    const timer = setTimeout(() => void save(draft), saveAfter);
    return () => clearTimeout(timer);
  }, [draft, save]);
  // Who goes before that leaves the last change behind.
  useEffect(() => {
    const leave = (): void => void save(draft, true);
    window.addEventListener('pagehide', leave);
    return () => window.removeEventListener('pagehide', leave);
  }, [draft, save]);
  useEffect(() => placeOfTab.set(at.id), [at.id]);

  const change = useCallback((next: Partial<Draft>) => setDraft((now) => ({ ...now, ...next })), []);
  const open = useCallback(
    async (id: string | null): Promise<void> => {
      await save(draft);
      const next = id === null ? { id: null, version: null, draft: fresh(draft) } : await read(id);
      kept.current = next;
      setNotice(null);
      setAt({ id: next.id });
      setDraft(next.draft);
    },
    [draft, save],
  );
  const value = useMemo(
    () => ({ draft, change, id: at.id, open, notice, dismiss: () => setNotice(null) }),
    [draft, change, at.id, open, notice],
  );
  return <Context value={value}>{children}</Context>;
}
