import type { Found, TypeSummary, TypeView } from '@tantamos/contract';
import { hasOrder, type Expression } from '@tantamos/core';
import { useQuery } from '@tanstack/react-query';
import { lazy, Suspense, useState } from 'react';
import { useNavigate } from 'react-router';
import { usePerson } from '../app/session';
import { Empty, Working } from '../components/states';
import { CellsBar } from '../grid/CellsBar';
import { useEditing } from '../grid/useEditing';
import { everything, partsOf, pickedPartsOf, type Draft } from '../job/draft';
import { JobPanel } from '../job/JobPanel';
import type { Changes } from '../job/OpenPanel';
import { useDraftOf } from '../job/useDraftOf';
import { queries } from '../queries';
import { Bar } from './Bar';
import { usualColumns } from './columns';
import { isNoneOf, isOneOf, narrowed } from './conditions';
import { useFields, type FieldChoice } from './fields';
import { FilterPanel } from './FilterPanel';
import { Grid } from './Grid';
import { PickBar } from './PickBar';
import { PinnedStrip } from './PinnedStrip';
import { SelectionLine } from './SelectionLine';
import type { Open } from './Sheets';
import { useFound } from './useFound';

// Read when there is nothing to show, or when the first of them is opened.
const NothingMatched = lazy(async () => ({ default: (await import('./NothingMatched')).NothingMatched }));
const SeveralForm = lazy(() => import('../grid/SeveralForm'));
const Sheets = lazy(async () => ({ default: (await import('./Sheets')).Sheets }));

const noChanges: Changes = new Map();
const noColumns: Found['columns'] = [];

/** The records of a type: which, in what look, and beside them the job that would change them. */
export function Records({ type, types }: { type: TypeView; types: readonly TypeSummary[] }) {
  const { draft, set, change, view, setView } = useDraftOf(type.id);
  const { workspace } = usePerson();
  const navigate = useNavigate();
  const fields = useFields(type);
  const [open, setOpen] = useState<Open | null>(null);
  const [everOpen, setEverOpen] = useState(false);
  const [ofSeveral, setOfSeveral] = useState(false);
  if (open && !everOpen) setEverOpen(true);
  const chosen = view.columns ?? usualColumns(type);
  // What is being changed is in sight, chosen or not; a list in a table of links is no column.
  const isColumn = (name: string | undefined): name is string => type.fields.some((f) => f.name === name);
  const edited = draft.panel ? [...new Set(draft.edits.map((e) => e.field).filter(isColumn))] : [];
  const others = chosen.filter((c) => !edited.includes(c));
  const columns = edited.length > 0 ? [...others.slice(0, 2), ...edited, ...others.slice(2)] : chosen;
  const sort = view.sort ?? [];
  const parts = partsOf(draft);
  const { found, records, onMore } = useFound(type.id, parts, columns, sort);
  const isEmpty = found.isSuccess && records.length === 0;
  const explained = useQuery(queries.explained(type.id, pickedPartsOf(draft), isEmpty));
  const [sight, setSight] = useState<readonly string[]>([]);
  const changeable = type.notChangeable === null;
  const [changes, setChanges] = useState<Changes>(noChanges);
  const [unfolded, setUnfolded] = useState(false);
  const unfold = (filter?: string): void => {
    setUnfolded(true);
    set({ panel: true, ...(filter === undefined ? {} : { filter }) });
  };
  const pinned = (view.pinned ?? []).flatMap((p) => fields.find((f) => f.path === p) ?? []);
  const narrow = (condition: Expression): void => set({ filter: narrowed(draft.filter, condition) });
  const matching = explained.data?.afterTake ?? explained.data?.afterList ?? explained.data?.afterFilter;
  const { editing, cells, left, paste } = useEditing({
    type,
    draft,
    set,
    columns: found.data?.pages[0]!.columns ?? noColumns,
    records,
    sight,
    loadedAt: found.dataUpdatedAt,
    matching,
  });
  const nameAt = found.data?.pages[0]!.columns.findIndex((c) => c.name === type.nameField) ?? -1;
  const nameOf = (key: string): string | null => records.find((r) => r.key === key)?.values[nameAt]?.value ?? null;
  const choiceOf = (path: string): FieldChoice | null => fields.find((f) => f.path === path) ?? null;
  const narrowBy = (column: string, value: string | null, keep: boolean): void => {
    const choice = choiceOf(column);
    if (!choice || choice.field.base === 'list' || !hasOrder(choice.field)) return;
    narrow((keep ? isOneOf : isNoneOf)(choice.path, choice.field, [value]));
  };
  const go = (to: string, start: Partial<Draft>): void => {
    change({ ...everything, type: to, ...start });
    void navigate(`/records/${encodeURIComponent(to)}`);
  };
  return (
    <div className="flex h-full">
      <main className="flex min-w-0 flex-1 flex-col">
        <div className="space-y-2 px-4 py-2.5">
          <Bar
            type={type}
            types={types}
            fields={fields}
            draft={draft}
            view={view}
            columns={columns}
            chosen={chosen}
            onChange={set}
            onView={setView}
            onPaste={() => setOpen({ paste: '' })}
            onFile={() => setOpen({ file: true })}
            onNew={() => setOpen({ made: true })}
            onNarrow={narrow}
            onGo={go}
          />
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
            onGoOn={unfold}
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
            <Suspense fallback={null}>
              <NothingMatched
                filter={draft.filter}
                explained={explained.data}
                onFilter={(filter) => set({ filter })}
                label={type.label}
              />
            </Suspense>
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
              onPaste={(text, at) =>
                // Lines may be a list to look for: it is asked. Cells beside each other, or one alone, are cells.
                /[\r\n]/.test(text.trim()) && !text.includes('\t') ? setOpen({ lines: text, at }) : void paste(text, at)
              }
              editing={changeable ? editing : null}
            />
          )}
          <PickBar
            draft={draft}
            matching={matching}
            loaded={records}
            onChange={set}
            onFields={changeable ? () => setOfSeveral(true) : null}
          />
        </div>
        <CellsBar type={type} records={records} nameOf={nameOf} cells={cells} left={left} />
      </main>
      {changeable && (
        <JobPanel
          type={type}
          fields={fields}
          draft={draft}
          change={set}
          sight={sight}
          found={!found.isError}
          look={view}
          unfolded={unfolded}
          onUnfold={() => unfold()}
          onChanges={setChanges}
        />
      )}
      {ofSeveral && (
        <Suspense fallback={null}>
          <SeveralForm
            type={type}
            draft={draft}
            records={records}
            matching={matching}
            set={set}
            onNow={(job) => cells.change.mutate(job)}
            onClose={() => setOfSeveral(false)}
          />
        </Suspense>
      )}
      {everOpen && (
        <Suspense fallback={null}>
          <Sheets
            type={type}
            types={types}
            fields={fields}
            records={records}
            parts={parts}
            draft={draft}
            pinned={view.pinned ?? []}
            open={open}
            onOpen={setOpen}
            onPins={(next) => setView({ pinned: next })}
            onNarrow={narrow}
            onChange={set}
            onGo={go}
          />
        </Suspense>
      )}
    </div>
  );
}

/** What picking or dropping these makes of the draft. */
function picked(draft: Draft, keys: readonly string[], on: boolean): Partial<Draft> {
  const list = draft.allPicked ? draft.dropped : draft.picked;
  const into = draft.allPicked ? !on : on;
  const next = into ? [...new Set([...list, ...keys])] : list.filter((k) => !keys.includes(k));
  return draft.allPicked ? { dropped: next } : { picked: next };
}
