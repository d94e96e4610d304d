import type { SavedSelectionView, SelectionBody, TypeSummary, TypeView } from '@tantamos/contract';
import { hasOrder } from '@tantamos/core';
import type { Expression } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { ClipboardList } from 'lucide-react';
import { useCallback, useMemo, useState } from 'react';
import { Navigate, useNavigate, useParams } from 'react-router';
import { api } from '../app/api';
import { usePerson } from '../app/session';
import { Button } from '../components/Button';
import { number } from '../components/format';
import { Picker } from '../components/Picker';
import { Empty, Trouble, Working } from '../components/states';
import { everything, jobOf, partsOf, pickedPartsOf, useDraft, type Draft, type View } from '../job/draft';
import { JobPanel } from '../job/JobPanel';
import { useSample } from '../job/useSample';
import { ColumnsMenu } from './ColumnsMenu';
import { inSelection, isNoneOf, isOneOf, narrowed } from './conditions';
import { CountsSheet } from './CountsSheet';
import { CrossSheet } from './CrossSheet';
import { ExportMenu } from './ExportMenu';
import { useFields, type FieldChoice } from './fields';
import { FilterPanel } from './FilterPanel';
import { Grid } from './Grid';
import { NothingMatched } from './NothingMatched';
import { PastedLines } from './PastedLines';
import { PasteSheet } from './PasteSheet';
import { PickBar } from './PickBar';
import { PinnedStrip } from './PinnedStrip';
import { RelatedMenu } from './RelatedMenu';
import { SavedMenu } from './SavedMenu';
import { SelectionLine } from './SelectionLine';
import { TakeMenu } from './TakeMenu';
import { useExplained } from './useExplained';
import { useFound } from './useFound';
import { ValuesDrawer } from './ValuesDrawer';

export function RecordsPage() {
  const { type: id } = useParams();
  const { draft } = useDraft();
  const types = useQuery({ queryKey: ['types'], queryFn: api.types });
  const type = useQuery({ queryKey: ['type', id], queryFn: () => api.type(id!), enabled: id !== undefined });
  if (types.isPending || (id !== undefined && type.isPending)) return <Working what="Reading the types" />;
  if (!types.data) return <Trouble error={types.error} onRetry={() => void types.refetch()} />;
  if (id === undefined) {
    const first =
      types.data.find((t) => t.id === draft.type && t.notReadable === null) ??
      types.data.find((t) => t.notChangeable === null) ??
      types.data.find((t) => t.notReadable === null);
    if (!first)
      return (
        <Empty
          title={
            types.data.length > 0
              ? 'The account Tantamos uses may read nothing here.'
              : 'This database has no tables yet.'
          }
        />
      );
    return <Navigate to={`/records/${encodeURIComponent(first.id)}`} replace />;
  }
  if (!type.data) return <Trouble error={type.error} />;
  return <Records key={id} type={type.data} types={types.data} />;
}

