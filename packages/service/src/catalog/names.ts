import {
  Answers,
  keyColumns,
  closest,
  identifier,
  join,
  canonicalKey,
  hasKey,
  keyAmong,
  keyText,
  ProblemError,
  raw,
  sql,
  tableOf,
  value,
  type Catalog,
  type NameQuestion,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import type { Database } from '../database/database';

/** Types with at most this many records have all their names compared when one is misspelt. */
const mostCompared = 20_000;
/** The nearest names are looked for so many unknown ones at most; the rest are only told. */
const mostNear = 20;
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
  let looked = 0;
  for (const typeId of new Set(questions.map((q) => q.typeId))) {
    const type = catalog.type(typeId);
    const asked = questions.filter((q) => q.typeId === typeId);
    const texts = [...new Set(asked.map((q) => q.text))];
    const named = await byName(database, type, texts);
    const unknown = texts.filter((t) => !named.has(t));
    const keyed = await byKey(database, type, unknown);
    for (const question of asked) {
      const found = named.get(question.text) ?? keyed.get(question.text) ?? [];
      answers.add(question, {
        found,
        near: found.length > 0 || looked++ >= mostNear ? [] : await near(database, type, question.text),
      });
    }
  }
  return answers;
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
      keyed.set(key, [...(keyed.get(key) ?? []), text]);
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
  for (const { said, ...row } of rows) found.set(said, [...(found.get(said) ?? []), row]);
  return found;
}

/** Fields that tell records of one name apart: what is unique, then choices. */
function hintFields(type: RecordType): string[] {
  const seen = type.fields.filter((f) => !f.hidden && f.name !== type.nameField && !type.key.includes(f.name));
  const unique = seen.filter((f) => f.unique && f.base === 'text');
  const choices = seen.filter((f) => f.kind === 'choice');
  return [...unique, ...choices].slice(0, 3).map((f) => f.name);
}

async function near(database: Database, type: RecordType, text: string): Promise<string[]> {
  if (type.nameField === null || text.length > 100) return [];
  const name = identifier(type.nameField);
  const parts = text.split(/\s+/).filter((w) => w.length >= 2);
  const like = parts.map((w) => `%${w.replace(/[\\%_]/g, '\\$&')}%`);
  const where = type.about <= mostCompared ? sql`true` : sql`${name}::text ilike any(${value(like)}::text[])`;
  const rows = await database.ask<{ name: string }>(
    sql`select distinct ${name}::text as name from ${tableOf(type)} where ${name} is not null and ${where} limit ${value(mostCompared)}`,
  );
  return closest(
    text,
    rows.map((r) => r.name),
  );
}
