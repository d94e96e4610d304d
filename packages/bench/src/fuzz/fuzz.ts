import type { Pool } from 'pg';
import { Document, type Operation } from './document';
import { Generator, written, type Json, type Mood, type Seen } from './generate';
import { Random } from './random';
import { changedWithoutRun, recordsOf } from './records';

export interface Found {
  readonly requests: number;
  /** By operation and status. */
  readonly answers: Readonly<Record<string, Readonly<Record<number, number>>>>;
  readonly slowest: { readonly ms: number; readonly what: string };
  /** In words, each with what was sent. */
  readonly wrong: readonly string[];
}

interface Asking {
  readonly base: string;
  readonly db: Pool;
  readonly seed: number;
  readonly requests: number;
  /** At the same time. */
  readonly lanes: number;
}

/** An answer takes no longer than this, in ms. */
const longest = 5000;
const mostWrong = 50;
const who = ['sorrel', 'piers', 'wren', null] as const;
const passwords: Readonly<Record<string, string>> = {
  sorrel: 'meadow-admin',
  piers: 'meadow-editor',
  wren: 'meadow-reader',
};

/**
 * Asks each operation of the served document as each role, and as a stranger, in requests that are valid, nearly valid and
 * hostile, and holds every answer against the document: none is a 5xx, none takes 5 s, every refusal is a problem document,
 * and no record is another afterwards but by a run.
 */
export async function fuzz({ base, db, seed, requests, lanes }: Asking): Promise<Found> {
  const entries = new Entries(base, db);
  await entries.keep();
  const document = new Document(
    (await (await fetch(`${base}/api/openapi.json`, { headers: await entries.of('sorrel') })).json()) as Json,
  );
  const before = await recordsOf(db);
  const seen: Seen = { ids: new Map(), marks: [] };
  await begin(base, await entries.of('sorrel'), seen);
  const answers: Record<string, Record<number, number>> = {};
  const wrong: string[] = [];
  let slowest = { ms: 0, what: '' };
  let next = 0;
  const lane = async (): Promise<void> => {
    for (let i = next++; i < requests && wrong.length < mostWrong; i = next++) {
      const random = new Random(seed + i * 7919);
      const operation = document.operations[i % document.operations.length]!;
      const person = random.pick(who);
      const mood = random.pick<Mood>(['valid', 'nearly', 'nearly', 'hostile']);
      const asked = askedOf(
        operation,
        new Generator(document.schemas, random, seen, mood, nounOf(operation.path)),
        random,
      );
      const what = `#${i} ${person ?? 'a stranger'} (${mood}): ${operation.method} ${clip(asked.path)} ${clip(asked.body ?? '')}`;
      const from = performance.now();
      const answer = await send(base, operation, asked, person === null ? {} : await entries.of(person)).catch(
        (error: Error) => ({ status: 0, media: '', text: String(error.cause ?? error) }),
      );
      const ms = performance.now() - from;
      if (ms > slowest.ms) slowest = { ms, what };
      const counts = (answers[operation.id] ??= {});
      counts[answer.status] = (counts[answer.status] ?? 0) + 1;
      const bad = badOf(document, operation, answer, ms, seen, random);
      if (bad) wrong.push(`${bad}\n    ${what}`);
      if (answer.status === 401 && person !== null) await entries.mend();
    }
  };
  await Promise.all(Array.from({ length: lanes }, lane));
  const changed = await changedWithoutRun(db, before);
  if (changed.length > 0)
    wrong.push(`${changed.length} records changed without a run: ${changed.slice(0, 5).join(', ')}`);
  return { requests: Math.min(next, requests), answers, slowest, wrong };
}

interface Asked {
  readonly path: string;
  readonly body: string | undefined;
  readonly headers: Readonly<Record<string, string>>;
}

function askedOf(operation: Operation, generator: Generator, random: Random): Asked {
  const query: string[] = [];
  let { path } = operation;
  const headers: Record<string, string> = {};
  for (const { name, in: where, schema } of operation.parameters) {
    if (where === 'path') path = path.replace(`{${name}}`, inPath(generator.value(schema, name)));
    else if (random.chance(where === 'header' ? 0.1 : 0.4)) {
      const value = plain(generator.value(schema, name));
      if (where === 'query') query.push(`${name}${random.chance(0.02) ? '[x]' : ''}=${encoded(value)}`);
      else headers[name] = value.replace(/[^\x20-\x7e]/g, '?');
    }
  }
  const body = operation.body ? written(generator.value(operation.body, 'body')) : undefined;
  return { path: query.length > 0 ? `${path}?${query.join('&')}` : path, body, headers };
}

const plain = (value: unknown): string => (typeof value === 'string' ? value : written(value)).slice(0, 5000);
const encoded = (text: string): string => encodeURIComponent(text.toWellFormed());
const inPath = (value: unknown): string => encoded(plain(value).slice(0, 1000)) || '%20';

interface Answer {
  readonly status: number;
  readonly media: string;
  readonly text: string;
}

