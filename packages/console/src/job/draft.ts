import type {
  ListChoiceBody,
  RelatedBody,
  SafetyBody,
  SavedSelectionView,
  SelectionParts,
  TakeBody,
} from '@tantamos/contract';
import type { PendingCells } from '../grid/cells';
import type { DraftEdit } from './edits/form';
import { nothingWhole, type DraftWhole } from './whole';

/** An unfinished job and how the person was looking at its records. */
export interface Draft extends DraftWhole {
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
  /** Edited in the grid and not written yet. */
  readonly cells: PendingCells;
  readonly safety: SafetyBody;
  readonly why: string;
  readonly writeAgain: boolean;
  /** The last preview made of it. */
  readonly after: string | null;
  readonly panel: boolean;
}

/** Columns, their widths in pixels, order, and the fields whose values are pinned above the grid. */
export interface View {
  readonly columns?: readonly string[];
  readonly widths?: Readonly<Record<string, number>>;
  readonly sort?: readonly string[];
  readonly pinned?: readonly string[];
}

/** What is asked for where nobody says anything. */
export const usualSafety: SafetyBody = { askAfter: 5 };

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
  cells: {},
  ...nothingWhole,
  safety: usualSafety,
  why: '',
  writeAgain: false,
  after: null,
  panel: false,
};

/** What starting over on a type, or after a run was started, leaves behind. */
export const noWork = {
  picked: [],
  allPicked: false,
  dropped: [],
  edits: [],
  cells: {},
  ...nothingWhole,
  why: '',
  safety: usualSafety,
  writeAgain: false,
  after: null,
} as const;
/** What a new selection begins with. */
export const everything = { filter: '', related: null, list: null, take: null, ...noWork } as const;

/** A draft as it was kept, by whatever version of this page. */
export function draftOf(kept: Readonly<Record<string, unknown>>): Draft {
  const draft = { ...emptyDraft, ...safetyIn(kept), ...(kept as Partial<Draft>) };
  return { ...draft, edits: draft.edits.map(editOf) };
}

/** Earlier versions kept what is said of safety one by one. */
function safetyIn(kept: Readonly<Record<string, unknown>>): Pick<Draft, 'safety'> | object {
  const names = ['atMost', 'askAfter', 'batchSize', 'atOnce', 'pace'];
  if (!names.some((name) => name in kept)) return {};
  return { safety: Object.fromEntries(names.flatMap((name) => (kept[name] == null ? [] : [[name, kept[name]]]))) };
}

/** Earlier versions kept what was not said yet as null and the empty text, and pasted values with a `set`. */
function editOf(kept: DraftEdit): DraftEdit {
  const { field, value, values, ...rest } = kept as {
    kind: string;
    field?: string | null;
    value?: string;
    values?: object;
  };
  if (kept.kind === 'set' && values) return { kind: 'put', field: field ?? undefined, values } as DraftEdit;
  const isOld = field === null || (value === '' && !('version' in kept) && kept.kind === 'fill');
  return {
    ...rest,
    ...(field == null ? {} : { field }),
    ...(isOld || value === undefined ? {} : { value }),
    ...(values ? { values } : {}),
  } as DraftEdit;
}

/** Is there anything in it that a person would miss? */
export function isWork(draft: Draft): boolean {
  return (
    draft.filter.trim() !== '' ||
    draft.related !== null ||
    draft.list !== null ||
    draft.take !== null ||
    draft.picked.length + draft.dropped.length + draft.edits.length + draft.also.length + draft.then.length > 0 ||
    draft.act !== null ||
    Object.keys(draft.cells).length > 0 ||
    JSON.stringify(draft.safety) !== JSON.stringify(usualSafety) ||
    draft.why.trim() !== ''
  );
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

/** The parts of a saved selection as those of a draft. */
export function partsFrom({
  filter,
  related,
  list,
  take,
  keys,
  drop,
}: SavedSelectionView['selection']): Partial<Draft> {
  return {
    filter: filter ?? '',
    related: (related as Draft['related']) ?? null,
    list: list ?? null,
    take: (take as Draft['take']) ?? null,
    picked: keys ?? [],
    dropped: drop ?? [],
  };
}
