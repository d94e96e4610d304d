import { canonical } from '../language/value';
import { fail } from '../problem';
import { join, raw, sql, value, type Sql } from '../sql/sql';
import { columnOf, type Field, type RecordType } from './catalog';
import { ofBase } from './kinds';

// A key as one text: the text of its column or, where there are several, the JSON array (RFC 8259) of their texts, with
// nothing between them that need not be there. The database writes the same with to_json.

export function isUsableInKey(field: Pick<Field, 'base'>): boolean {
  return ofBase(field.base).inKey;
}

export function hasKey(type: RecordType): boolean {
  return type.key.length > 0;
}

/** The fields of a type's key, in its order; throws `not_changeable` with the reason where it has none. */
export function keyFields(type: RecordType): readonly Field[] {
  if (!hasKey(type)) return fail('not_changeable', type.notChangeable ?? `${type.label} have no key.`);
  return type.key.map((name) => type.fields.find((f) => f.name === name)!);
}

/** The one field of a key; throws `not_changeable` where there are none or several. */
export function keyField(type: RecordType): Field {
  const fields = keyFields(type);
  if (fields.length > 1)
    return fail(
      'not_changeable',
      `${type.label} have a key of ${fields.length} fields (${type.key.join(', ')}); one field is needed here.`,
    );
  return fields[0]!;
}

/** A key as a person wrote it, as the one text it is known by; throws `bad_value` where it cannot be a key. */
export function canonicalKey(type: RecordType, said: string): string {
  const fields = keyFields(type);
  if (fields.length === 1) return keyPart(fields[0]!, said);
  const parts = partsOf(said);
  if (parts?.length !== fields.length)
    return fail('bad_value', `A key of ${type.label.toLowerCase()} is written ["…", "…"]: ${type.key.join(', ')}.`);
  return JSON.stringify(fields.map((field, i) => keyPart(field, parts[i]!)));
}

/** The texts of a key's fields, in order. */
export function keyParts(type: RecordType, key: string): readonly string[] {
  return type.key.length === 1 ? [key] : (partsOf(key) ?? []);
}

/** The fields of a key as they are read: `WK-104`, or `14 · 2026-05-01`. */
export function keyWords(type: RecordType, key: string): string {
  return keyParts(type, key).join(' · ');
}

function partsOf(said: string): string[] | null {
  try {
    const parts: unknown = JSON.parse(said);
    const fits = (p: unknown): p is string | number | boolean => ['string', 'number', 'boolean'].includes(typeof p);
    return Array.isArray(parts) && parts.every(fits) ? parts.map(String) : null;
  } catch {
    return null;
  }
}

function keyPart(field: Field, said: string): string {
  const text = canonical(field.base, said, field.label);
  // A moment stays as the database writes it, which is what its key is known by.
  if (field.base === 'moment') return said.trim();
  const whole = /^(smallint|integer|bigint)$/.exec(field.dbType)?.[1];
  if (field.base === 'number' && (!whole || !/^-?\d{1,19}$/.test(text) || !within(BigInt(text), whole))) {
    if (whole)
      return fail('bad_value', `${field.label} is a whole number; “${said.slice(0, 60)}” is none it could be.`);
    return text;
  }
  return whole ? String(BigInt(text)) : text;
}

const bits: Readonly<Record<string, bigint>> = { smallint: 15n, integer: 31n, bigint: 63n };
function within(n: bigint, type: string): boolean {
  const end = 1n << bits[type]!;
  return n >= -end && n < end;
}

/** The columns of a key at an alias. */
export function keyColumns(type: RecordType, alias: Sql): readonly Sql[] {
  return type.key.map((name) =>
    columnOf(
      type.fields.find((f) => f.name === name)!,
      alias,
    ),
  );
}

/** `a.id`, or `(a.x, a.y)`: to stand beside another of the same kind, or before IN. */
export function keyRow(type: RecordType, alias: Sql): Sql {
  const columns = keyColumns(type, alias);
  return columns.length === 1 ? columns[0]! : sql`(${join(columns, ', ')})`;
}

/** A key's one text, made of its columns. */
export function keyText(columns: readonly Sql[]): Sql {
  const texts = columns.map((c) => sql`${c}::text`);
  return texts.length === 1
    ? sql`${texts[0]!} collate "C"`
    : sql`to_json(array[${join(texts, ', ')}])::text collate "C"`;
}

/** A key's text back as its columns, each of its own type. */
export function keyUnpacked(type: RecordType, text: Sql): readonly Sql[] {
  const fields = keyFields(type);
  if (fields.length === 1) return [sql`${text}::${raw(fields[0]!.dbType)}`];
  return fields.map((f, i) => sql`((${text})::json ->> ${raw(String(i))})::${raw(f.dbType)}`);
}

/** The record at `alias` is the one with the key that `text` says. */
export function keyIs(type: RecordType, alias: Sql, text: Sql): Sql {
  const given = keyUnpacked(type, text);
  return join(
    keyColumns(type, alias).map((c, i) => sql`${c} = ${given[i]!}`),
    ' and ',
  );
}

/** The record at `alias` is (or, with `not`, is none) of those with these keys. */
export function keyAmong(type: RecordType, alias: Sql, keys: readonly string[], not = false): Sql {
  const fields = keyFields(type);
  if (fields.length === 1)
    return sql`${keyRow(type, alias)} ${raw(not ? '<> all' : '= any')}(${value(keys)}::text[]::${raw(fields[0]!.dbType)}[])`;
  const given = join(keyUnpacked(type, raw('k.key')), ', ');
  return sql`${keyRow(type, alias)} ${raw(not ? 'not in' : 'in')} (select ${given} from unnest(${value(keys)}::text[]) k(key))`;
}