async function send(
  base: string,
  operation: Operation,
  { path, body, headers }: Asked,
  entry: Readonly<Record<string, string>>,
): Promise<Answer> {
  const away = new AbortController();
  const answer = await fetch(base + path, {
    method: operation.method,
    headers: { 'Content-Type': 'application/json', Origin: base, ...headers, ...entry },
    body,
    signal: AbortSignal.any([away.signal, AbortSignal.timeout(longest * 3)]),
  });
  const media = answer.headers.get('content-type')?.split(';')[0] ?? '';
  if (operation.isStream && answer.ok) {
    const { value } = (await answer.body?.getReader().read()) ?? {};
    away.abort();
    return { status: answer.status, media, text: Buffer.from(value ?? []).toString() };
  }
  return { status: answer.status, media, text: await answer.text() };
}

/** What is wrong with an answer, in words; what it says is kept to be asked about. */
function badOf(
  document: Document,
  operation: Operation,
  { status, media, text }: Answer,
  ms: number,
  seen: Seen,
  random: Random,
): string | null {
  if (status === 0) return `no answer: ${text}`;
  if (status >= 500) return `${status}: ${clip(text)}`;
  if (ms > longest) return `it took ${Math.round(ms)} ms`;
  if (status >= 400 && media !== 'application/problem+json') return `${status} is no problem document: ${media}`;
  if (!/json$/.test(media)) return null;
  const answer = JSON.parse(text) as unknown;
  if (status < 400) harvest(operation.path, text, seen, random);
  const said = document.wrong(operation, status, media, answer);
  return said && `${status}: not as the document says: ${said}`;
}

function nounOf(path: string): string {
  return path.split('/')[2] ?? '';
}

/** Keeps the ids of what an answer tells of, by noun. */
function harvest(path: string, text: string, seen: Seen, random: Random): void {
  const noun = nounOf(path);
  const told: unknown = JSON.parse(text);
  const ids = seen.ids.get(noun) ?? [];
  seen.ids.set(noun, ids);
  for (const one of (Array.isArray(told) ? (told as unknown[]) : [told]).slice(0, 5)) {
    const id = (one as { id?: unknown } | null)?.id;
    // Accounts stay who they are: whoever is asked as could not ask any more.
    if (typeof id !== 'string' || (noun === 'accounts' && ids.length > 0) || ids.includes(id)) continue;
    if (ids.length < 100) ids.push(id);
    else ids[random.below(ids.length)] = id;
  }
  const mark = /"next":"([^"]+)"/.exec(text)?.[1];
  if (mark) seen.marks[random.below(100)] = mark;
}

/** One of each noun, so that there is something to ask about from the first. */
async function begin(base: string, entry: Readonly<Record<string, string>>, seen: Seen): Promise<void> {
  const made = async (path: string, body: object): Promise<string> => {
    const answer = await fetch(base + path, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', ...entry },
      body: JSON.stringify(body),
    });
    const { id } = (await answer.json()) as { id: string };
    const noun = nounOf(path);
    seen.ids.set(noun, [...(seen.ids.get(noun) ?? []), id]);
    return id;
  };
  const selection = { type: 'bookings', keys: ['1', '2', '3'] };
  for (let i = 0; i < 5; i++) {
    const job = { selection, edits: [{ kind: 'set', field: 'note', value: `fuzz ${i}` }], why: 'fuzz' };
    const preview = await made('/api/previews', job);
    await new Promise((resolve) => setTimeout(resolve, 300));
    if (i < 3) await made('/api/runs', { preview, askAfter: i === 0 ? 1 : null });
    await made('/api/drafts', { job });
  }
  await made('/api/lists', { text: '1\n2\nx\n', targets: [{ type: 'bookings', fields: ['id'] }] });
  await made('/api/selections', { name: 'north', selection });
  await made('/api/counts', { name: 'north', selection, fields: ['status'] });
  await made('/api/accounts', { login: 'new', name: 'New', role: 'reader', password: 'a long password' });
}

/** Who is who, and how to be so again when a request has changed a password, a role, or ended a session. */
class Entries {
  private readonly tokens = new Map<string, string>();
  private mending: Promise<void> | null = null;
  constructor(
    private readonly base: string,
    private readonly db: Pool,
  ) {}

  /** Keeps what the accounts and their rights are now. */
  async keep(): Promise<void> {
    await this.db.query(
      `create schema if not exists fuzz_kept; create table fuzz_kept.account as table tantamos.account;
       create table fuzz_kept.right_line as table tantamos.right_line`,
    );
  }

  async of(login: string): Promise<Record<string, string>> {
    const token = this.tokens.get(login) ?? (await this.enter(login));
    return { Authorization: `Bearer ${token}` };
  }

  /** Puts accounts and rights back as they were. */
  async mend(): Promise<void> {
    this.mending ??= (async () => {
      await this.db.query(
        `update tantamos.account a set password = k.password, role = k.role, active = k.active from fuzz_kept.account k where k.id = a.id;
         insert into tantamos.right_line select * from fuzz_kept.right_line on conflict (id) do nothing;
         delete from tantamos.wrong_password`,
      );
      this.tokens.clear();
    })().finally(() => (this.mending = null));
    await this.mending;
  }

  private async enter(login: string): Promise<string> {
    for (let tries = 0; tries < 3; tries++) {
      const answer = await fetch(`${this.base}/api/sessions`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ login, password: passwords[login], kind: 'token' }),
      });
      if (answer.ok) {
        const { token } = (await answer.json()) as { token: string };
        this.tokens.set(login, token);
        return token;
      }
      await this.mend();
    }
    throw new Error(`${login} is not let in any more.`);
  }
}

function clip(text: string): string {
  return text.length > 600 ? `${text.slice(0, 600)}… (${text.length})` : text;
}
