import type { TypeSummary, TypeView } from '@tantamos/contract';
import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/react-query';
import { useCallback, useMemo, useState } from 'react';
import { Navigate, useNavigate, useParams } from 'react-router';
import { api } from '../app/api';
import { Button, LinkButton } from '../components/Button';
import { counted, number } from '../components/format';
import { Picker } from '../components/Picker';
import { Empty, Trouble, Working } from '../components/states';
import { jobOf, noWork, useDraft } from '../job/draft';
import { JobPanel } from '../job/JobPanel';
import { useSample } from '../job/useSample';
import { ColumnsMenu } from './ColumnsMenu';
import { conditionsOf, joinConditions } from './conditions';
import { FilterText } from './FilterText';
import { Grid } from './Grid';
import { SelectionLine } from './SelectionLine';

export function RecordsPage() {
  const { type: id } = useParams();
  const { draft } = useDraft();
  const types = useQuery({ queryKey: ['types'], queryFn: api.types });
  const type = useQuery({ queryKey: ['type', id], queryFn: () => api.type(id!), enabled: id !== undefined });
  if (types.isPending || (id !== undefined && type.isPending)) return <Working what="Reading the types" />;
  if (!types.data) return <Trouble error={types.error} onRetry={() => void types.refetch()} />;
  if (id === undefined) {
    const first =
      types.data.find((t) => t.id === draft.type) ?? types.data.find((t) => t.notChangeable === null) ?? types.data[0];
    if (!first) return <Empty title="This database has no tables yet." />;
    return <Navigate to={`/records/${encodeURIComponent(first.id)}`} replace />;
  }
  if (!type.data) return <Trouble error={type.error} />;
  return <Records key={id} type={type.data} types={types.data} />;
}

