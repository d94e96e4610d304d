import type * as a from '@tantamos/contract';
import { createParser } from 'eventsource-parser';

/** An answer that says what was wrong (RFC 9457), or that no answer came. */
export class AnswerError extends Error {
  constructor(readonly details: a.ProblemDetails) {
    super(details.detail);
    this.name = 'AnswerError';
  }
  get code(): string {
    return this.details.code;
  }
}

export interface ClientOptions {
  /** Where the service is, without a slash at the end; empty in a page of the service itself. */
  readonly base: string;
  readonly token?: string;
}

type Query = Record<string, string | number | undefined>;
export type FindRequest = a.FindBody;
export type JournalRequest = Pick<a.JournalQuery, 'outcome' | 'limit' | 'after'>;

/** The HTTP interface as functions; the console and the command line both talk through this and nothing else. */
export class Client {
  constructor(private readonly options: ClientOptions) {}

  signIn = (body: a.SignInBody) => this.json<a.SignedIn>('POST', '/api/sessions', body);
  signOut = () => this.json<void>('DELETE', '/api/sessions/current');
  me = () => this.json<a.Me>('GET', '/api/me');
  health = () => this.json<a.Health>('GET', '/api/health');
  accounts = () => this.json<a.Account[]>('GET', '/api/accounts');
  addAccount = (body: a.AccountBody) => this.json<a.Account>('POST', '/api/accounts', body);
  settle = () => this.json<a.Workspace>('POST', '/api/at-home');
  detach = (body: a.DetachBody) => this.json<void>('POST', '/api/detach', body);
  setWorkspace = (body: a.WorkspaceBody) => this.json<a.Workspace>('PATCH', '/api/workspace', body);

  types = () => this.json<a.TypeSummary[]>('GET', '/api/types');
  type = (id: string) => this.json<a.TypeView>('GET', path`/api/types/${id}`);
  setType = (id: string, body: a.TypeSettingsBody) => this.json<a.TypeView>('PATCH', path`/api/types/${id}`, body);
  setField = (id: string, field: string, body: a.FieldSettingsBody) =>
    this.json<a.TypeView>('PATCH', path`/api/types/${id}/fields/${field}`, body);

  find = (type: string, body: FindRequest, signal?: AbortSignal) =>
    this.json<a.Found>('POST', path`/api/types/${type}/search`, body, { signal });
  record = (type: string, key: string) => this.json<a.RecordView>('GET', path`/api/types/${type}/records/${key}`);
  history = (type: string, key: string) =>
    this.json<a.HistoryView[]>('GET', path`/api/types/${type}/records/${key}/history`);

  lookup = (type: string, q: string, signal?: AbortSignal) =>
    this.json<a.LookedUp[]>('GET', path`/api/types/${type}/lookup` + search({ q }), undefined, { signal });
  pointers = (type: string, key: string) =>
    this.json<a.PointerView[]>('GET', path`/api/types/${type}/records/${key}/pointers`);
  values = (type: string, body: a.ValuesBody, signal?: AbortSignal) =>
    this.json<a.FieldValues[]>('POST', path`/api/types/${type}/values`, body, { signal });
  cross = (type: string, body: a.CrossBody, signal?: AbortSignal) =>
    this.json<a.Crossed>('POST', path`/api/types/${type}/cross`, body, { signal });
  explain = (type: string, body: a.ExplainBody, signal?: AbortSignal) =>
    this.json<a.Explained>('POST', path`/api/types/${type}/explain`, body, { signal });
  functions = () => this.json<a.FunctionView[]>('GET', '/api/functions');

  paste = (body: a.PasteBody, signal?: AbortSignal) =>
    this.json<a.ListReportView>('POST', '/api/lists', body, { signal });
  list = (id: string) => this.json<a.ListReportView>('GET', path`/api/lists/${id}`);
  listLines = (id: string, query: { of?: a.ListPageQuery['of']; limit?: number; after?: number }) =>
    this.json<a.ListPage>('GET', path`/api/lists/${id}/lines` + search(query));
  chooseInList = (id: string, body: a.ListChoicesBody) =>
    this.json<a.ListReportView>('PUT', path`/api/lists/${id}/choices`, body);

