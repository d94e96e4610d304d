import type { FilePlanSaid } from '@tantamos/contract';
import { cell, columnOf, join, raw, sql, tableOf, value, type Field, type RecordType } from '@tantamos/core';
import type { Database } from '../database/database';
import type { Seen } from '../rights/seen';
import type { KeptFile } from './store';

const mostCompared = 200;
const longestLook = 5000;

/**
 * Which column is which field, by what it is called or, of what tells records apart, by what is in it. What the person said
 * the last time of a file with the same header is said again.
 */
export async function guessPlan(
  database: Database,
  seen: Seen,
  file: KeptFile,
  type: RecordType,
): Promise<FilePlanSaid> {
  const before = await planBefore(database, seen, file, type);
  if (before) return before;
  const open = type.fields.filter((f) => !f.hidden);
  const called = file.columns.map((c) => open.find((f) => isCalled(f, c.name)) ?? null);
  const telling = open.filter((f) => tells(f, type));
  const byName = called.findIndex((field) => field !== null && telling.includes(field));
  const found =
    byName >= 0
      ? { column: byName, field: called[byName]! }
      : await byValues(database, file, type, telling).catch(() => null);
  const take = file.columns.flatMap((c, i) => {
    const field = called[i];
    if (!field || i === found?.column || field.notEditable !== null) return [];
    return [{ field: field.name, column: c.name }];
  });
  return {
    type: type.id,
    match: found ? [{ column: file.columns[found.column]!.name, field: found.field.name }] : [],
    take,
    blank: 'leave',
    unknown: 'stop',
    several: 'skip',
  };
}

async function planBefore(
  database: Database,
  seen: Seen,
  file: KeptFile,
  type: RecordType,
): Promise<FilePlanSaid | null> {
  const header = JSON.stringify(file.columns.map((c) => c.name));
  const row = await database.one<{ plan: FilePlanSaid }>(
    `select plan from tantamos.file where made_by = $1 and id <> $2 and plan ->> 'type' = $3
       and (select jsonb_agg(c -> 'name') from jsonb_array_elements(columns) c) = $4::jsonb order by made_at desc limit 1`,
    [seen.person.id, file.id, type.id, header],
  );
  const isThere = (name: string): boolean => type.fields.some((f) => f.name === name && !f.hidden);
  return row && row.plan.take.every((t) => isThere(t.field)) ? row.plan : null;
}

const plain = (text: string): string =>
  text
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]/gu, '');

/** Is the column called as the field is, but for spaces, signs and a final s. */
function isCalled({ name, label }: Field, column: string): boolean {
  const said = plain(column);
  if (said === '') return false;
  const names = [plain(name), plain(label)];
  return (
    names.some((n) => n === said || `${n}s` === said || n === `${said}s`) ||
    (/^e?mail(address)?$/.test(said) && names.includes('email'))
  );
}

/** Tells records apart: the key, what is there once, a mail address, a name. */
function tells(field: Field, type: RecordType): boolean {
  if (field.refersTo !== null || !['text', 'number', 'uuid'].includes(field.base)) return false;
  const isKey = type.key.length === 1 && type.key[0] === field.name;
  return isKey || field.unique || /e-?mail/i.test(field.name) || field.name === type.nameField;
}

/** The column most of whose first cells are values of a field that tells records apart. */
async function byValues(database: Database, file: KeptFile, type: RecordType, telling: readonly Field[]) {
  const texts = telling.filter((f) => f.base === 'text' || f.base === 'uuid');
  if (texts.length === 0) return null;
  const pairs = file.columns.slice(0, 30).flatMap((_, column) => texts.map((field) => ({ column, field })));
  const counts = await database.askWithin<{ i: number; n: number; of: number }>(
    join(
      pairs.map(
        ({ column, field }, i) => sql`
          (select ${raw(String(i))} as i, count(*) filter (where exists (
              select from ${tableOf(type)} t where tantamos.lower(${columnOf(field, raw('t'))}::text) = c.said))::int as n, count(*)::int as of
            from (select distinct tantamos.lower(${cell(column)}) as said from tantamos.file_row r
              where r.file = ${value(file.id)}::uuid and r.n <= ${value(mostCompared)} and ${cell(column)} is not null) c)`,
      ),
      ' union all ',
    ),
    longestLook,
  );
  const best = counts.filter((c) => c.n * 2 > c.of).sort((a, b) => b.n / b.of - a.n / a.of)[0];
  return best ? pairs[best.i]! : null;
}
