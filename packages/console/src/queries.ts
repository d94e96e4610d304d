import type {
  ChangesQuery,
  CrossBody,
  FilePlanBody,
  FileRowsQuery,
  Found,
  FoundRecord,
  JobBody,
  JournalPick,
  JournalQuery,
  ListPageQuery,
  PasteBody,
  RecheckView,
  SelectionParts,
  TypeView,
} from '@tantamos/contract';
import { isOver } from '@tantamos/core';
import { infiniteQueryOptions, keepPreviousData, queryOptions } from '@tanstack/react-query';
import { api } from './app/api';

// Everything the console reads, once: under which key it is kept, and how it is fetched. What changes something calls the
// service where it is pressed, and says with these keys what is to be read anew.

const firstPage = undefined as string | undefined;
const byText = (thing: unknown): string => JSON.stringify(thing);

export const queries = {
  me: () => queryOptions({ queryKey: ['me'], queryFn: () => api.me(), staleTime: Infinity }),
  mySessions: () => queryOptions({ queryKey: ['sessions'], queryFn: () => api.sessions(), staleTime: 0 }),
  accounts: () => queryOptions({ queryKey: ['accounts'], queryFn: () => api.accounts(), staleTime: 0 }),
  wrongPasswords: () =>
    queryOptions({ queryKey: ['wrong-passwords'], queryFn: () => api.wrongPasswords(), staleTime: 0 }),
  accountSessions: (id: string) =>
    queryOptions({ queryKey: ['accounts', id, 'sessions'], queryFn: () => api.accountSessions(id), staleTime: 0 }),
  roles: () => queryOptions({ queryKey: ['roles'], queryFn: () => api.roles() }),
  rights: () => queryOptions({ queryKey: ['rights'], queryFn: () => api.rights(), staleTime: 0 }),
  may: (login: string) => queryOptions({ queryKey: ['may', login], queryFn: () => api.may(login), staleTime: 0 }),

  /** What all questions about rules begin with. */
  aboutRules: ['rules'] as const,
  /** All rules, or those of a type. */
  rules: (type?: string) =>
    queryOptions({
      queryKey: ['rules', type ?? null],
      queryFn: () => api.rules({ type }),
      staleTime: 10_000,
      // What is being counted again is asked for until it is there.
      refetchInterval: (q) => (q.state.data?.some((r) => r.stale) ? 3000 : false),
    }),
  ruleVersions: (name: string) =>
    queryOptions({ queryKey: ['rules', 'versions', name], queryFn: () => api.ruleVersions(name), staleTime: 0 }),

  savedJobs: () => queryOptions({ queryKey: ['saved-jobs'], queryFn: () => api.savedJobs(), staleTime: 10_000 }),
  savedJobVersions: (name: string) =>
    queryOptions({ queryKey: ['saved-job-versions', name], queryFn: () => api.savedJobVersions(name), staleTime: 0 }),
  /** The values that stand in a job. */
  constants: (job: JobBody) =>
    queryOptions({ queryKey: ['constants', byText(job)], queryFn: () => api.constants(job), staleTime: Infinity }),

  typeSettings: (id: string) =>
    queryOptions({ queryKey: ['type-settings', id], queryFn: () => api.typeSettings(id), staleTime: 0 }),
  settingChanges: () =>
    queryOptions({ queryKey: ['setting-changes'], queryFn: () => api.settingChanges(), staleTime: 0 }),
  types: () => queryOptions({ queryKey: ['types'], queryFn: () => api.types() }),
  type: (id: string) => queryOptions({ queryKey: ['type', id], queryFn: () => api.type(id), staleTime: 60_000 }),
  functions: () => queryOptions({ queryKey: ['functions'], queryFn: () => api.functions(), staleTime: Infinity }),

  record: (type: string, key: string) =>
    queryOptions({ queryKey: ['record', type, key], queryFn: () => api.record(type, key), staleTime: 0 }),
  history: (type: string, key: string) =>
    queryOptions({ queryKey: ['history', type, key], queryFn: () => api.history(type, key), staleTime: 0 }),
  pointers: (type: string, key: string) =>
    queryOptions({ queryKey: ['pointers', type, key], queryFn: () => api.pointers(type, key) }),
  handover: (type: string, person: string) =>
    queryOptions({
      queryKey: ['handover', type, person],
      queryFn: ({ signal }) => api.handover(type, person, { signal }),
      staleTime: 0,
    }),
  lookup: (type: string, q: string) =>
    queryOptions({
      queryKey: ['lookup', type, q],
      queryFn: ({ signal }) => api.lookup(type, { q }, { signal }),
      placeholderData: keepPreviousData,
    }),

  /** Records by name, for choosing one: `filter` narrows them, `columns` are key, name and what tells namesakes apart. */
  names: (type: string, filter: string, columns: readonly string[], limit: number) =>
    queryOptions({
      queryKey: ['names', type, filter, limit],
      queryFn: ({ signal }) =>
        api.search(type, { filter, columns: [...columns], sort: [columns[1]!], limit }, { signal }),
      placeholderData: keepPreviousData,
    }),
  /** What all questions about which records of a type there are begin with. */
  aboutFound: (type: string) => ['find', type] as const,
  found: (type: string, parts: SelectionParts, columns: readonly string[], sort: readonly string[]) =>
    infiniteQueryOptions({
      queryKey: ['find', type, byText(parts), sort.join(), columns.join()],
      queryFn: ({ pageParam: after, signal }) =>
        api.search(
          type,
          { ...parts, columns: [...columns], sort: sort.length > 0 ? [...sort] : undefined, limit: 100, after },
          { signal },
        ),
      initialPageParam: firstPage,
      getNextPageParam: (page) => page.next ?? undefined,
      placeholderData: keepPreviousData,
      retry: false,
    }),
  aboutPresent: (type: string) => ['present', type] as const,
  /** These records as they are now: who looks at them hears of others' work. */
  present: (type: string, columns: readonly string[], keys: readonly string[]) =>
    queryOptions({
      queryKey: ['present', type, columns.join(), byText(keys)],
      queryFn: ({ signal }) =>
        api.search(type, { keys: [...keys], columns: [...columns], limit: 500, count: 'none' }, { signal }),
      staleTime: 0,
      gcTime: 0,
      retry: false,
    }),
  explained: (type: string, parts: SelectionParts, near: boolean) =>
    queryOptions({
      queryKey: ['explain', type, byText(parts), near],
      queryFn: ({ signal }) => api.explain(type, { ...parts, near }, { signal }),
      retry: false,
    }),
  values: (
    type: string,
    parts: SelectionParts,
    asked: { fields: string[]; most: number; search?: string; ranges?: boolean },
  ) =>
    queryOptions({
      queryKey: ['values', type, byText(parts), byText(asked)],
      queryFn: ({ signal }) => api.values(type, { ...parts, ...asked }, { signal }),
      placeholderData: keepPreviousData,
    }),
  crossed: (type: string, parts: SelectionParts, crossed: Pick<CrossBody, 'rows' | 'columns'> | null) =>
    queryOptions({
      queryKey: ['cross', type, byText(parts), crossed],
      queryFn: ({ signal }) => api.cross(type, { ...parts, ...crossed! }, { signal }),
      enabled: crossed !== null,
      placeholderData: keepPreviousData,
    }),

  /** A selection for paper: what narrows it, and its records up to `most`. */
  printed: (
    id: string,
    parts: SelectionParts,
    columnsOf: (type: TypeView) => readonly string[],
    sort: readonly string[],
    most: number,
  ) =>
    queryOptions({
      queryKey: ['print', id, byText(parts), sort.join()],
      staleTime: 0,
      queryFn: async ({ signal }) => {
        const type = await api.type(id);
        const columns = [...columnsOf(type)];
        const explained = await api.explain(id, parts, { signal });
        const records: FoundRecord[] = [];
        let after: string | undefined;
        let heads: Found['columns'] = [];
        do {
          const body = { ...parts, columns, sort: sort.length > 0 ? [...sort] : undefined, limit: 1000, after };
          const found = await api.search(id, body, { signal });
          heads = found.columns;
          records.push(...found.records);
          after = found.next ?? undefined;
        } while (after !== undefined && records.length < most);
        return { type, explained, records: records.slice(0, most), heads };
      },
    }),

  pasted: (asked: string) =>
    queryOptions({
      queryKey: ['paste', asked],
      queryFn: ({ signal }) => api.paste(JSON.parse(asked) as PasteBody, { signal }),
      placeholderData: keepPreviousData,
      staleTime: Infinity,
      retry: false,
    }),
  fileGuess: (id: string, type: string) =>
    queryOptions({ queryKey: ['file-guess', id, type], queryFn: () => api.guessPlan(id, type), staleTime: Infinity }),
  /** `plan`: as text. */
  filePlan: (id: string, plan: string) =>
    queryOptions({
      queryKey: ['file-plan', id, plan],
      queryFn: ({ signal }) => api.planFile(id, JSON.parse(plan) as FilePlanBody, { signal }),
      placeholderData: keepPreviousData,
      // What became of the rows is that of the last plan: a plan that is gone back to is worked out again.
      staleTime: 0,
      gcTime: 0,
      retry: false,
    }),
  fileRows: (id: string, of: FileRowsQuery['of'], plan: string) =>
    infiniteQueryOptions({
      queryKey: ['file-rows', id, of, plan],
      queryFn: ({ pageParam: after }) => api.fileRows(id, { of, limit: 100, after }),
      initialPageParam: undefined as number | undefined,
      getNextPageParam: (page) => page.next ?? undefined,
      staleTime: 0,
    }),
  listLines: (id: string, of: ListPageQuery['of']) =>
    infiniteQueryOptions({
      queryKey: ['list-lines', id, of],
      queryFn: ({ pageParam: after }) => api.listLines(id, { of, limit: 100, after }),
      initialPageParam: undefined as number | undefined,
      getNextPageParam: (page) => page.next ?? undefined,
    }),

  newestRuns: () =>
    queryOptions({ queryKey: ['runs', 'newest'], queryFn: () => api.runs({ limit: 20 }), staleTime: 0 }),
  selections: () => queryOptions({ queryKey: ['selections'], queryFn: () => api.selections() }),
  presets: () => queryOptions({ queryKey: ['presets'], queryFn: () => api.presets(), staleTime: 10_000 }),
  counts: () => queryOptions({ queryKey: ['counts'], queryFn: () => api.keptCounts(), staleTime: 0 }),
  comparedCounts: (id: string) =>
    queryOptions({ queryKey: ['counts', id], queryFn: () => api.compareCounts(id), staleTime: 0 }),

  drafts: () => queryOptions({ queryKey: ['drafts'], queryFn: () => api.drafts(), staleTime: 0 }),
  draft: (id: string) => queryOptions({ queryKey: ['draft', id], queryFn: () => api.draft(id), staleTime: 0 }),
  formulaSteps: (type: string, key: string, formula: string) =>
    queryOptions({
      queryKey: ['steps', type, key, formula],
      queryFn: ({ signal }) => api.formulaSteps({ type, key, formula }, { signal }),
      staleTime: 0,
      retry: false,
    }),
  /** `asked`: the job and the keys in sight, as text. */
  sample: (asked: string) =>
    queryOptions({
      queryKey: ['sample', asked],
      queryFn: async ({ signal }) => {
        const { job: text, keys } = JSON.parse(asked) as { job: string; keys: string[] };
        return { of: text, view: await api.sample({ job: JSON.parse(text) as JobBody, keys }, { signal }) };
      },
      placeholderData: keepPreviousData,
      retry: false,
    }),

  previews: () => queryOptions({ queryKey: ['previews'], queryFn: () => api.previews(), staleTime: 0 }),
  preview: (id: string) => queryOptions({ queryKey: ['preview', id], queryFn: () => api.preview(id) }),
  /** `cause`: only those that are not allowed for this reason. */
  previewRecords: (id: string, outcome: JournalQuery['outcome'], cause?: string) =>
    infiniteQueryOptions({
      queryKey: ['preview', id, 'records', outcome, cause],
      queryFn: ({ pageParam: after }) => api.previewRecords(id, { outcome, cause, after, limit: 100 }),
      initialPageParam: firstPage,
      getNextPageParam: (page) => page.next ?? undefined,
    }),

  previewPicks: (id: string, pick: JournalPick, field: string) =>
    queryOptions({
      queryKey: ['preview', id, 'picks', pick, field],
      queryFn: ({ signal }) => api.previewRecords(id, { pick, field, limit: 50 }, { signal }),
      staleTime: Infinity,
    }),
  previewDifferences: (id: string, earlier: string) =>
    queryOptions({
      queryKey: ['preview', id, 'differences', earlier],
      queryFn: ({ signal }) => api.previewDifferences(id, { with: earlier }, { signal }),
      staleTime: Infinity,
      retry: false,
    }),

  runs: (pageSize: number) =>
    infiniteQueryOptions({
      queryKey: ['runs'],
      queryFn: ({ pageParam: before }) => api.runs({ limit: pageSize, before }),
      initialPageParam: firstPage,
      getNextPageParam: (page) => (page.length === pageSize ? page.at(-1)!.startedAt : undefined),
      staleTime: 0,
      refetchInterval: (query) => (query.state.data?.pages[0]?.some((r) => !isOver(r.state)) ? 2000 : false),
    }),
  run: (id: string) => queryOptions({ queryKey: ['run', id], queryFn: () => api.run(id) }),
  /** `state`: read anew when it becomes another. `cause`: only those left for this reason. */
  runRecords: (id: string, outcome: JournalQuery['outcome'], state: unknown, cause?: string) =>
    infiniteQueryOptions({
      queryKey: ['run', id, 'records', outcome, state, cause],
      queryFn: ({ pageParam: after }) => api.runRecords(id, { outcome, cause, after, limit: 100 }),
      initialPageParam: firstPage,
      getNextPageParam: (page) => page.next ?? undefined,
    }),
  runBatches: (id: string, state: unknown) =>
    queryOptions({
      queryKey: ['run', id, 'batches', state],
      queryFn: () => api.runBatches(id),
      placeholderData: keepPreviousData,
    }),
  runCauses: (id: string, state: unknown) =>
    queryOptions({
      queryKey: ['run', id, 'causes', state],
      queryFn: () => api.runCauses(id),
      placeholderData: keepPreviousData,
    }),
  runCourse: (id: string, state: unknown) =>
    queryOptions({
      queryKey: ['run', id, 'course', state],
      queryFn: () => api.runCourse(id),
      placeholderData: keepPreviousData,
    }),
  runLog: (id: string, state: unknown) =>
    queryOptions({
      queryKey: ['run', id, 'log', state],
      queryFn: () => api.runLog(id),
      placeholderData: keepPreviousData,
    }),
  /** The fields that it changed, as its first record tells. */
  changedFields: (id: string) =>
    queryOptions({
      queryKey: ['run', id, 'fields'],
      queryFn: async () => {
        const { records } = await api.runRecords(id, { outcome: 'changed', limit: 1 });
        const [first] = records;
        return first?.act === 'update' ? first.changes.map(({ field, label }) => ({ field, label })) : [];
      },
    }),
  /** Counted anew whenever it is asked for, and asked again for more until all are counted. */
  recheck: (id: string) =>
    queryOptions({
      queryKey: ['run', id, 'recheck'],
      queryFn: ({ client, queryKey, signal }) => {
        const going = client.getQueryData<RecheckView>(queryKey);
        return api.recheckRun(id, going?.at === null ? { on: going.id } : {}, { signal });
      },
      refetchInterval: ({ state: { data, status } }) => (status === 'success' && data?.at === null ? 50 : false),
      // It goes on while the person looks at something else, and begins again only when it is asked to.
      refetchIntervalInBackground: true,
      refetchOnWindowFocus: false,
      staleTime: 0,
      gcTime: 0,
      retry: false,
    }),
  changes: (query: Omit<ChangesQuery, 'after' | 'limit'>) =>
    infiniteQueryOptions({
      queryKey: ['changes', query],
      queryFn: ({ pageParam: after, signal }) => api.changes({ ...query, after, limit: 30 }, { signal }),
      initialPageParam: firstPage,
      getNextPageParam: (page) => page.next ?? undefined,
      staleTime: 0,
      retry: false,
    }),
} as const;