  selections = () => this.json<a.SavedSelectionView[]>('GET', '/api/selections');
  selection = (name: string) => this.json<a.SavedSelectionView>('GET', path`/api/selections/${name}`);
  selectionVersions = (name: string) => this.json<a.SavedVersionView[]>('GET', path`/api/selections/${name}/versions`);
  saveSelection = (body: a.SavedSelectionBody) => this.json<a.SavedSelectionView>('POST', '/api/selections', body);
  countSelection = (name: string) => this.json<a.SavedSelectionView>('POST', path`/api/selections/${name}/count`);
  dropSelection = (name: string) => this.json<void>('DELETE', path`/api/selections/${name}`);
  selectionsFile = async () => (await this.send('GET', '/api/selections-file')).text();
  importSelections = (body: a.ImportBody) => this.json<a.SavedSelectionView[]>('POST', '/api/selections-file', body);

  keptCounts = () => this.json<a.KeptCountsView[]>('GET', '/api/counts');
  keepCounts = (body: a.KeepCountsBody) => this.json<a.KeptCountsView>('POST', '/api/counts', body);
  compareCounts = (id: string) => this.json<a.ComparedCounts>('GET', path`/api/counts/${id}`);
  dropCounts = (id: string) => this.json<void>('DELETE', path`/api/counts/${id}`);

  /** All selected records as a file: how many there will be, and its bytes. */
  async exportRecords(
    type: string,
    body: a.ExportBody,
    signal?: AbortSignal,
  ): Promise<{ count: number; bytes: ReadableStream<Uint8Array> }> {
    const response = await this.send('POST', path`/api/types/${type}/export`, body, { signal });
    return { count: Number(response.headers.get('Tantamos-Records')), bytes: response.body! };
  }

  sample = (body: a.SampleBody, signal?: AbortSignal) =>
    this.json<a.SampleView>('POST', '/api/jobs/sample', body, { signal });
  draft = () => this.json<a.Draft>('GET', '/api/draft');
  keepDraft = (job: Record<string, unknown>) => this.json<a.Draft>('PUT', '/api/draft', { job });
  dropDraft = () => this.json<void>('DELETE', '/api/draft');

  previews = () => this.json<a.PreviewView[]>('GET', '/api/previews');
  makePreview = (job: a.JobBody, once?: string) => this.json<a.PreviewView>('POST', '/api/previews', job, { once });
  preview = (id: string) => this.json<a.PreviewView>('GET', path`/api/previews/${id}`);
  previewRecords = (id: string, query: JournalRequest) =>
    this.json<a.JournalPage>('GET', path`/api/previews/${id}/records` + search({ ...query }));
  dropPreview = (id: string) => this.json<void>('DELETE', path`/api/previews/${id}`);
  watchPreview = (id: string, signal?: AbortSignal) =>
    this.events<a.PreviewView>(path`/api/previews/${id}/events`, signal);

  runs = (query: { limit?: number; before?: string } = {}) =>
    this.json<a.RunView[]>('GET', '/api/runs' + search(query));
  startRun = (body: a.StartRunBody, once?: string) => this.json<a.RunView>('POST', '/api/runs', body, { once });
  run = (id: string) => this.json<a.RunView>('GET', path`/api/runs/${id}`);
  runRecords = (id: string, query: JournalRequest) =>
    this.json<a.JournalPage>('GET', path`/api/runs/${id}/records` + search({ ...query }));
  runBatches = (id: string) => this.json<a.RunBatchView[]>('GET', path`/api/runs/${id}/batches`);
  steer = (id: string, verb: 'pause' | 'continue' | 'stop') =>
    this.json<a.RunView>('POST', `${path`/api/runs/${id}`}/${verb}`);
  undo = (id: string, body: a.UndoBody, once?: string) =>
    this.json<a.PreviewView>('POST', path`/api/runs/${id}/undo`, body, { once });
  retry = (id: string, body: a.RetryBody, once?: string) =>
    this.json<a.PreviewView>('POST', path`/api/runs/${id}/retry`, body, { once });
  watchRun = (id: string, signal?: AbortSignal) => this.events<a.RunView>(path`/api/runs/${id}/events`, signal);

