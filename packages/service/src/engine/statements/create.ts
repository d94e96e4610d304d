import {
  identifier,
  join,
  keyIs,
  keyText,
  raw,
  Scope,
  signature,
  sql,
  writtenTable,
  value,
  type Checked,
  type Dealt,
  type Env,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { itemsOf, type Slice } from './items';
import { letter } from './rows';
import { storedNew, type StoredNew } from './stored';
import { assigned } from './update';
import type { Writing } from './writing';

/** A part that makes records of `type`; `source` is the type of those for which it does, null where for none. */
export interface Creating {
  readonly type: RecordType;
  readonly source: RecordType | null;
  readonly reads: readonly Checked[];
  readonly writes: readonly string[];
  readonly env: Env;
}

/**
 * Makes a record for each of a slice that is as the preview saw it: rows of `n`, `same` and the `key` of the record made.
 * Its key is drawn beforehand, where it is not among what is written, so that what is made along can point at it.
 */
export function createRecords(part: Creating, slice: Slice): Writing<Drawn, StoredNew> {
  const { type, source, writes } = part;
  const item = itemsOf(writes, slice);
  let found = sql`select item.*, true as same from (${item}) item`;
  if (source) {
    const scope = new Scope(source, part.env);
    const hash = signature(part.reads, scope);
    // The record it is made for stays as it is until this is committed.
    found = sql`select item.*, ${hash} = item.signature as same
      from (${item}) item join ${scope.from()} on ${keyIs(source, scope.root, raw('item.key'))}
      for key share of ${scope.root} skip locked`;
  }
  const write = sql`
    with found as materialized (${found}), ${drawn(type, writes, 'found', sql` where found.same`)},
    written as (${insertion(type, writes, [])} returning 1)
    select found.n::int as n, found.same, ${keyText(drawnKeys(type))} as key
    from found left join drawn on drawn.n = found.n cross join (select count(*) from written) done`;
  return {
    write,
    stored: (written) => {
      const created = written.flatMap(({ n, same, key }) => (same ? [{ n, key: key! }] : []));
      return created.length > 0 ? storedNew(part, created, item) : null;
    },
  };
}

/** Of one record to be created: whether the one it is for is the `same` as the preview saw, and the key that it got. */
export interface Drawn {
  readonly n: number;
  readonly same: boolean;
  readonly key: string | null;
}

/**
 * The places of those in a slice for whom nothing was done: no record that `by` of an earlier part's points at them was changed
 * in this run.
 */
export function notDealt(dealt: Dealt, of: RecordType, slice: Slice): Sql {
  const t = raw('t');
  return sql`
    with dealt as materialized (
      select distinct ${t}.${identifier(dealt.by)}::text as key
      from tantamos.run r join tantamos.run_batch s on s.run = r.id and s.part = ${value(dealt.part)}::int and s.changed > 0
      join tantamos.batch b on b.preview = r.preview and b.position = s.batch
      cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null)) k(key, outcome)
      join ${writtenTable(of)} ${t} on ${keyIs(of, t, raw('k.key'))}
      where r.preview = ${value(slice.previewId)}::uuid and k.outcome = ${letter('changed')})
    select i.n::int as n from (${itemsOf([], slice)}) i where not exists (select from dealt d where d.key = i.key)`;
}

/**
 * Creates what goes along with records of a batch: rows of `owner` (the place of the record that it is for), its own number `n`
 * and its `key`. `owners` are those records' places and keys.
 */
export function createAlong(
  along: { readonly type: RecordType; readonly by: string; readonly writes: readonly string[]; readonly at: number },
  slice: Slice,
  owners: readonly { readonly n: number; readonly key: string }[],
): Writing<{ owner: number; n: number; key: string }, StoredNew> {
  const { type, by, writes, at } = along;
  const values = writes.map((field, i) => {
    const v = raw(`v${i + 1}`);
    return sql` join tantamos.batch_along_value ${v} on ${v}.preview = a.preview and ${v}.position = a.position
      and ${v}.along = a.along and ${v}.field = ${value(field)}`;
  });
  const arrays = writes.map((_, i) => raw(`, unnest(v${i + 1}.new)`));
  const names = writes.map((_, i) => raw(`, new_${i + 1}`));
  // An owner may have several: each has a number of its own.
  const items = sql`
    select i.*, o.key as owner from tantamos.batch_along a${join(values, '')}
    cross join lateral rows from (unnest(a.owners)${join(arrays, '')}) with ordinality i(owner_place${join(names, '')}, n)
    join unnest(${value(owners.map((o) => o.n))}::int[], ${value(owners.map((o) => o.key))}::text[]) o(n, key) on o.n = i.owner_place
    where a.preview = ${value(slice.previewId)}::uuid and a.position = ${value(slice.batch)}::int and a.along = ${value(at)}::int`;
  const write = sql`
    with found as materialized (${items}), ${drawn(type, writes, 'found', raw(''))},
    written as (${insertion(type, writes, [by])} returning 1)
    select drawn.owner_place as owner, drawn.n::int as n, ${keyText(drawnKeys(type))} as key
    from drawn cross join (select count(*) from written) done`;
  return { write, stored: (written) => (written.length > 0 ? storedNew(along, written, items) : null) };
}

/** The rows of `from` with their keys as `k1`…: written, or what the database itself would put there. */
function drawn(type: RecordType, writes: readonly string[], from: string, where: Sql): Sql {
  const keys = type.key.map((name, i) => {
    const field = type.fields.find((f) => f.name === name)!;
    const at = writes.indexOf(name);
    const made = at >= 0 ? raw(`new_${at + 1}::${field.dbType}`) : raw(field.default ?? 'null');
    return sql`${made} as ${raw(`k${i + 1}`)}`;
  });
  return sql`drawn as materialized (select ${raw(from)}.*, ${join(keys, ', ')} from ${raw(from)}${where})`;
}

function drawnKeys(type: RecordType): readonly Sql[] {
  return type.key.map((_, i) => raw(`drawn.k${i + 1}`));
}

/** What is not written is left to the database. `owned`: fields that point at the record it is made for. */
function insertion(type: RecordType, writes: readonly string[], owned: readonly string[]): Sql {
  const as = (from: string, name: string): Sql =>
    assigned(
      raw(from),
      type.fields.find((f) => f.name === name)!,
    );
  const columns = [
    ...type.key.map((name, i) => ({ name, from: raw(`drawn.k${i + 1}`) })),
    ...owned
      // What is made again is written whole, the field that points included.
      .filter((name) => !type.key.includes(name) && !writes.includes(name))
      .map((name) => ({ name, from: as('drawn.owner', name) })),
    ...writes.flatMap((name, i) => (type.key.includes(name) ? [] : [{ name, from: as(`drawn.new_${i + 1}`, name) }])),
  ];
  return sql`insert into ${writtenTable(type)} (${join(
    columns.map((c) => identifier(c.name)),
    ', ',
  )}) overriding system value select ${join(
    columns.map((c) => c.from),
    ', ',
  )} from drawn order by drawn.n`;
}
