import * as b from './bodies';

export type Method = 'get' | 'post' | 'put' | 'patch' | 'delete';
type Class = new () => object;

/** One call of the interface. The service registers it, the OpenAPI document describes it, from this one place. */
export interface Route {
  readonly method: Method;
  readonly path: string;
  readonly summary: string;
  /** Name of the answer's shape, for the document. */
  readonly answer: string;
  readonly status?: number;
  readonly body?: Class;
  readonly query?: Class;
  /** Open to everyone; all others need a session. */
  readonly open?: true;
  /** Takes `Idempotency-Key`: saying it twice does it once. */
  readonly startsWork?: true;
  /** Also answers server-sent events, CSV or JSON Lines. */
  readonly media?: readonly string[];
}

const route = <R extends Route>(r: R): R => r;

export const routes = {
  health: route({
    method: 'get',
    path: '/api/health',
    summary: 'Is the service up, and does its database answer?',
    answer: 'Health',
    open: true,
  }),
  signIn: route({
    method: 'post',
    path: '/api/sessions',
    summary: 'Sign in',
    answer: 'SignedIn',
    body: b.SignInBody,
    open: true,
  }),
  signOut: route({
    method: 'delete',
    path: '/api/sessions/current',
    summary: 'Sign out',
    answer: 'nothing',
    status: 204,
  }),
  me: route({ method: 'get', path: '/api/me', summary: 'Who am I?', answer: 'Me' }),
  accounts: route({ method: 'get', path: '/api/accounts', summary: 'All accounts', answer: 'Account[]' }),
  addAccount: route({
    method: 'post',
    path: '/api/accounts',
    summary: 'Add an account',
    answer: 'Account',
    status: 201,
    body: b.AccountBody,
  }),
  workspace: route({
    method: 'patch',
    path: '/api/workspace',
    summary: 'Change the settings of the workspace',
    answer: 'Workspace',
    body: b.WorkspaceBody,
  }),
  settle: route({
    method: 'post',
    path: '/api/at-home',
    summary: 'Say that a copy of a database is at home here now: what was under way in it is paused, and work goes on',
    answer: 'Workspace',
  }),
  detach: route({
    method: 'post',
    path: '/api/detach',
    summary: 'Take Tantamos away from its database: its schema is dropped, records stay as they are, the service ends',
    answer: 'nothing',
    status: 204,
    body: b.DetachBody,
  }),
  types: route({ method: 'get', path: '/api/types', summary: 'All record types', answer: 'TypeSummary[]' }),
  type: route({
    method: 'get',
    path: '/api/types/:type',
    summary: 'One type with its fields, rules and triggers',
    answer: 'TypeView',
  }),
  setType: route({
    method: 'patch',
    path: '/api/types/:type',
    summary: 'Change the settings of a type',
    answer: 'TypeView',
    body: b.TypeSettingsBody,
  }),
  setField: route({
    method: 'patch',
    path: '/api/types/:type/fields/:field',
    summary: 'Change the settings of a field',
    answer: 'TypeView',
    body: b.FieldSettingsBody,
  }),
  find: route({
    method: 'get',
    path: '/api/types/:type/records',
    summary: 'Find records',
    answer: 'Found',
    query: b.FindBody,
  }),
  search: route({
    method: 'post',
    path: '/api/types/:type/search',
    summary: 'Find records, with a filter of any length',
    answer: 'Found',
    body: b.FindBody,
  }),
  record: route({ method: 'get', path: '/api/types/:type/records/:key', summary: 'One record', answer: 'RecordView' }),
  history: route({
    method: 'get',
    path: '/api/types/:type/records/:key/history',
    summary: 'What runs did to one record',
    answer: 'HistoryView[]',
  }),
  lookup: route({
    method: 'get',
    path: '/api/types/:type/lookup',
    summary: 'Records by part of their name, for choosing one',
    answer: 'LookedUp[]',
    query: b.LookupQuery,
  }),
  pointers: route({
    method: 'get',
    path: '/api/types/:type/records/:key/pointers',
    summary: 'Everything that points at one record, by type and field, counted',
    answer: 'PointerView[]',
  }),
  values: route({
    method: 'post',
    path: '/api/types/:type/values',
    summary: 'The values of fields and how often each occurs',
    answer: 'FieldValues[]',
    body: b.ValuesBody,
  }),
  cross: route({
    method: 'post',
    path: '/api/types/:type/cross',
    summary: 'Two fields crossed: how often each pair of values occurs',
    answer: 'Crossed',
    body: b.CrossBody,
  }),
  explain: route({
    method: 'post',
    path: '/api/types/:type/explain',
    summary: 'How each part of a selection narrows it',
    answer: 'Explained',
    body: b.ExplainBody,
  }),
  exportRecords: route({
    method: 'post',
    path: '/api/types/:type/export',
    summary: 'All selected records as a file, streamed; their number is in the header Tantamos-Records',
    answer: 'the file',
    body: b.ExportBody,
    media: ['text/csv', 'application/jsonl', 'application/vnd.openxmlformats-officedocument.spreadsheetml.sheet'],
  }),
  paste: route({
    method: 'post',
    path: '/api/lists',
    summary: 'Match a pasted list with records',
    answer: 'ListReportView',
    status: 201,
    body: b.PasteBody,
  }),
  list: route({
    method: 'get',
    path: '/api/lists/:id',
    summary: 'The report of a pasted list',
    answer: 'ListReportView',
  }),
  listLines: route({
    method: 'get',
    path: '/api/lists/:id/lines',
    summary: 'Its lines, by what became of them',
    answer: 'ListPage',
    query: b.ListPageQuery,
    media: ['text/csv'],
  }),
  chooseInList: route({
    method: 'put',
    path: '/api/lists/:id/choices',
    summary: 'Which records an entry means, where several fit',
    answer: 'ListReportView',
    body: b.ListChoicesBody,
  }),
  selections: route({
    method: 'get',
    path: '/api/selections',
    summary: 'Saved selections: mine and those open to all',
    answer: 'SavedSelectionView[]',
  }),
  saveSelection: route({
    method: 'post',
    path: '/api/selections',
    summary: 'Save a selection under a name, or a new version of it',
    answer: 'SavedSelectionView',
    status: 201,
    body: b.SavedSelectionBody,
  }),
  savedSelection: route({
    method: 'get',
    path: '/api/selections/:name',
    summary: 'One saved selection',
    answer: 'SavedSelectionView',
  }),
  selectionVersions: route({
    method: 'get',
    path: '/api/selections/:name/versions',
    summary: 'Its versions, newest first',
    answer: 'SavedVersionView[]',
  }),
  countSelection: route({
    method: 'post',
    path: '/api/selections/:name/count',
    summary: 'Count its records now; the count stays with it',
    answer: 'SavedSelectionView',
  }),
  dropSelection: route({
    method: 'delete',
    path: '/api/selections/:name',
    summary: 'Delete a saved selection',
    answer: 'nothing',
    status: 204,
  }),
  exportSelections: route({
    method: 'get',
    path: '/api/selections-file',
    summary: 'All saved selections as a file, filters in CQL2 JSON',
    answer: 'the file',
  }),
  importSelections: route({
    method: 'post',
    path: '/api/selections-file',
    summary: 'Take saved selections from a file',
    answer: 'SavedSelectionView[]',
    body: b.ImportBody,
  }),
  keptCounts: route({
    method: 'get',
    path: '/api/counts',
    summary: 'Counts that were kept',
    answer: 'KeptCountsView[]',
  }),
  keepCounts: route({
    method: 'post',
    path: '/api/counts',
    summary: 'Count values and keep the counts',
    answer: 'KeptCountsView',
    status: 201,
    body: b.KeepCountsBody,
  }),
  compareCounts: route({
    method: 'get',
    path: '/api/counts/:id',
    summary: 'Kept counts beside those of now',
    answer: 'ComparedCounts',
  }),
  dropCounts: route({
    method: 'delete',
    path: '/api/counts/:id',
    summary: 'Forget kept counts',
    answer: 'nothing',
    status: 204,
  }),
  functions: route({
    method: 'get',
    path: '/api/functions',
    summary: 'Every function of the expression language',
    answer: 'FunctionView[]',
  }),
  sample: route({
    method: 'post',
    path: '/api/jobs/sample',
    summary: 'A job not yet frozen: sentence, exact counts, rows in sight',
    answer: 'SampleView',
    body: b.SampleBody,
  }),
  draft: route({ method: 'get', path: '/api/draft', summary: 'My unfinished job', answer: 'Draft' }),
  keepDraft: route({
    method: 'put',
    path: '/api/draft',
    summary: 'Keep my unfinished job',
    answer: 'Draft',
    body: b.DraftBody,
  }),
  dropDraft: route({
    method: 'delete',
    path: '/api/draft',
    summary: 'Drop my unfinished job',
    answer: 'nothing',
    status: 204,
  }),
  previews: route({
    method: 'get',
    path: '/api/previews',
    summary: 'Previews not started yet',
    answer: 'PreviewView[]',
    query: b.ListQuery,
  }),
  makePreview: route({
    method: 'post',
    path: '/api/previews',
    summary: 'Work a job out and freeze it',
    answer: 'PreviewView',
    status: 201,
    body: b.JobBody,
    startsWork: true,
  }),
  preview: route({ method: 'get', path: '/api/previews/:id', summary: 'One preview', answer: 'PreviewView' }),
  previewEvents: route({
    method: 'get',
    path: '/api/previews/:id/events',
    summary: 'Its progress, as it happens',
    answer: 'PreviewView',
    media: ['text/event-stream'],
  }),
  previewRecords: route({
    method: 'get',
    path: '/api/previews/:id/records',
    summary: 'Its records with old and new values',
    answer: 'JournalPage',
    query: b.JournalQuery,
    media: ['text/csv', 'application/jsonl'],
  }),
  dropPreview: route({
    method: 'delete',
    path: '/api/previews/:id',
    summary: 'Stop working it out, or withdraw it',
    answer: 'nothing',
    status: 204,
  }),
  runs: route({
    method: 'get',
    path: '/api/runs',
    summary: 'Runs, newest first',
    answer: 'RunView[]',
    query: b.ListQuery,
  }),
  startRun: route({
    method: 'post',
    path: '/api/runs',
    summary: 'Start the run of a preview',
    answer: 'RunView',
    status: 201,
    body: b.StartRunBody,
    startsWork: true,
  }),
  run: route({ method: 'get', path: '/api/runs/:id', summary: 'One run', answer: 'RunView' }),
  runEvents: route({
    method: 'get',
    path: '/api/runs/:id/events',
    summary: 'Its progress, as it happens',
    answer: 'RunView',
    media: ['text/event-stream'],
  }),
  runRecords: route({
    method: 'get',
    path: '/api/runs/:id/records',
    summary: 'Its records with their outcomes',
    answer: 'JournalPage',
    query: b.JournalQuery,
    media: ['text/csv', 'application/jsonl'],
  }),
  runBatches: route({ method: 'get', path: '/api/runs/:id/batches', summary: 'Its batches', answer: 'RunBatchView[]' }),
  pauseRun: route({
    method: 'post',
    path: '/api/runs/:id/pause',
    summary: 'Pause after the batches under way',
    answer: 'RunView',
  }),
  continueRun: route({ method: 'post', path: '/api/runs/:id/continue', summary: 'Go on', answer: 'RunView' }),
  stopRun: route({
    method: 'post',
    path: '/api/runs/:id/stop',
    summary: 'Stop for good after the batches under way',
    answer: 'RunView',
  }),
  undoRun: route({
    method: 'post',
    path: '/api/runs/:id/undo',
    summary: 'Preview putting back what it changed',
    answer: 'PreviewView',
    status: 201,
    body: b.UndoBody,
    startsWork: true,
  }),
  retryRun: route({
    method: 'post',
    path: '/api/runs/:id/retry',
    summary: 'Preview the same edits for records that were left',
    answer: 'PreviewView',
    status: 201,
    body: b.RetryBody,
    startsWork: true,
  }),
} as const;
export type RouteName = keyof typeof routes;
