import {
  entryKey,
  fail,
  identifier,
  join,
  hasKey,
  keyFields,
  keyText,
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
    names: wanted.some(({ type, paths: all }) => all.some((p) => isName(p, type))),
    types: catalog.types.map((t) => t.id.toLowerCase()),
  });
  if (pieces.length > mostPieces)
    fail('over_limit', `A list may have ${mostPieces.toLocaleString('en-US')} entries; this has more.`, {
      where: 'text',
    });
  const { lines, entries } = numbered(pieces);
  return database.transaction('read committed', async (connection) => {
    await connection.query(`set local statement_timeout = 60000`);
    await forgetOld(connection, account);
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
    const found = new Set<number>();
    for (const { type, paths: all } of wanted) {
      const mine = entries.filter((e) => e.ofType === undefined || e.ofType === type.id.toLowerCase());
      for (const { entry } of await askOn<{ entry: number }>(connection, matchType(id, type, all, mine)))
        found.add(entry);
    }
    const unknown = entries.filter((e) => !found.has(e.n));
    await lookElsewhere(connection, catalog, id, wanted, unknown);
    await writeReport(connection, catalog, id);
    return id;
  });
}

/** A list that nothing was made of is forgotten after a day: the live report makes one at every pause in typing. */
async function forgetOld(connection: Connection, account: string): Promise<void> {
  const { rows } = await connection.query<{ id: string }>(
    `delete from tantamos.list l where made_by = $1 and made_at < now() - interval '1 day'
       and not exists (select from tantamos.saved_selection s where s.said::text like '%' || l.id || '%')
       and not exists (select from tantamos.preview p where p.list_report ->> 'id' = l.id::text)
       and not exists (select from tantamos.draft d where d.job::text like '%' || l.id || '%')
     returning id`,
    [account],
  );
  if (rows.length === 0) return;
  for (const table of ['list_line', 'list_entry', 'list_match'])
    await connection.query(`delete from tantamos.${table} where list = any($1)`, [rows.map((r) => r.id)]);
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
  keyFields(type);
  const names = fields.length > 0 ? fields : type.key.slice(0, 1);
  const paths = names.map((f, i) => within(`fields[${i}]`, () => resolveColumn(catalog, type, f)));
  for (const path of paths)
    if (!['text', 'number', 'uuid', 'date'].includes(path.field.base) || path.field.refersTo)
      fail('type_mismatch', `${path.field.label} cannot be matched with a list; follow a reference to a field of it.`);
  return { type, paths };
}

/** One statement a type: every field in turn, each record once an entry; the entries that fit come back. */
function matchType(list: string, type: RecordType, paths: readonly FieldPath[], entries: readonly Entry[]): Sql {
  const fields = paths.flatMap((path, i) =>
    byLetters(fitting(path, entries)).map(({ fits, plain }) => {
      const scope = new Scope(type);
      const column = scope.column(path);
      return sql`select e.n as entry, ${keyText(scope.keys())} as key, ${value(pathText(path))}::text as field, ${raw(String(i))} as place
        from ${scope.from()} join unnest(${value(fits.map((e) => e.n))}::int[], ${value(fits.map((e) => e.key))}::text[]) e(n, said)
          on ${comparison(path, column, isName(path, type), plain)}`;
    }),
  );
  return sql`insert into tantamos.list_match (list, entry, type, key, field, several)
    select ${value(list)}::uuid, entry, ${value(type.id)}, key, field, count(*) over (partition by entry) > 1
    from (select distinct on (entry, key) * from (${join(fields, ' union all ')}) f order by entry, key, place) d
    returning entry`;
}

/** A name that people have given: it may hold commas, and spaces too many. A code that is unique is none. */
function isName({ through, field }: FieldPath, type: RecordType): boolean {
  return through.length === 0 && field.name === type.nameField && !field.unique;
}

/**
 * Plain letters and the rest apart: small letters of plain ones cost a quarter of what those of all languages do
 * (50,000 entries among 1,000,000 codes).
 */
function byLetters(entries: readonly Entry[]): { fits: readonly Entry[]; plain: boolean }[] {
  const isPlain = (e: Entry): boolean => /^[\x00-\x7f]*$/.test(e.key);
  const plain = { fits: entries.filter(isPlain), plain: true };
  const other = { fits: entries.filter((e) => !isPlain(e)), plain: false };
  return other.fits.length > 0 ? [plain, other] : [plain];
}

/** Entries that could be a value of the field: a number field is never asked for a word. */
function fitting({ field }: FieldPath, entries: readonly Entry[]): readonly Entry[] {
  if (field.base === 'number') return entries.filter((e) => /^-?\d{1,18}(\.\d{1,10})?$/.test(e.key));
  if (field.base === 'uuid') return entries.filter((e) => /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/.test(e.key));
  if (field.base === 'date') return entries.filter((e) => /^\d{4}-\d{2}-\d{2}$/.test(e.key));
  return entries;
}

function comparison({ field }: FieldPath, column: Sql, isName: boolean, plain: boolean): Sql {
  if (field.base === 'number') return sql`${column} = e.said::${raw(field.scale === 0 ? 'bigint' : 'numeric')}`;
  if (field.base === 'uuid') return sql`${column} = e.said::uuid`;
  if (field.base === 'date') return sql`${column}::text = e.said`;
  const small = (text: Sql): Sql => (plain ? sql`lower(${text} collate "C")` : sql`tantamos.lower(${text})`);
  if (isName) return sql`${small(sql`btrim(regexp_replace(${column}::text, '\\s+', ' ', 'g'))`)} = e.said`;
  return sql`${small(sql`${column}::text`)} = e.said`;
}

/** Marks unknown entries that are a key, code or other unique text of some type, or of another field. */
async function lookElsewhere(
  connection: Connection,
  catalog: Catalog,
  list: string,
  wanted: readonly Fields[],
  unknown: readonly Entry[],
): Promise<void> {
  if (unknown.length === 0 || unknown.length > mostElsewhere) return;
  const places = new Map<number, { type: string; field: string }>();
  const said = sql`unnest(${value(unknown.map((e) => e.n))}::int[], ${value(unknown.map((e) => e.key))}::text[]) e(n, said)`;
  for (const type of catalog.types) {
    if (type.hidden || !hasKey(type)) continue;
    const asked = wanted.filter((w) => w.type.id === type.id).flatMap((w) => w.paths.map(pathText));
    const codes = type.fields.filter(
      (f) => !f.hidden && !asked.includes(f.name) && (f.base === 'text' || f.base === 'uuid') && f.unique,
    );
    for (const field of codes)
      for (const { n } of await askOn<{ n: number }>(
        connection,
        sql`select e.n from ${said} join ${identifier(type.schema, type.table)} r
          on tantamos.lower(r.${identifier(field.name)}::text) = e.said`,
      ))
        places.set(n, { type: type.id, field: field.name });
  }
  // A page address says its type itself, whether there is such a record or not.
  for (const e of unknown) {
    const type = catalog.types.find((t) => t.id.toLowerCase() === e.ofType);
    if (type && !wanted.some((w) => w.type.id === type.id))
      places.set(e.n, { type: type.id, field: type.key[0] ?? 'key' });
  }
  await connection.query(
    `update tantamos.list_entry e set elsewhere = p.place
     from unnest($2::int[], $3::jsonb[]) p(n, place) where e.list = $1 and e.n = p.n`,
    [list, [...places.keys()], [...places.values()].map((p) => JSON.stringify(p))],
  );
}
