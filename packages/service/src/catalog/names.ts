import {
  Answers,
  canonical,
  closest,
  identifier,
  join,
  keyOf,
  ProblemError,
  raw,
  sql,
  tableOf,
  value,
  type Catalog,
  type NameQuestion,
  type RecordType,
} from '@tantamos/core';
import type { Database } from '../database/database';

/** Types with at most this many records have all their names compared when one is misspelt. */
const mostCompared = 20_000;

/** Looks up which records the names mean: first by name, then, where none has it, by key. */
export async function answerNames(
  database: Database,
  catalog: Catalog,
  questions: readonly NameQuestion[],
): Promise<Answers> {
  const answers = new Answers();
  for (const typeId of new Set(questions.map((q) => q.typeId))) {
    const type = catalog.type(typeId);
    const asked = questions.filter((q) => q.typeId === typeId);
    const texts = [...new Set(asked.map((q) => q.text))];
    const named = await byName(database, type, texts);
    const unknown = texts.filter((t) => !named.has(t));
    const keyed = await byKey(database, type, unknown);
    for (const question of asked) {
      const found = named.get(question.text) ?? keyed.get(question.text) ?? [];
      answers.add(question, { found, near: found.length > 0 ? [] : await near(database, type, question.text) });
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
  if (type.nameField === null || type.key === null || keys.length === 0) return new Map();
  const key = keyOf(type);
  const rows = await database.ask<{ key: string; name: string | null }>(
    sql`select ${identifier(key.name)}::text as key, ${identifier(type.nameField)}::text as name from ${tableOf(type)}
      where ${identifier(key.name)} = any(${value(keys)}::text[]::${raw(key.dbType)}[])`,
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
  const key = keyOf(type);
  const name = identifier(type.nameField ?? key.name);
  const text = typed.trim();
  const escaped = (word: string): string => word.replace(/[\\%_]/g, '\\$&');
  const words = text
    .split(/\s+/)
    .filter(Boolean)
    .map((w) => `%${escaped(w)}%`);
  const row = sql`select ${identifier(key.name)}::text as key, ${name}::text as name, ${hintOf(type)} as hint from ${tableOf(type)}`;
  return database.askWithin<Found & Record<string, string>>(
    sql`${row} where ${name}::text ilike all(${value(words)}::text[]) or ${identifier(key.name)}::text = ${value(text)}
      order by ${identifier(key.name)}::text <> ${value(text)}, ${name}::text not ilike ${value(`${escaped(text)}%`)}, ${name}, ${identifier(key.name)}
      limit ${value(most)}`,
    10_000,
    signal,
  );
}

function hintOf(type: RecordType) {
  const hints = hintFields(type).map((f) => sql`${identifier(f)}::text`);
  return hints.length > 0 ? sql`concat_ws(', ', ${join(hints, ', ')})` : raw(`''`);
}

interface Found {
  readonly key: string;
  readonly name: string;
  readonly hint: string;
}

async function byName(database: Database, type: RecordType, texts: readonly string[]): Promise<Map<string, Found[]>> {
  if (type.nameField === null) return new Map();
  return lookUp(database, type, type.nameField, texts, 'text');
}

async function byKey(database: Database, type: RecordType, texts: readonly string[]): Promise<Map<string, Found[]>> {
  const key = keyOf(type);
  const possible = texts.filter((text) => {
    try {
      canonical(key.base, text, key.label);
      return key.base !== 'number' || /^-?\d{1,18}$/.test(text.trim());
    } catch (error) {
      if (error instanceof ProblemError) return false;
      throw error;
    }
  });
  return lookUp(database, type, key.name, possible, key.base === 'number' ? 'bigint' : key.dbType);
}

async function lookUp(
  database: Database,
  type: RecordType,
  field: string,
  texts: readonly string[],
  dbType: string,
): Promise<Map<string, Found[]>> {
  if (texts.length === 0) return new Map();
  const column = identifier(field);
  const name = type.nameField === null ? column : identifier(type.nameField);
  const hint = hintOf(type);
  const rows = await database.ask<Found & { said: string }>(
    sql`select ${column}::text as said, ${identifier(keyOf(type).name)}::text as key, ${name}::text as name, ${hint} as hint
      from ${tableOf(type)} where ${column} = any(${value(texts)}::text[]::${raw(dbType)}[])
      order by ${identifier(keyOf(type).name)} limit 1000`,
  );
  const found = new Map<string, Found[]>();
  for (const { said, ...row } of rows) found.set(said, [...(found.get(said) ?? []), row]);
  return found;
}

/** Fields that tell records of one name apart: what is unique, then choices. */
function hintFields(type: RecordType): string[] {
  const seen = type.fields.filter((f) => !f.hidden && f.name !== type.nameField && f.name !== type.key);
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
