import {
  entryKey,
  fail,
  identifier,
  keyOf,
  pathText,
  piecesOf,
  raw,
  resolveColumn,
  Scope,
  sql,
  value,
  within,
  type Catalog,
  type FieldPath,
  type Piece,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { askOn, type Connection, type Database } from '../database/database';
import { writeReport } from './report';

export interface Target {
  readonly type: string;
  readonly fields: readonly string[];
}

const mostPieces = 200_000;
/** Unknown entries beyond this are not looked for in other types. */
const mostElsewhere = 20_000;

interface Fields {
  readonly type: RecordType;
  readonly paths: readonly FieldPath[];
}

/** Takes a pasted text apart, matches its entries with records of the types wanted, keeps all of it. Returns its id. */
export async function matchList(
  database: Database,
  catalog: Catalog,
  account: string,
  text: string,
  targets: readonly Target[],
): Promise<string> {
  const wanted = targets.map((t, i) => within(`targets[${i}]`, () => fieldsOf(catalog, t)));
  const paths = wanted.flatMap((w) => w.paths);
  const pieces = piecesOf(text, {
    addresses: paths.every((p) => /e-?mail/i.test(`${p.field.name} ${p.field.label}`)),
    names: wanted.some(({ type, paths: all }) => all.some((p) => p.field.name === type.nameField)),
    types: catalog.types.map((t) => t.id.toLowerCase()),
  });
  if (pieces.length > mostPieces)
    fail('over_limit', `A list may have ${mostPieces.toLocaleString('en-US')} entries; this has more.`, {
      where: 'text',
    });
  const { lines, entries } = numbered(pieces);
  return database.transaction('read committed', async (connection) => {
    await connection.query(`set local statement_timeout = 60000`);
    const { rows } = await connection.query<{ id: string }>(
      `insert into tantamos.list (made_by, targets, lines, report) values ($1, $2, $3, '{}') returning id`,
      [account, JSON.stringify(targets), lines.length],
    );
    const id = rows[0]!.id;
    await connection.query(
      `insert into tantamos.list_line (list, n, said, fate, entry)
       select $1, t.* from unnest($2::int[], $3::text[], $4::text[], $5::int[]) t`,
      [id, lines.map((l) => l.n), lines.map((l) => l.said), lines.map((l) => l.fate), lines.map((l) => l.entry)],
    );
    await connection.query(
      'insert into tantamos.list_entry (list, n, said) select $1, t.* from unnest($2::int[], $3::text[]) t',
      [id, entries.map((e) => e.n), entries.map((e) => e.said)],
    );
    for (const { type, paths: all } of wanted) {
      const mine = entries.filter((e) => e.ofType === undefined || e.ofType === type.id.toLowerCase());
      for (const path of all) await askOn(connection, matchOne(id, type, path, mine));
    }
    await connection.query(
      `update tantamos.list_match m set several = true from (
         select entry, type from tantamos.list_match where list = $1 group by 1, 2 having count(*) > 1) s
       where m.list = $1 and m.entry = s.entry and m.type = s.type`,
      [id],
    );
    await lookElsewhere(connection, catalog, id, wanted);
    await writeReport(connection, catalog, id);
    return id;
  });
}

interface Entry {
  readonly n: number;
  readonly said: string;
  readonly key: string;
  readonly ofType?: string;
}

/** Every piece once: as blank, no address, the first of its entry, or a repeat of it. */
function numbered(pieces: readonly Piece[]) {
  const known = new Map<string, number>();
  const entries: Entry[] = [];
  const lines = pieces.map(({ said, entry, ofType }, i) => {
    const line = { n: i + 1, said: said.slice(0, 1000) };
    if (entry === null) return { ...line, fate: said === '' ? 'blank' : 'not_address', entry: null };
    const key = entryKey(entry).slice(0, 1000);
    const before = known.get(`${ofType ?? ''}\n${key}`);
    if (before !== undefined) return { ...line, fate: 'repeat', entry: before };
    entries.push({ n: entries.length + 1, said: entry.slice(0, 1000), key, ...(ofType ? { ofType } : {}) });
    known.set(`${ofType ?? ''}\n${key}`, entries.length);
    return { ...line, fate: 'entry', entry: entries.length };
  });
  return { lines, entries };
}

function fieldsOf(catalog: Catalog, { type: id, fields }: Target): Fields {
  const type = catalog.type(id);
  keyOf(type);
  const names = fields.length > 0 ? fields : [type.key!];
  const paths = names.map((f, i) => within(`fields[${i}]`, () => resolveColumn(catalog, type, f)));
  for (const path of paths)
    if (!['text', 'number', 'uuid', 'date'].includes(path.field.base) || path.field.refersTo)
      fail('type_mismatch', `${path.field.label} cannot be matched with a list; follow a reference to a field of it.`);
  return { type, paths };
}

function matchOne(list: string, type: RecordType, path: FieldPath, entries: readonly Entry[]): Sql {
  const scope = new Scope(type);
  const column = scope.column(path);
  const fits = fitting(path, entries);
  const test = comparison(path, column, path.through.length === 0 && path.field.name === type.nameField);
  return sql`insert into tantamos.list_match (list, entry, type, key, field, several)
    select ${value(list)}::uuid, e.n, ${value(type.id)}, ${scope.key()}::text, ${value(pathText(path))}, false
    from ${scope.from()} join unnest(${value(fits.map((e) => e.n))}::int[], ${value(fits.map((e) => e.key))}::text[]) e(n, said)
      on ${test}
    on conflict do nothing`;
}

/** Entries that could be a value of the field: a number field is never asked for a word. */
function fitting({ field }: FieldPath, entries: readonly Entry[]): readonly Entry[] {
  if (field.base === 'number') return entries.filter((e) => /^-?\d{1,18}(\.\d{1,10})?$/.test(e.key));
  if (field.base === 'uuid') return entries.filter((e) => /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/.test(e.key));
  if (field.base === 'date') return entries.filter((e) => /^\d{4}-\d{2}-\d{2}$/.test(e.key));
  return entries;
}

function comparison({ field }: FieldPath, column: Sql, isName: boolean): Sql {
  if (field.base === 'number') return sql`${column} = e.said::${raw(field.scale === 0 ? 'bigint' : 'numeric')}`;
  if (field.base === 'uuid') return sql`${column} = e.said::uuid`;
  if (field.base === 'date') return sql`${column}::text = e.said`;
  if (isName) return sql`tantamos.lower(btrim(regexp_replace(${column}::text, '\\s+', ' ', 'g'))) = e.said`;
  return sql`tantamos.lower(${column}::text) = e.said`;
}

/** Marks unknown entries that are a key, code or other unique text of some type, or of another field. */
async function lookElsewhere(
  connection: Connection,
  catalog: Catalog,
  list: string,
  wanted: readonly Fields[],
): Promise<void> {
  const unknown = sql`select n, tantamos.lower(said) as said from tantamos.list_entry e where list = ${value(list)}::uuid and elsewhere is null
    and not exists (select from tantamos.list_match m where m.list = e.list and m.entry = e.n)`;
  const [counted] = await askOn<{ n: number }>(connection, sql`select count(*) as n from (${unknown}) u`);
  if (!counted || counted.n === 0 || counted.n > mostElsewhere) return;
  for (const type of catalog.types) {
    if (type.hidden || type.key === null) continue;
    const asked = wanted.filter((w) => w.type.id === type.id).flatMap((w) => w.paths.map(pathText));
    const codes = type.fields.filter(
      (f) => !f.hidden && !asked.includes(f.name) && (f.base === 'text' || f.base === 'uuid') && f.unique,
    );
    for (const field of codes)
      await askOn(
        connection,
        sql`update tantamos.list_entry e set elsewhere = jsonb_build_object('type', ${value(type.id)}::text, 'field', ${value(field.name)}::text)
          from (${unknown}) u
          where e.list = ${value(list)}::uuid and e.n = u.n and u.said in (
            select tantamos.lower(${identifier(field.name)}::text) from ${identifier(type.schema, type.table)})`,
      );
  }
}