/** The draft as far as it is about this type; a draft of another is left alone until something is done here. */
function useDraftOf(type: string) {
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

type Open =
  | { paste: string }
  | { values: string }
  | { cross: { rows: string; columns: string } }
  | { counts: true }
  | { lines: string; at: { record: number; column: string } };

function Records({ type, types }: { type: TypeView; types: readonly TypeSummary[] }) {
  const { draft, set, change, view, setView } = useDraftOf(type.id);
  const { workspace } = usePerson();
  const navigate = useNavigate();
  const fields = useFields(type);
  const [open, setOpen] = useState<Open | null>(null);
  const chosen = view.columns ?? usualColumns(type);
  // What is being changed is in sight, chosen or not.
  const edited = draft.panel ? [...new Set(draft.edits.flatMap((e) => e.field ?? []))] : [];
  const others = chosen.filter((c) => !edited.includes(c));
  const columns = edited.length > 0 ? [...others.slice(0, 2), ...edited, ...others.slice(2)] : chosen;
  const sort = view.sort ?? [];
  const parts = partsOf(draft);
  const { found, records, onMore } = useFound(type.id, parts, columns, sort);
  const isEmpty = found.isSuccess && records.length === 0;
  const explained = useExplained(type.id, pickedPartsOf(draft), isEmpty);
  const [sight, setSight] = useState<readonly string[]>([]);
  const job = jobOf(draft, type.id);
  const changeable = type.notChangeable === null;
  const sample = useSample(job, job.edits.length > 0 ? sight : [], changeable && !found.isError && draft.panel);
  const changes = useMemo(
    () => new Map((job.edits.length > 0 ? (sample.view?.rows ?? []) : []).map((r) => [r.key, r])),
    [sample.view, job.edits.length],
  );
  const pinned = (view.pinned ?? []).flatMap((p) => fields.find((f) => f.path === p) ?? []);
  const narrow = (condition: Expression): void => set({ filter: narrowed(draft.filter, condition) });
  const choiceOf = (path: string): FieldChoice | null => fields.find((f) => f.path === path) ?? null;
  const narrowBy = (column: string, value: string | null, keep: boolean): void => {
    const choice = choiceOf(column);
    if (!choice || choice.field.base === 'list' || !hasOrder(choice.field)) return;
    narrow((keep ? isOneOf : isNoneOf)(choice.path, choice.field, [value]));
  };
  const selection: SelectionBody = { type: type.id, ...pickedPartsOf(draft) };
  const openSaved = (saved: SavedSelectionView): void => {
    const { type: to, filter, related, list, take, keys, drop } = saved.selection;
    change({
      ...everything,
      type: to,
      filter: filter ?? '',
      related: (related as Draft['related']) ?? null,
      list: list ?? null,
      take: (take as Draft['take']) ?? null,
      picked: keys ?? [],
      dropped: drop ?? [],
    });
    void navigate(`/records/${encodeURIComponent(to)}`);
  };
  return (
    <div className="flex h-full">
      <main className="flex min-w-0 flex-1 flex-col">
        <div className="space-y-2 px-4 py-2.5">
          <div className="flex items-center gap-2">
            <h1 className="sr-only">{type.label}</h1>
            <TypePicker
              type={type}
              types={types}
              onPick={(id) => void navigate(`/records/${encodeURIComponent(id)}`)}
            />
            <span className="min-w-0 flex-1 truncate text-quiet">{type.comment}</span>
            {type.key.length > 0 && (
              <>
                <Button onClick={() => setOpen({ paste: '' })}>
                  <ClipboardList className="size-4 text-quiet" aria-hidden="true" /> Paste a list
                </Button>
                <SavedMenu selection={selection} onOpen={openSaved} onOnlyIn={(name) => narrow(inSelection(name))} />
                <RelatedMenu
                  type={type}
                  types={types}
                  onGo={(to, related) => {
                    change({ ...everything, type: to, related: { of: selection, ...related } });
                    void navigate(`/records/${encodeURIComponent(to)}`);
                  }}
                />
                <TakeMenu take={draft.take} fields={fields} onTake={(take) => set({ take })} />
              </>
            )}
            <ColumnsMenu
              fields={fields}
              unreadable={type.unreadable}
              columns={chosen}
              onChange={(next) => setView({ columns: next.length > 0 ? next : usualColumns(type) })}
              onReset={() => setView({ columns: undefined, widths: undefined, sort: undefined })}
            />
            <ExportMenu
              type={type.id}
              parts={pickedPartsOf(draft)}
              columns={columns}
              sort={sort}
              printPage={`/records/${encodeURIComponent(type.id)}/print`}
            />
          </div>
          <SelectionLine
            type={type}
            draft={draft}
            explained={explained.data}
            failed={explained.isError}
            onChange={set}
            onOpenFilter={() => set({ filterOpen: true })}
            onOpenList={() => setOpen({ paste: '' })}
          />
          <FilterPanel
            type={type}
            fields={fields}
            filter={draft.filter}
            open={draft.filterOpen}
            onOpen={(filterOpen) => change({ filterOpen })}
            mode={draft.filterMode}
            onMode={(filterMode) => change({ filterMode })}
            onFilter={(filter) => set({ filter })}
            error={found.error}
          />
          <PinnedStrip
            type={type.id}
            parts={parts}
            pinned={pinned}
            onNarrow={narrow}
            onOpen={(c) => setOpen({ values: c.path })}
            onUnpin={(c) => setView({ pinned: view.pinned?.filter((p) => p !== c.path) })}
          />
          {type.notChangeable && type.notChangeable !== workspace.readOnly && (
            <p className="text-pending">{type.notChangeable}</p>
          )}
        </div>
        <div className="relative min-h-0 flex-1">
          {found.isPending ? (
            <Working what="Finding records" />
          ) : found.isError ? (
            <Empty title="The filter cannot be used as it is.">
              What is wrong is said above, beneath the filter. Nothing has been changed.
            </Empty>
          ) : isEmpty ? (
            <NothingMatched
              filter={draft.filter}
              explained={explained.data}
              onFilter={(filter) => set({ filter })}
              label={type.label}
            />
          ) : (
            <Grid
              type={type.id}
              nameField={type.nameField}
              columns={found.data.pages[0]!.columns}
              records={records}
              more={Boolean(found.hasNextPage)}
              onMore={onMore}
              sort={sort}
              onSort={(next) => setView({ sort: next })}
              // Old and new value side by side want room.
              widths={{ ...Object.fromEntries(edited.map((e) => [e, 250])), ...view.widths }}
              onWidth={(column, width) => setView({ widths: { ...view.widths, [column]: width } })}
              picks={{ picked: new Set(draft.picked), all: draft.allPicked, dropped: new Set(draft.dropped) }}
              onPick={(keys, on) => set(picked(draft, keys, on))}
              changes={changes}
              onSight={setSight}
              pickable={changeable}
              onValues={(column) => setOpen({ values: column })}
              onNarrow={narrowBy}
              onPaste={(text, at) => setOpen({ lines: text, at })}
            />
          )}
          <PickBar
            draft={draft}
            matching={explained.data?.afterTake ?? explained.data?.afterList ?? explained.data?.afterFilter}
            loaded={records}
            onChange={set}
          />
        </div>
      </main>
      {changeable && <JobPanel type={type} draft={draft} change={set} sample={sample} />}
      <ValuesDrawer
        type={type.id}
        parts={parts}
        choice={open && 'values' in open ? choiceOf(open.values) : null}
        fields={fields}
        pinned={open !== null && 'values' in open && (view.pinned ?? []).includes(open.values)}
        onPin={(on) => {
          const path = (open as { values: string }).values;
          const rest = (view.pinned ?? []).filter((p) => p !== path);
          setView({ pinned: on ? [...rest, path].slice(-3) : rest });
        }}
        onNarrow={narrow}
        onCounts={() => setOpen({ counts: true })}
        onCross={(path) => setOpen({ cross: { rows: (open as { values: string }).values, columns: path } })}
        onClose={() => setOpen(null)}
      />
      <CrossSheet
        type={type.id}
        parts={parts}
        crossed={open && 'cross' in open ? open.cross : null}
        fields={fields}
        onChange={(cross) => setOpen({ cross })}
        onCounts={() => setOpen({ counts: true })}
        onNarrow={narrow}
        onClose={() => setOpen(null)}
      />
      <CountsSheet open={open !== null && 'counts' in open} types={types} onClose={() => setOpen(null)} />
      <PasteSheet
        open={open !== null && 'paste' in open}
        text={open && 'paste' in open ? open.paste : undefined}
        type={type}
        types={types}
        fields={fields}
        onUse={(to, list) => {
          if (to === type.id) return set({ list });
          change({ ...everything, type: to, list });
          void navigate(`/records/${encodeURIComponent(to)}`);
        }}
        onClose={() => setOpen(null)}
      />
      <PastedLines
        pasted={open && 'lines' in open ? open : null}
        label={(column) => choiceOf(column)?.label ?? column}
        records={records}
        whyNot={(column) => whyNotPut(type, column)}
        onFind={(text) => setOpen({ paste: text })}
        onPut={(column, values) => {
          const edit = { kind: 'set', field: column, value: '', values } as const;
          set({
            edits: [...draft.edits.filter((e) => e.field && e.field !== column), edit],
            picked: Object.keys(values),
            allPicked: false,
            dropped: [],
            panel: true,
          });
          setOpen(null);
        }}
        onClose={() => setOpen(null)}
      />
    </div>
  );
}

function whyNotPut(type: TypeView, column: string): string | null {
  if (type.notChangeable !== null) return type.notChangeable;
  const field = type.fields.find((f) => f.name === column);
  if (!field) return 'Values are put into fields of the records themselves.';
  return field.notEditable && `Not changeable: ${field.notEditable}`;
}

/** What picking or dropping these makes of the draft. */
function picked(draft: Draft, keys: readonly string[], on: boolean): Partial<Draft> {
  const list = draft.allPicked ? draft.dropped : draft.picked;
  const into = draft.allPicked ? !on : on;
  const next = into ? [...new Set([...list, ...keys])] : list.filter((k) => !keys.includes(k));
  return draft.allPicked ? { dropped: next } : { picked: next };
}

function TypePicker({
  type,
  types,
  onPick,
}: {
  type: TypeView;
  types: readonly TypeSummary[];
  onPick: (id: string) => void;
}) {
  return (
    <Picker
      label="Type of record"
      shown={<span className="font-medium">{type.label}</span>}
      className="w-48"
      value={type.id}
      options={types.map((t) => ({
        id: t.id,
        label: t.label,
        more: t.comment ?? '',
        note: t.notReadable === null ? `about ${number(t.about)}` : null,
        not: t.notReadable,
      }))}
      onPick={onPick}
    />
  );
}

/** Name, owner, choices and dates first: about what fits on a screen. */
export function usualColumns(type: TypeView): string[] {
  const seen = type.fields.filter((f) => !f.hidden && f.kind !== 'other');
  const key = seen.filter((f) => f.kind === 'key').map((f) => f.name);
  const name = type.nameField ? [type.nameField] : [];
  const rest = seen.map((f) => f.name).filter((n) => !key.includes(n) && !name.includes(n));
  return [...key, ...name, ...rest].slice(0, 14);
}
