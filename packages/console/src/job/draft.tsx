import type { EditBody, JobBody, ListChoiceBody, RelatedBody, SelectionParts, TakeBody } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { createContext, useCallback, useContext, useEffect, useMemo, useRef, useState, type ReactNode } from 'react';
import { api } from '../app/api';
import { Trouble, Working } from '../components/states';

export interface DraftEdit {
  readonly kind: EditBody['kind'];
  readonly field: string | null;
  readonly value: string;
  /** Pasted values, by key: the edit gives each of these records its own. */
  readonly values?: Readonly<Record<string, string>>;
}

/** An unfinished job and how the person was looking at its records. Kept by the service, so it survives everything. */
export interface Draft {
  readonly type: string | null;
  readonly filter: string;
  readonly related: RelatedBody | null;
  readonly list: ListChoiceBody | null;
  readonly take: TakeBody | null;
  readonly picked: readonly string[];
  /** Everything that matches is picked, but for what is dropped. */
  readonly allPicked: boolean;
  readonly dropped: readonly string[];
  /** How the person looks at each type. */
  readonly views: Readonly<Record<string, View>>;
  readonly filterMode: 'rows' | 'text';
  readonly filterOpen: boolean;
  readonly edits: readonly DraftEdit[];
  readonly atMost: number | null;
  readonly askAfter: number | null;
  readonly batchSize: number | null;
  readonly atOnce: number | null;
  readonly pace: number | null;
  readonly why: string;
  readonly panel: boolean;
}

/** Columns, their widths in pixels, order, and the fields whose values are pinned above the grid. */
export interface View {
  readonly columns?: readonly string[];
  readonly widths?: Readonly<Record<string, number>>;
  readonly sort?: readonly string[];
  readonly pinned?: readonly string[];
}

export const emptyDraft: Draft = {
  type: null,
  filter: '',
  related: null,
  list: null,
  take: null,
  picked: [],
  allPicked: false,
  dropped: [],
  views: {},
  filterMode: 'rows',
  filterOpen: true,
  edits: [],
  atMost: null,
  askAfter: 5,
  batchSize: null,
  atOnce: null,
  pace: null,
  why: '',
  panel: false,
};

/** What starting over on a type, or after a run was started, leaves behind. */
export const noWork = { picked: [], allPicked: false, dropped: [], edits: [], why: '', atMost: null } as const;
/** What a new selection begins with. */
export const everything = { filter: '', related: null, list: null, take: null, ...noWork } as const;

type Change = Partial<Draft>;
const Context = createContext<{ draft: Draft; change: (change: Change) => void } | null>(null);
const saveAfter = 400;

export function useDraft() {
  return useContext(Context)!;
}

export function DraftKeeper({ children }: { children: ReactNode }) {
  const kept = useQuery({ queryKey: ['draft'], queryFn: api.draft, staleTime: Infinity, gcTime: Infinity });
  if (kept.isPending) return <Working what="Opening" />;
  if (!kept.data) return <Trouble error={kept.error} onRetry={() => void kept.refetch()} />;
  return <Kept from={{ ...emptyDraft, ...(kept.data.job as Change | null) }}>{children}</Kept>;
}

function Kept({ from, children }: { from: Draft; children: ReactNode }) {
  const [draft, setDraft] = useState(from);
  const saved = useRef(draft);
  useEffect(() => {
    if (saved.current === draft) return;
    const timer = setTimeout(() => {
      saved.current = draft;
      // Kept again with the next change if this one does not get through.
      api.keepDraft({ ...draft }).catch(() => (saved.current = from));
    }, saveAfter);
    return () => clearTimeout(timer);
  }, [draft, from]);
  const change = useCallback((next: Change) => setDraft((now) => ({ ...now, ...next })), []);
  const value = useMemo(() => ({ draft, change }), [draft, change]);
  return <Context value={value}>{children}</Context>;
}

/** What the grid shows: the selection before picking and dropping by hand. */
export function partsOf(draft: Draft): SelectionParts {
  return {
    ...(draft.related ? { related: draft.related } : {}),
    ...(draft.filter.trim() ? { filter: draft.filter } : {}),
    ...(draft.list ? { list: draft.list } : {}),
    ...(draft.take ? { take: draft.take } : {}),
  };
}

/** The same with what was picked and dropped. */
export function pickedPartsOf(draft: Draft): SelectionParts {
  return {
    ...partsOf(draft),
    ...(draft.picked.length > 0 ? { keys: [...draft.picked] } : {}),
    ...(draft.dropped.length > 0 ? { drop: [...draft.dropped] } : {}),
  };
}

/** The job as the service takes it; edits that are not filled in yet are left out. */
export function jobOf(draft: Draft, type: string): JobBody {
  const { batchSize, atOnce, pace, askAfter, atMost } = draft;
  const safety = Object.fromEntries(
    Object.entries({ batchSize, atOnce, pace, askAfter, atMost }).filter(([, v]) => v !== null),
  );
  return {
    selection: { type, ...pickedPartsOf(draft) },
    edits: draft.edits.flatMap((e): EditBody[] =>
      e.field === null || (e.value === '' && !e.values)
        ? []
        : [
            e.values
              ? { kind: 'put', field: e.field, values: { ...e.values } }
              : { kind: e.kind, field: e.field, value: e.value },
          ],
    ),
    safety,
    ...(draft.why.trim() ? { why: draft.why.trim() } : {}),
  };
}
