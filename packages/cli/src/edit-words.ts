import { readFileSync } from 'node:fs';
import { editMembers, separatorOf, withoutHeading, type Edit, type Member } from '@tantamos/core';
import { parse as parseCsv } from 'csv-parse/sync';
import { UsageError } from './trouble';

// An edit on the command line is one word in quotes: the field, then what the edit kind asks for as member=value.
//   --shift "due_on by=3 unit='working days'"    --split "owner among='Ines Calloway':2,'Tobias Fenwick'"
// Lists have commas, what belongs together colons; what holds any of these, or a space, stands in quotes. A list may come
// from a CSV file: pairs=@kinds.csv.

type Schema = Readonly<Record<string, unknown>>;

/** The edit that such words say; `kind` is the option’s. */
export function readEdit(kind: Edit['kind'], said: string): Edit {
  const option = `--${kind}`;
  const words = wordsOf(said, option);
  const [first, ...rest] = words;
  if (first === undefined) throw new UsageError(`${option} needs a field first: ${usageOf(kind)}`);
  const members = editMembers(kind);
  const edit: Record<string, unknown> = { kind, field: unquoted(first) };
  // What may stand above the columns of a CSV file.
  const from = rest.find((word) => word.startsWith('from='))?.slice(5);
  const heads = [unquoted(first), ...(from === undefined ? [] : [unquoted(from), ...unquoted(from).split('.')])];
  for (const word of rest) {
    const at = word.indexOf('=');
    const name = camel(at < 0 ? word : word.slice(0, at));
    const member = name !== 'field' && Object.hasOwn(members, name) ? members[name] : undefined;
    if (!member) throw new UsageError(`${option}: “${word}” is none of what it takes. ${usageOf(kind)}`);
    if (Object.hasOwn(edit, name)) throw new UsageError(`${option}: ${kebab(name)} is said twice.`);
    edit[name] = valueOf(member, at < 0 ? null : word.slice(at + 1), `${option} ${kebab(name)}`, heads);
  }
  const missing = Object.entries(members).find(([name, m]) => !m.optional && !Object.hasOwn(edit, name));
  if (missing) throw new UsageError(`${option} needs ${kebab(missing[0])}=…: ${usageOf(kind)}`);
  return edit as unknown as Edit;
}

/** `--shift "FIELD [by=…] …"` */
export function usageOf(kind: Edit['kind']): string {
  const parts = Object.entries(editMembers(kind))
    .filter(([name]) => name !== 'field')
    .map(([name, m]) => {
      const written = isYesNo(m.schema) ? kebab(name) : `${kebab(name)}=${hint(m.schema)}`;
      return m.optional ? `[${written}]` : written;
    });
  return `--${kind} "${['FIELD', ...parts].join(' ')}"`;
}

function hint(schema: Schema): string {
  if (Array.isArray(schema.enum)) return schema.enum.join('|');
  if (schema.type !== 'array') return '…';
  return `${itemHint(schema.items as Schema)},…`;
}

function itemHint(schema: Schema): string {
  if (Array.isArray(schema.enum)) return schema.enum.join('|');
  return schema.type === 'object'
    ? Object.keys(schema.properties as object)
        .map((p) => p.toUpperCase())
        .join(':')
    : '…';
}

const isYesNo = ({ type }: Schema): boolean => type === 'boolean';
const kebab = (name: string): string => name.replace(/[A-Z]/g, (c) => `-${c.toLowerCase()}`);
const camel = (name: string): string => name.replace(/-([a-z])/g, (_, c: string) => c.toUpperCase());

function valueOf({ schema }: Member, said: string | null, what: string, heads: readonly string[]): unknown {
  if (isYesNo(schema) && (said === null || /^(yes|true)$/i.test(said))) return true;
  if (isYesNo(schema) && /^(no|false)$/i.test(said!)) return false;
  if (said === null) throw new UsageError(`${what} needs a value: ${what.split(' ').at(-1)}=…`);
  if (schema.type !== 'array') return one(schema, unquoted(said), what);
  const items = schema.items as Schema;
  if (said.startsWith('@')) return fromCsv(unquoted(said.slice(1)), items, what, heads);
  return apart(said, ',').map((item) => itemOf(items, apart(item, ':').map(unquoted), what, item));
}

function itemOf(schema: Schema, parts: readonly string[], what: string, said: string): unknown {
  if (schema.type !== 'object') return one(schema, unquoted(said), what);
  const properties = Object.entries(schema.properties as Readonly<Record<string, Schema>>);
  if (parts.length > properties.length)
    throw new UsageError(`${what}: “${said}” has ${parts.length} parts; ${itemHint(schema)} has ${properties.length}.`);
  const filled = properties.flatMap(([name, s], i) => {
    const part = parts[i];
    const isMissing = part === undefined || (part === '' && !(schema.required as string[]).includes(name));
    return isMissing ? [] : [[name, one(s, part, what)] as const];
  });
  return Object.fromEntries(filled);
}

function one({ type }: Schema, said: string, what: string): unknown {
  if (type !== 'integer') return said;
  if (!/^-?\d+$/.test(said)) throw new UsageError(`${what} takes a whole number, not “${said}”.`);
  return Number(said);
}

/** A first line that names the field, or says what the first column is, is no line of values. */
function fromCsv(path: string, items: Schema, what: string, heads: readonly string[]): unknown[] {
  let text: string;
  try {
    text = readFileSync(path === '-' ? 0 : path, 'utf8');
  } catch {
    throw new UsageError(`${what}: the file ${path} cannot be read.`);
  }
  let rows: string[][];
  try {
    rows = parseCsv(text, {
      bom: true,
      skip_empty_lines: true,
      relax_column_count: true,
      delimiter: separatorOf(text),
    });
  } catch (error) {
    throw new UsageError(`${what}: ${path} is no CSV: ${(error as Error).message}`);
  }
  const [column] = Object.keys((items.properties as object | undefined) ?? {});
  return withoutHeading(rows, [...heads, ...(column === undefined ? [] : [column])]).map((row) =>
    itemOf(items, row, what, row.join(',')),
  );
}

/** Words with blanks between them; blanks in quotes are part of a word. */
function wordsOf(said: string, option: string): string[] {
  return apart(said.trim(), ' ', option).filter((w) => w !== '');
}

/** The pieces between separators; one in quotes does not part. */
function apart(said: string, separator: string, what = 'This'): string[] {
  const pieces: string[] = [];
  let from = 0;
  let quote: string | null = null;
  for (let i = 0; i < said.length; i++) {
    const c = said[i]!;
    if (quote !== null) {
      if (c === quote) quote = null;
    } else if (c === "'" || c === '"') quote = c;
    else if (c === separator || (separator === ' ' && /\s/.test(c))) {
      pieces.push(said.slice(from, i));
      from = i + 1;
    }
  }
  if (quote !== null) throw new UsageError(`${what}: a ${quote} is opened and not closed.`);
  return [...pieces, said.slice(from)];
}

/** Without its quotes; a doubled one inside is one. */
function unquoted(said: string): string {
  const t = said.trim();
  const quote = t[0];
  if ((quote !== "'" && quote !== '"') || t.length < 2 || t.at(-1) !== quote) return t;
  return t.slice(1, -1).replaceAll(quote + quote, quote);
}
