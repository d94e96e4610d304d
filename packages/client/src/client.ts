import type { Answer, ProblemDetails, Route, RouteName, Routes } from '@tantamos/contract';
import type { TSchema } from '@sinclair/typebox';
import { events, readText } from './stream';
import { wires, type Wire } from './wires';

/** An answer that says what was wrong (RFC 9457), or that no answer came. */
export class AnswerError extends Error {
  constructor(readonly details: ProblemDetails) {
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
  /** Hears every JSON answer as it came. */
  readonly heard?: (route: RouteName, answer: unknown) => void;
}

export interface CallOptions {
  readonly signal?: AbortSignal;
  /** Sent as `Idempotency-Key`: said twice, it is done once. */
  readonly once?: string;
  /** It is sent although the page that makes it goes (`keepalive`, of the fetch standard), where it is not too large for that. */
  readonly outlives?: boolean;
}

/** Bodies that a page may leave behind when it goes, in characters; browsers take 64 KiB. */
const mostLeftBehind = 20_000;

type Made<C> = C extends new () => infer I ? I : never;
/** The parameters of a path, in its order. */
type InPath<P extends string> = P extends `${string}:${infer Name}/${infer Rest}`
  ? [InOne<Name>, ...InPath<Rest>]
  : P extends `${string}:${infer Name}`
    ? [InOne<Name>]
    : [];
type InOne<_Name extends string> = string;
/** A file as it is sent: in a page a `File`, else its bytes or a stream of them. */
export type FileBytes = Blob | Uint8Array<ArrayBuffer> | ReadableStream<Uint8Array>;
type Sent<R extends Route> = R extends { takes: readonly string[]; query: infer Q }
  ? [query: Made<Q>, file: FileBytes]
  : R extends { body: infer B }
    ? [body: Made<B>]
    : R extends { query: infer Q }
      ? [query?: Made<Q>]
      : [];
type Answered<R extends Route> = R['answer'] extends TSchema ? Answer<R['answer']> : void;

/** `client.record(type, key)`: what stands in the path, then the body or query, then options. */
type CallOf<R extends Route> = R extends { events: true }
  ? (...given: [...InPath<R['path']>, signal?: AbortSignal]) => AsyncGenerator<Answered<R>>
  : (...given: [...InPath<R['path']>, ...Sent<R>, options?: CallOptions]) => Promise<Answered<R>>;
type FileOf<R extends Route> = (...given: [...InPath<R['path']>, ...Sent<R>, options?: CallOptions]) => Promise<File>;

/** Routes that can be had as files. */
type FileRoutes = { [K in RouteName as Routes[K] extends { files: readonly string[] } ? K : never]: FileOf<Routes[K]> };

export interface File {
  /** Records in it, where the service says so. */
  readonly count: number | null;
  readonly bytes: ReadableStream<Uint8Array>;
  /** Its text as it comes, or all of it. */
  pieces(): AsyncIterable<string>;
  text(): Promise<string>;
}

/** The HTTP interface as functions, one a route; the console and the command line both talk through this and nothing else. */
export type Client = { readonly [K in RouteName]: CallOf<Routes[K]> } & { readonly files: FileRoutes };

export const Client = class {
  constructor(options: ClientOptions) {
    const files: Record<string, unknown> = {};
    const calls: Record<string, unknown> = { files };
    for (const [name, wire] of Object.entries(wires) as [RouteName, Wire][]) {
      const request = requestOf(wire);
      calls[name] = wire.events
        ? (...given: unknown[]) => followed(options, request, given)
        : async (...given: unknown[]) => {
            const response = await send(options, request(given));
            if (response.status === 204 || !wire.answers) return void (await response.body?.cancel());
            const answer: unknown = await response.json();
            options.heard?.(name, answer);
            return answer;
          };
      if (wire.files) files[name] = async (...given: unknown[]) => fileIn(await send(options, request(given)));
    }
    return calls;
  }
} as unknown as new (options: ClientOptions) => Client;

interface Request extends CallOptions {
  readonly method: string;
  readonly url: string;
  readonly body?: unknown;
  readonly file?: FileBytes;
}

/** How the arguments of a call become its request. */
function requestOf({ method, path: template, sends }: Wire): (given: readonly unknown[]) => Request {
  const names = [...template.matchAll(/:(\w+)/g)].map((m) => m[1]!);
  return (given) => {
    const inPath = given.slice(0, names.length) as string[];
    const path = names.reduce((p, name, i) => p.replace(`:${name}`, encodeURIComponent(inPath[i]!)), template);
    const rest = given.slice(names.length);
    const [sent, file, options] =
      sends === 'file' ? rest : sends ? [rest[0], undefined, rest[1]] : [undefined, undefined, rest[0]];
    return {
      ...(options as CallOptions | undefined),
      method,
      url: path + (sends === 'query' || sends === 'file' ? search(sent as object | undefined) : ''),
      body: sends === 'body' ? (sent ?? {}) : undefined,
      ...(file === undefined ? {} : { file: file as FileBytes }),
    };
  };
}

async function* followed(
  options: ClientOptions,
  request: (given: readonly unknown[]) => Request,
  given: readonly unknown[],
): AsyncGenerator<unknown> {
  const signal = given.find((g) => g instanceof AbortSignal);
  const response = await send(options, { ...request(given.filter((g) => g !== signal)), signal });
  try {
    yield* events(response);
  } catch (error) {
    // Of the fetch standard: the network failed.
    if (signal?.aborted || (error as Error).name !== 'TypeError') throw error;
    throw new AnswerError(noAnswer(`The service at ${options.base || 'this address'} has broken off.`));
  }
}

function fileIn(response: Response): File {
  const count = response.headers.get('Tantamos-Records');
  return {
    count: count === null ? null : Number(count),
    bytes: response.body!,
    pieces: () => readText(response),
    text: () => response.text(),
  };
}

async function send(
  { base, token }: ClientOptions,
  { method, url, body, file, once, signal, outlives = false }: Request,
): Promise<Response> {
  const headers: Record<string, string> = {};
  if (token) headers.Authorization = `Bearer ${token}`;
  if (body !== undefined) headers['Content-Type'] = 'application/json';
  if (file !== undefined) headers['Content-Type'] = 'application/octet-stream';
  if (once !== undefined) headers['Idempotency-Key'] = once;
  const sent = file ?? (body === undefined ? undefined : JSON.stringify(body));
  // A stream is sent as it comes (`duplex`, of the fetch standard).
  const keepalive = outlives && typeof sent === 'string' && sent.length <= mostLeftBehind;
  const streams = file instanceof ReadableStream ? { duplex: 'half' } : {};
  const init = { method, headers, body: sent, signal, keepalive, ...streams };
  const response = await fetch(base + url, init).catch((error: unknown) => {
    if ((error as Error).name === 'AbortError') throw error;
    throw new AnswerError(noAnswer(`The service at ${base || 'this address'} does not answer.`));
  });
  if (!response.ok) throw new AnswerError(await problemOf(response));
  return response;
}

async function problemOf(response: Response): Promise<ProblemDetails> {
  const text = await response.text();
  try {
    return JSON.parse(text) as ProblemDetails;
  } catch {
    return noAnswer(`The service answered ${response.status} without saying why.`);
  }
}

function noAnswer(detail: string): ProblemDetails {
  return {
    type: 'urn:tantamos:problem:unavailable',
    title: 'unavailable',
    status: 503,
    detail,
    code: 'unavailable',
    problems: [],
  };
}

function search(query: object = {}): string {
  const given = Object.entries(query).filter(([, v]) => v !== undefined && v !== null);
  return given.length > 0 ? `?${new URLSearchParams(given.map(([k, v]) => [k, String(v)])).toString()}` : '';
}

/** The keys of all records that a preview does not allow for this reason, as the preview tells it. */
export async function keysOfCause(client: Client, preview: string, cause: string): Promise<string[]> {
  const keys: string[] = [];
  let after: string | undefined;
  do {
    const page = await client.previewRecords(preview, { outcome: 'not_allowed', cause, after, limit: 500 });
    keys.push(...page.records.map((r) => r.key));
    after = page.next ?? undefined;
  } while (after !== undefined);
  return keys;
}