  /** A whole journal as a stream of text. */
  async exported(
    of: 'previews' | 'runs',
    id: string,
    query: { format: 'csv' | 'jsonl'; outcome?: string },
  ): Promise<AsyncIterable<string>> {
    const response = await this.send('GET', `/api/${of}/${encodeURIComponent(id)}/records${search(query)}`);
    return readText(response);
  }

  private async json<T>(
    method: string,
    url: string,
    body?: unknown,
    more: { signal?: AbortSignal; once?: string } = {},
  ): Promise<T> {
    const response = await this.send(method, url, body, more);
    return (response.status === 204 ? undefined : await response.json()) as T;
  }

  /** Server-sent `state` events, from now until the service says no more will come. */
  private async *events<T>(url: string, signal?: AbortSignal): AsyncGenerator<T> {
    const response = await this.send('GET', url, undefined, { signal });
    const states: T[] = [];
    const parser = createParser({
      onEvent: (event) => event.event === 'state' && states.push(JSON.parse(event.data) as T),
    });
    for await (const text of readText(response)) {
      parser.feed(text);
      yield* states.splice(0);
    }
  }

  private async send(
    method: string,
    url: string,
    body?: unknown,
    more: { signal?: AbortSignal; once?: string } = {},
  ): Promise<Response> {
    const { base, token } = this.options;
    const headers: Record<string, string> = {};
    if (token) headers.Authorization = `Bearer ${token}`;
    if (body !== undefined) headers['Content-Type'] = 'application/json';
    if (more.once !== undefined) headers['Idempotency-Key'] = more.once;
    const init = { method, headers, body: body === undefined ? undefined : JSON.stringify(body), signal: more.signal };
    const response = await fetch(base + url, init).catch((error: unknown) => {
      if ((error as Error).name === 'AbortError') throw error;
      throw new AnswerError(noAnswer(`The service at ${base || 'this address'} does not answer.`));
    });
    if (!response.ok) throw new AnswerError(await problemOf(response));
    return response;
  }
}

async function problemOf(response: Response): Promise<a.ProblemDetails> {
  const text = await response.text();
  try {
    return JSON.parse(text) as a.ProblemDetails;
  } catch {
    return noAnswer(`The service answered ${response.status} without saying why.`);
  }
}

function noAnswer(detail: string): a.ProblemDetails {
  return {
    type: 'urn:tantamos:problem:unavailable',
    title: 'unavailable',
    status: 503,
    detail,
    code: 'unavailable',
    problems: [],
  };
}

async function* readText(response: Response): AsyncGenerator<string> {
  const reader = response.body!.getReader();
  const decoder = new TextDecoder();
  try {
    for (;;) {
      const { done, value } = await reader.read();
      if (done) break;
      yield decoder.decode(value as Uint8Array, { stream: true });
    }
    const rest = decoder.decode();
    if (rest) yield rest;
  } finally {
    await reader.cancel().catch(() => {});
  }
}

/** A path whose parts are encoded. */
function path(texts: TemplateStringsArray, ...parts: string[]): string {
  return texts.reduce((all, text, i) => all + encodeURIComponent(parts[i - 1]!) + text);
}

function search(query: Query): string {
  const given = Object.entries(query).filter((entry): entry is [string, string | number] => entry[1] !== undefined);
  return given.length > 0 ? `?${new URLSearchParams(given.map(([k, v]) => [k, String(v)])).toString()}` : '';
}
