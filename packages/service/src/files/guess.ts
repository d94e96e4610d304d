import type { FilePlanSaid } from '@tantamos/contract';
import {
  cell,
  columnOf,
  dateOrders,
  join,
  raw,
  signedColumn,
  sql,
  tableOf,
  value,
  type DateOrder,
  type Field,
  type RecordType,
} from '@tantamos/core';
import type { Database } from '../database/database';
import type { Seen } from '../rights/seen';
import type { KeptFile } from './store';

const mostCompared = 200;
const longestLook = 5000;
/** Columns of an export that are compared with what its fields were. */
const mostStrange = 10;

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
  const signed = file.columns.find((c) => c.name.toLowerCase() === signedColumn.toLowerCase());
  if (signed) return planOfSigned(database, file, type, signed.name);
  const before = await planBefore(database, seen, file, type);
  if (before) return before;
  const open = type.fields.filter((f) => !f.hidden);
  const called = file.columns.map((c) => open.find((f) => isCalled(f, c.name)) ?? partlyCalled(open, c));
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

/** Of an export that comes back: every column whose field can be changed; an emptied cell was emptied on purpose. */
async function planOfSigned(
  database: Database,
  file: KeptFile,
  type: RecordType,
  signed: string,
): Promise<FilePlanSaid> {
  const open = type.fields.filter((f) => !f.hidden && f.base !== 'list');
  const called = file.columns.map((c) => open.find((f) => f.name === c.name) ?? null);
  for (const [column, field] of await renamed(database, file, signed, called, open)) called[column] ??= field;
  const take = called.flatMap((field, i) =>
    field && field.notEditable === null ? [{ field: field.name, column: file.columns[i]!.name }] : [],
  );
  const readings: Record<string, { dates: DateOrder }> = {};
  for (const [i, c] of file.columns.entries()) {
    const order = c.order === null ? await orderAsBefore(database, file, signed, i) : null;
    if (order) readings[c.name] = { dates: order };
  }
  return {
    type: type.id,
    signed,
    match: [],
    take,
    ...(Object.keys(readings).length > 0 ? { readings } : {}),
    blank: 'clear',
    unknown: 'skip',
    several: 'skip',
  };
}

/** Columns of an export that have been given another name since: what is in most of their cells is what a field was. */
async function renamed(
  database: Database,
  file: KeptFile,
  signed: string,
  called: readonly (Field | null)[],
  fields: readonly Field[],
): Promise<ReadonlyMap<number, Field>> {
  const at = file.columns.findIndex((c) => c.name === signed);
  const strange = file.columns.flatMap((_, i) => (called[i] === null && i !== at ? [i] : [])).slice(0, mostStrange);
  if (strange.length === 0) return new Map();
  const rows = await database
    .askWithin<{ column: number; name: string; same: number; of: number }>(
      sql`select c.i as column, f.name, count(*) filter (where c.said in (btrim(x.shown[f.at]), btrim(x.stored[f.at])))::int as same,
          count(*)::int as of
        from tantamos.file_row r
        join tantamos.export e on e.id::text = split_part(${cell(at)}, ':', 1)
        join tantamos.export_row x on x.export = e.id and x.export::text || ':' || x.key = ${cell(at)}
        cross join lateral (values ${join(
          strange.map((i) => sql`(${raw(String(i))}, ${cell(i)})`),
          ', ',
        )}) c(i, said)
        cross join lateral unnest(e.fields) with ordinality f(name, at)
        where r.file = ${value(file.id)}::uuid and r.n <= ${value(mostCompared)}
          and (c.said is not null or btrim(x.shown[f.at]) <> '')
        group by 1, 2`,
      longestLook,
    )
    .catch(() => []);
  const isOpen = (name: string): boolean => !called.some((f) => f?.name === name);
  const likely = rows.filter((r) => r.same * 2 > r.of && isOpen(r.name)).sort((a, b) => b.same / b.of - a.same / a.of);
  const found = new Map<number, Field>();
  for (const { column, name } of likely) {
    const field = fields.find((f) => f.name === name);
    if (field && !found.has(column) && ![...found.values()].includes(field)) found.set(column, field);
  }
  return found;
}

/** Our own files begin dates with the year; which way round a spreadsheet has written them is told from what they were. */
async function orderAsBefore(
  database: Database,
  file: KeptFile,
  signed: string,
  column: number,
): Promise<DateOrder | null> {
  const at = file.columns.findIndex((c) => c.name === signed);
  const [counts] = await database
    .askWithin<Record<DateOrder, number>>(
      sql`select ${join(
        dateOrders.map(
          (order) =>
            sql`(count(*) filter (where tantamos.read_date(${cell(column)}, ${value(order)})::text = any(x.stored)))::int as ${raw(order)}`,
        ),
        ', ',
      )} from tantamos.file_row r
      join tantamos.export_row x on x.export::text || ':' || x.key = ${cell(at)}
        and x.export = (select e.id from tantamos.export e where e.id::text = split_part(${cell(at)}, ':', 1))
      where r.file = ${value(file.id)}::uuid and r.n <= ${value(mostCompared)}`,
      longestLook,
    )
    .catch(() => []);
  if (!counts || counts.dmy === counts.mdy) return null;
  return counts.dmy > counts.mdy ? 'dmy' : 'mdy';
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

/** The one field in whose name all words of the column’s stand, where what is in the column is a value of it. */
function partlyCalled(fields: readonly Field[], { name, looks, samples }: KeptFile['columns'][number]): Field | null {
  const words = wordsOf(name);
  if (words.length === 0 || samples.length === 0) return null;
  const isValue = ({ choices, base, refersTo }: Field): boolean => {
    if (refersTo !== null) return false;
    if (!choices) return (base === 'number' && looks === 'number') || (base === 'date' && looks === 'date');
    const known = choices.flatMap((c) => [plain(c.value), plain(c.label)]);
    return samples.every((s) => known.includes(plain(s)));
  };
  const some = fields.filter((f) => {
    const its = new Set(wordsOf(f.label));
    return words.every((w) => its.has(w)) && isValue(f);
  });
  return some.length === 1 ? some[0]! : null;
}

function wordsOf(text: string): readonly string[] {
  return (
    text
      .normalize('NFKD')
      .toLowerCase()
      .match(/[\p{L}\p{N}]+/gu) ?? []
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