function Records({ type, types }: { type: TypeView; types: readonly TypeSummary[] }) {
  const { draft: kept, change } = useDraft();
  const navigate = useNavigate();
  // A draft of another type is left alone until something is done on this one.
  const draft = kept.type === type.id ? kept : { ...kept, ...noWork, filter: '', sort: null };
  const set = useCallback(
    (next: Parameters<typeof change>[0]) =>
      change({ ...(kept.type === type.id ? {} : { ...noWork, filter: '', sort: null }), type: type.id, ...next }),
    [change, kept.type, type.id],
  );
  const chosen = draft.columns[type.id] ?? usualColumns(type);
  // A field that is being changed is in sight, chosen or not.
  const added = draft.panel ? draft.edits.flatMap((e) => (e.field && !chosen.includes(e.field) ? [e.field] : [])) : [];
  const columns = [...chosen.slice(0, 2), ...added, ...chosen.slice(2)];
  const found = useInfiniteQuery({
    queryKey: ['find', type.id, draft.filter, draft.sort, columns.join()],
    queryFn: ({ pageParam, signal }) =>
      api.find(
        type.id,
        {
          filter: draft.filter,
          columns: [...columns],
          sort: draft.sort ? [draft.sort] : undefined,
          limit: 100,
          after: pageParam,
        },
        signal,
      ),
    initialPageParam: undefined as string | undefined,
    getNextPageParam: (page) => page.next ?? undefined,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const records = useMemo(() => found.data?.pages.flatMap((p) => p.records) ?? [], [found.data]);
  const [sight, setSight] = useState<readonly string[]>([]);
  const job = jobOf(draft, type.id);
  const changeable = type.notChangeable === null;
  const sample = useSample(job, job.edits.length > 0 ? sight : [], changeable && !found.isError && draft.panel);
  const changes = useMemo(
    () => new Map((job.edits.length > 0 ? (sample.data?.rows ?? []) : []).map((r) => [r.key, r])),
    [sample.data, job.edits.length],
  );
  const picked = useMemo(() => new Set(draft.picked), [draft.picked]);
  const { fetchNextPage, isFetchingNextPage } = found;
  const onMore = useCallback(() => void (isFetchingNextPage || fetchNextPage()), [fetchNextPage, isFetchingNextPage]);
  const pick = (keys: readonly string[], on: boolean): void => {
    const next = new Set(picked);
    for (const key of keys)
      if (on) next.add(key);
      else next.delete(key);
    set({ picked: [...next] });
  };
  const loaded = new Set(records.map((r) => r.key));
  const unseen = draft.picked.filter((k) => !loaded.has(k)).length;
  return (
    <div className="flex h-full">
      <main className="flex min-w-0 flex-1 flex-col">
        <div className="space-y-2 px-4 py-2.5">
          <div className="flex items-center gap-3">
            <h1 className="sr-only">{type.label}</h1>
            <Picker
              label="Type of record"
              shown={<span className="font-medium">{type.label}</span>}
              className="w-56"
              value={type.id}
              options={types.map((t) => ({
                id: t.id,
                label: t.label,
                more: t.comment ?? '',
                note: `about ${number(t.about)}`,
              }))}
              onPick={(id) => void navigate(`/records/${encodeURIComponent(id)}`)}
            />
            <span className="truncate text-quiet">{type.comment}</span>
            <span className="ml-auto" />
            <ColumnsMenu
              type={type}
              columns={chosen}
              onChange={(next) =>
                change({ columns: { ...kept.columns, [type.id]: next.length > 0 ? next : usualColumns(type) } })
              }
            />
          </div>
          <SelectionLine
            type={type}
            filter={draft.filter}
            picked={draft.picked.length}
            onFilter={(filter) => set({ filter })}
            onClearPicked={() => set({ picked: [] })}
            onOpen={() => document.querySelector<HTMLElement>('textarea')?.focus()}
          />
          <FilterText
            filter={draft.filter}
            onApply={(filter) => set({ filter })}
            error={found.error}
            example={exampleFor(type)}
          />
          {type.notChangeable && <p className="text-pending">{type.notChangeable}</p>}
        </div>
        <div className="relative min-h-0 flex-1">
          {found.isPending ? (
            <Working what="Finding records" />
          ) : found.isError ? (
            <Empty title="The filter cannot be used as it is.">
              What is wrong is said above, beneath the text. Nothing has been changed.
            </Empty>
          ) : records.length === 0 ? (
            <NothingMatched filter={draft.filter} onFilter={(filter) => set({ filter })} label={type.label} />
          ) : (
            <Grid
              type={type.id}
              nameField={type.nameField}
              columns={found.data.pages[0]!.columns}
              records={records}
              more={Boolean(found.hasNextPage)}
              onMore={onMore}
              sort={draft.sort}
              onSort={(sort) => set({ sort })}
              picked={picked}
              onPick={pick}
              changes={changes}
              onSight={setSight}
              pickable={changeable}
            />
          )}
          {draft.picked.length > 0 && (
            <div
              role="status"
              className="absolute bottom-3 left-1/2 flex -translate-x-1/2 items-center gap-3 rounded border border-line-strong bg-sheet px-3 py-1.5 shadow-lg"
            >
              <span>
                {counted(draft.picked.length, 'record')} picked{unseen > 0 && ` (${number(unseen)} not in sight)`}
              </span>
              <Button onClick={() => set({ panel: true })}>Change…</Button>
              <LinkButton onClick={() => set({ picked: [] })}>Clear</LinkButton>
            </div>
          )}
        </div>
      </main>
      {changeable && <JobPanel type={type} draft={draft} change={set} sample={sample} />}
    </div>
  );
}

/** Which condition emptied the set: one click takes it away. */
function NothingMatched({
  filter,
  onFilter,
  label,
}: {
  filter: string;
  onFilter: (filter: string) => void;
  label: string;
}) {
  const conditions = conditionsOf(filter);
  return (
    <Empty title={`No ${label.toLowerCase()} match.`}>
      {conditions.length > 0 && (
        <>
          <p>The line above shows where the count reaches 0. Leave one condition out:</p>
          <ul className="mt-2 space-y-1">
            {conditions.map((c, i) => (
              <li key={i}>
                <LinkButton
                  className="font-mono text-xs"
                  onClick={() => onFilter(joinConditions(conditions.filter((_, j) => j !== i)))}
                >
                  {c}
                </LinkButton>
              </li>
            ))}
          </ul>
        </>
      )}
    </Empty>
  );
}

/** Name, owner, choices and dates first: about what fits on a screen. */
function usualColumns(type: TypeView): string[] {
  const seen = type.fields.filter((f) => !f.hidden && f.kind !== 'other');
  const key = seen.filter((f) => f.kind === 'key').map((f) => f.name);
  const name = type.nameField ? [type.nameField] : [];
  const rest = seen.map((f) => f.name).filter((n) => !key.includes(n) && !name.includes(n));
  return [...key, ...name, ...rest].slice(0, 14);
}

function exampleFor(type: TypeView): string {
  const choice = type.fields.find((f) => f.choices && f.choices.length > 0);
  const owner = type.fields.find((f) => type.ownerFields.includes(f.name));
  const parts = [
    choice && `${choice.name} = '${choice.choices![0]!.value}'`,
    owner && `${owner.name} = 'First Last'`,
  ].filter(Boolean);
  return parts.length > 0 ? `for example: ${parts.join(' AND ')}` : "a condition, such as name LIKE 'A%'";
}
