import {
  entryKey,
  fail,
  identifier,
  join,
  hasKey,
  keyFields,
  ofBase,
  keyText,
  pathText,
  piecesOf,
  raw,
  resolveColumn,
  Scope,
  sql,
  tableOf,
  value,
  within,
  type Catalog,
  type FieldPath,
  type Reading,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { askOn, type Connection, type Database } from '../database/database';
import { mustHaveRoom } from '../storage/room';
import { pieces, turns } from '../turns';
import { writeReport } from './report';

export interface Target {
  readonly type: string;
  readonly fields: readonly string[];
}

const mostPieces = 100_000;
/** Entries matched by one statement, each of which reads the type once. */
const mostMatched = 25_000;
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
  const { lines, entries } = await numbered(text, {
    addresses: paths.every((p) => /e-?mail/i.test(`${p.field.name} ${p.field.label}`)),
    names: wanted.some(({ type, paths: all }) => all.some((p) => isName(p, type))),
    types: catalog.types.map((t) => t.id.toLowerCase()),
  });
  return database.transaction(
    'read committed',
    async (connection) => {
      await connection.query(`set local statement_timeout = 60000`);
      await forgetOld(connection, account);
      await mustHaveRoom(connection, 'lists', account);
      const { rows } = await connection.query<{ id: string }>(
        `insert into tantamos.list (made_by, targets, lines, report) values ($1, $2, $3, '{}') returning id`,
        [account, JSON.stringify(targets), lines.length],
      );
      const id = rows[0]!.id;
      for await (const some of pieces(lines))
        await connection.query(
          `insert into tantamos.list_line (list, n, said, fate, entry)
           select $1, t.* from unnest($2::int[], $3::text[], $4::text[], $5::int[]) t`,
          [id, some.map((l) => l.n), some.map((l) => l.said), some.map((l) => l.fate), some.map((l) => l.entry)],
        );
      for await (const some of pieces(entries))
        await connection.query(
          'insert into tantamos.list_entry (list, n, said) select $1, t.* from unnest($2::int[], $3::text[]) t',
          [id, some.map((e) => e.n), some.map((e) => e.said)],
        );
      const found = new Set<number>();
      for (const { type, paths: all } of wanted) {
        const mine = entries.filter((e) => e.ofType === undefined || e.ofType === type.id.toLowerCase());
        for await (const some of pieces(mine, mostMatched))
          for (const { entry } of await askOn<{ entry: number }>(connection, matchType(id, type, all, some)))
            found.add(entry);
      }
      const unknown = entries.filter((e) => !found.has(e.n));
      await lookElsewhere(connection, catalog, id, wanted, unknown);
      await writeReport(connection, catalog, id);
      return id;
    },
    'searches',
  );
}

/** A list that nothing was made of is forgotten after a day: the live report makes one at every pause in typing. */
async function forgetOld(connection: Connection, account: string): Promise<void> {
  const { rows } = await connection.query<{ id: string }>(
    `delete from tantamos.list l where made_by = $1 and made_at < now() - interval '1 day'
       and not exists (select from tantamos.saved_selection s where s.said::text like '%' || l.id || '%')
       and not exists (select from tantamos.preview p where p.list_report ->> 'id' = l.id::text)
       and not exists (select from tantamos.draft d where d.job::text like '%' || l.id || '%')
       and not exists (select from tantamos.saved_job j where j.said::text like '%' || l.id || '%')
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

interface Line {
  readonly n: number;
  readonly said: string;
  readonly fate: 'blank' | 'not_address' | 'repeat' | 'entry';
  readonly entry: number | null;
}

/** Every piece once: as blank, no address, the first of its entry, or a repeat of it. */
async function numbered(text: string, reading: Reading) {
  const known = new Map<string, number>();
  const entries: Entry[] = [];
  const lines: Line[] = [];
  const turn = turns();
  for (const { said, entry, ofType } of piecesOf(text, reading)) {
    await turn();
    if (lines.length === mostPieces)
      fail('over_limit', `A list may have ${mostPieces.toLocaleString('en-US')} entries; this has more.`, {
        where: 'text',
      });
    const n = lines.length + 1;
    if (entry === null) {
      lines.push({ n, said, fate: said === '' ? 'blank' : 'not_address', entry: null });
      continue;
    }
    const key = entryKey(entry);
    const before = known.get(`${ofType ?? ''}\n${key}`);
    if (before === undefined) {
      entries.push({ n: entries.length + 1, said: entry, key, ...(ofType ? { ofType } : {}) });
      known.set(`${ofType ?? ''}\n${key}`, entries.length);
    }
    lines.push({ n, said, fate: before === undefined ? 'entry' : 'repeat', entry: before ?? entries.length });
  }
  return { lines, entries };
}

function fieldsOf(catalog: Catalog, { type: id, fields }: Target): Fields {
  const type = catalog.type(id);
  keyFields(type);
  const names = fields.length > 0 ? fields : type.key.slice(0, 1);
  const paths = names.map((f, i) => within(`fields[${i}]`, () => resolveColumn(catalog, type, f)));
  for (const path of paths)
    if (ofBase(path.field.base).inList === null || path.field.refersTo)
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
  const { inList } = ofBase(field.base);
  return inList === null || inList === 'text' ? entries : entries.filter((e) => inList.fits(e.key));
}

function comparison({ field }: FieldPath, column: Sql, isName: boolean, plain: boolean): Sql {
  const { inList } = ofBase(field.base);
  if (inList !== null && inList !== 'text') return inList.is(column, raw('e.said'), field);
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
        sql`select e.n from ${said} join ${tableOf(type)} r
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
