import {
  Answers,
  asText,
  keyColumns,
  identifier,
  join,
  canonicalKey,
  hasKey,
  keyAmong,
  keyText,
  ProblemError,
  raw,
  sql,
  Scope,
  tableOf,
  value,
  type Catalog,
  type FieldPath,
  type NameQuestion,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { mostCompared, nearestOf } from './nearest';

/** The nearest names are looked for so many unknown ones at most; the rest are only told. */
const mostNear = 20;
const mostWords = 50;
/** Records looked up for names: so many, and for each name so many more, in case several share it. */
const leastFound = 1000;
const foundEach = 10;

/** Looks up which records the names mean: first by name, then, where none has it, by key. */
export async function answerNames(
  database: Database,
  catalog: Catalog,
  questions: readonly NameQuestion[],
): Promise<Answers> {
  const answers = new Answers();
  let left = mostNear;
  for (const typeId of new Set(questions.map((q) => q.typeId))) {
    const type = catalog.type(typeId);
    const asked = questions.filter((q) => q.typeId === typeId);
    const texts = [...new Set(asked.map((q) => q.text))];
    const named = await byName(database, type, texts);
    const unknown = texts.filter((t) => !named.has(t));
    const keyed = await byKey(database, type, unknown);
    const missing = unknown.filter((t) => !keyed.has(t)).slice(0, left);
    left -= missing.length;
    const nearest = await near(database, type, missing);
    for (const question of asked) {
      const { text } = question;
      answers.add(question, { found: named.get(text) ?? keyed.get(text) ?? [], near: nearest.get(text) ?? [] });
    }
    for (const question of asked)
      if (question.at) answers.addValue(question, await valueOf(database, type, answers.found(question), question.at));
  }
  return answers;
}

/** What a record has at the end of a path, as a text; null of none, or of several. */
async function valueOf(
  database: Database,
  type: RecordType,
  found: readonly Found[],
  at: FieldPath,
): Promise<string | null> {
  if (found.length !== 1) return null;
  const scope = new Scope(type);
  const text = asText(scope.column(at));
  const [row] = await database.ask<{ v: string | null }>(
    sql`select ${text} as v from ${scope.from()} where ${keyAmong(type, scope.root, [found[0]!.key])}`,
  );
  return row?.v ?? null;
}

/** Names of records by key; keys without a record are absent. */
export async function namesOf(
  database: Database,
  type: RecordType,
  keys: readonly string[],
): Promise<Map<string, string>> {
  if (type.nameField === null || !hasKey(type) || keys.length === 0) return new Map();
  const rows = await database.ask<{ key: string; name: string | null }>(
    sql`select ${keyOfRow(type)} as key, r.${identifier(type.nameField)}::text as name from ${tableOf(type)} r
      where ${keyAmong(type, raw('r'), keys)}`,
  );
  return new Map(rows.map((r) => [r.key, r.name ?? '']));
}

/** Those of the keys that records have. */
export async function keysThere(database: Database, type: RecordType, keys: readonly string[]): Promise<string[]> {
  if (keys.length === 0) return [];
  const rows = await database.ask<{ key: string }>(
    sql`select ${keyOfRow(type)} as key from ${tableOf(type)} r where ${keyAmong(type, raw('r'), keys)}`,
  );
  return rows.map((r) => r.key);
}

/**
 * Which of these records the person of the catalog sees now. Of a type of which they see only some records, one that is gone is
 * not seen, since it cannot be told from a withheld one.
 */
export async function seenAmong(
  database: Database,
  catalog: Catalog,
  records: readonly { readonly type: string; readonly key: string }[],
): Promise<(record: { readonly type: string; readonly key: string }) => boolean> {
  const seen = new Map<string, ReadonlySet<string>>();
  for (const id of new Set(records.map((r) => r.type))) {
    const type = catalog.find(id);
    if (!type?.limits?.source) continue;
    const keys = records.filter((r) => r.type === id).map((r) => r.key);
    seen.set(id, new Set(await keysThere(database, type, keys)));
  }
  return ({ type, key }) => seen.get(type)?.has(key) ?? true;
}

/** Records whose name holds every word typed, or whose key it is; those that begin so first. */
export async function lookUpNames(
  database: Database,
  type: RecordType,
  typed: string,
  most: number,
  signal?: AbortSignal,
): Promise<Found[]> {
  const key = keyOfRow(type);
  const name = type.nameField === null ? key : sql`r.${identifier(type.nameField)}`;
  const text = typed.trim();
  const escaped = (word: string): string => word.replace(/[\\%_]/g, '\\$&');
  const words = text
    .split(/\s+/)
    .filter(Boolean)
    .map((w) => `%${escaped(w)}%`);
  const row = sql`select ${key} as key, ${name}::text as name, ${hintOf(type)} as hint from ${tableOf(type)} r`;
  return database.askWithin<Found & Record<string, string>>(
    sql`${row} where ${name}::text ilike all(${value(words)}::text[]) or ${key} = ${value(text)}
      order by ${key} <> ${value(text)}, ${name}::text not ilike ${value(`${escaped(text)}%`)}, ${name}, ${key}
      limit ${value(most)}`,
    10_000,
    signal,
  );
}

function hintOf(type: RecordType) {
  const hints = hintFields(type).map((f) => sql`r.${identifier(f)}::text`);
  return hints.length > 0 ? sql`concat_ws(', ', ${join(hints, ', ')})` : raw(`''`);
}

interface Found {
  readonly key: string;
  readonly name: string;
  readonly hint: string;
}

async function byName(database: Database, type: RecordType, texts: readonly string[]): Promise<Map<string, Found[]>> {
  if (type.nameField === null) return new Map();
  const name = sql`r.${identifier(type.nameField)}`;
  return lookUp(database, type, sql`${name}::text`, sql`${name} = any(${value(texts)}::text[])`, texts);
}

async function byKey(database: Database, type: RecordType, texts: readonly string[]): Promise<Map<string, Found[]>> {
  const keyed = new Map<string, string[]>();
  for (const text of texts) {
    try {
      const key = canonicalKey(type, text);
      if (!keyed.get(key)?.push(text)) keyed.set(key, [text]);
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
    }
  }
  const found = await lookUp(database, type, keyOfRow(type), keyAmong(type, raw('r'), [...keyed.keys()]), [
    ...keyed.keys(),
  ]);
  return new Map([...found].flatMap(([key, rows]) => (keyed.get(key) ?? []).map((said) => [said, rows] as const)));
}

function keyOfRow(type: RecordType) {
  return keyText(keyColumns(type, raw('r')));
}

async function lookUp(
  database: Database,
  type: RecordType,
  said: Sql,
  where: Sql,
  texts: readonly string[],
): Promise<Map<string, Found[]>> {
  if (texts.length === 0) return new Map();
  const key = keyOfRow(type);
  const name = type.nameField === null ? key : sql`r.${identifier(type.nameField)}`;
  const hint = hintOf(type);
  const rows = await database.ask<Found & { said: string }>(
    sql`select ${said} as said, ${key} as key, ${name}::text as name, ${hint} as hint
      from ${tableOf(type)} r where ${where} order by ${join(keyColumns(type, raw('r')), ', ')} limit ${value(leastFound + foundEach * texts.length)}`,
  );
  const found = new Map<string, Found[]>();
  for (const { said, ...row } of rows) if (!found.get(said)?.push(row)) found.set(said, [row]);
  return found;
}

/** Fields that tell records of one name apart: what is unique, then choices. */
function hintFields(type: RecordType): string[] {
  const seen = type.fields.filter((f) => !f.hidden && f.name !== type.nameField && !type.key.includes(f.name));
  const unique = seen.filter((f) => f.unique && f.base === 'text');
  const choices = seen.filter((f) => f.kind === 'choice');
  return [...unique, ...choices].slice(0, 3).map((f) => f.name);
}

/** The nearest names for texts that are none, where they are not too long. */
async function near(database: Database, type: RecordType, texts: readonly string[]): Promise<Map<string, string[]>> {
  if (type.nameField === null || texts.length === 0) return new Map();
  const name = sql`r.${identifier(type.nameField)}`;
  const names = (where: Sql): Sql =>
    sql`select distinct ${name}::text as v from ${tableOf(type)} r where ${name} is not null and ${where} limit ${value(mostCompared)}`;
  if (type.about <= mostCompared) return nearestOf(database, names(sql`true`), texts);
  // Of many more only those that share a word with it are compared.
  const words = texts.flatMap((text) => text.split(/\s+/).filter((w) => w.length >= 2));
  const like = words.slice(0, mostWords).map((w) => `%${w.replace(/[\\%_]/g, '\\$&')}%`);
  return nearestOf(database, names(sql`${name}::text ilike any(${value(like)}::text[])`), texts);
}
