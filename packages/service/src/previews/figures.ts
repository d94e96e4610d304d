import {
  hasKey,
  identifier,
  raw,
  sql,
  tableOf,
  value,
  type CheckedPart,
  type Field,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { letter, valueJoins } from '../engine/statements/rows';

/** What a preview says of its values as a whole, over the records that will change. */
export interface Figures {
  readonly fields: readonly FieldFigures[];
  readonly loads: readonly Loads[];
  /** The same summed over several fields and types; of which part and field the people are one. */
  readonly loadsInAll?: Loads;
}

/** Of one field before and after; amounts and days as texts, null where there are none. */
export interface FieldFigures {
  /** Of the order’s parts; absent in what was kept before there were several. */
  readonly part?: number;
  readonly field: string;
  /** Records whose value of it changes. */
  readonly changed: number;
  /** Of these, those that had none and get one, and the other way round. */
  readonly filled: number;
  readonly emptied: number;
  readonly before: Spread;
  readonly after: Spread;
  /** Characters of the longest text there will be; null of other fields. */
  readonly longest: number | null;
}

export interface Spread {
  readonly low: string | null;
  readonly high: string | null;
  readonly sum: string | null;
}

/** Records of the type that each of the people concerned has, before and after. */
export interface Loads {
  readonly part?: number;
  readonly field: string;
  readonly people: readonly { readonly key: string; readonly before: number; readonly after: number }[];
  /** People concerned who are not among them. */
  readonly more: number;
}

const mostPeople = 50;

export async function figuresOf(
  database: Database,
  previewId: string,
  parts: readonly CheckedPart[],
): Promise<Figures> {
  const fields: FieldFigures[] = [];
  const loads: Loads[] = [];
  for (const [part, { act, type, changes }] of parts.entries()) {
    if (act !== 'update') continue;
    for (const { field } of changes) {
      const of = { previewId, part, field };
      const [found] = await database.ask<Record<string, string | number | null>>(figures(of));
      if (!found || found.changed === 0) continue;
      fields.push({ part, ...asFigures(field, found) });
      if (field.refersTo !== null && type.ownerFields.includes(field.name) && hasKey(type))
        loads.push({ part, ...(await loadsOf(database, of, type)) });
    }
  }
  const inAll = await inAllOf(database, loads, parts);
  return { fields, loads, ...(inAll ? { loadsInAll: inAll } : {}) };
}

/** What each person has of all types whose owners change; null where that is one, or where those are people of several types. */
async function inAllOf(
  database: Database,
  loads: readonly Loads[],
  parts: readonly CheckedPart[],
): Promise<Loads | null> {
  const owners = loads.map((l) => {
    const { type, changes } = parts[l.part ?? 0]!;
    return { type, field: changes.find((c) => c.field.name === l.field)!.field };
  });
  const people = new Set(owners.map((o) => o.field.refersTo));
  const different = new Map(owners.map((o) => [JSON.stringify([o.type.id, o.field.name]), o]));
  if (different.size < 2 || people.size > 1) return null;
  const moved = new Map<string, number>();
  for (const { key, before, after } of loads.flatMap((l) => l.people))
    moved.set(key, (moved.get(key) ?? 0) + after - before);
  const keys = [...moved.keys()];
  const before = new Map<string, number>();
  for (const { type, field } of different.values())
    for (const [key, n] of await having(database, type, field, keys)) before.set(key, (before.get(key) ?? 0) + n);
  const all = keys
    .map((key) => ({ key, before: before.get(key) ?? 0, after: (before.get(key) ?? 0) + moved.get(key)! }))
    .sort((a, b) => Math.abs(b.after - b.before) - Math.abs(a.after - a.before));
  const more = Math.max(0, all.length - mostPeople) + Math.max(...loads.map((l) => l.more));
  return { part: loads[0]!.part ?? 0, field: loads[0]!.field, people: all.slice(0, mostPeople), more };
}

/** How many records of a type each of these has. */
async function having(
  database: Database,
  type: RecordType,
  field: Field,
  keys: readonly string[],
): Promise<Map<string, number>> {
  const column = sql`r.${identifier(field.name)}`;
  const rows = await database.ask<{ key: string; n: number }>(sql`
    select ${column}::text as key, count(*)::int as n from ${tableOf(type)} r
    where ${column} = any(${value(keys)}::${raw(field.dbType)}[]) group by 1`);
  return new Map(rows.map((h) => [h.key, h.n]));
}

/** A field of a part of a preview. */
interface Of {
  readonly previewId: string;
  readonly part: number;
  readonly field: Field;
}

function asFigures(field: Field, f: Record<string, string | number | null>): FieldFigures {
  const text = (name: string): string | null => (f[name] === null || f[name] === undefined ? null : String(f[name]));
  const spread = (side: 'old' | 'new'): Spread => ({
    low: text(`low_${side}`),
    high: text(`high_${side}`),
    sum: text(`sum_${side}`),
  });
  return {
    field: field.name,
    changed: Number(f.changed),
    filled: Number(f.filled),
    emptied: Number(f.emptied),
    before: spread('old'),
    after: spread('new'),
    longest: f.longest === null || f.longest === undefined ? null : Number(f.longest),
  };
}

/** Rows of `old`, `new` of a field, of records that will change in it. */
function changed({ previewId, part, field: { name } }: Of): Sql {
  return sql`tantamos.batch b ${valueJoins([name], 'b.preview', 'b.position')}
    cross join lateral rows from (unnest(v1.old), unnest(v1.new), string_to_table(b.verdicts, null)) i(old, new, verdict)
    where b.preview = ${value(previewId)}::uuid and b.part = ${value(part)}::int and i.verdict = ${letter('will_change')} and i.old is distinct from i.new`;
}

function figures(of: Of): Sql {
  const { field } = of;
  const isNumber = field.base === 'number' && field.refersTo === null && field.choices === null;
  const isTime = field.base === 'date' || field.base === 'moment';
  const type = raw(isNumber ? 'numeric' : field.dbType);
  const spread = ['old', 'new'].map((side) => {
    const v = sql`${raw(`i.${side}`)}::${type}`;
    if (!isNumber && !isTime) return raw('');
    const sum = isNumber ? sql`, sum(${v})::text as ${raw(`sum_${side}`)}` : raw('');
    return sql`, min(${v})::text as ${raw(`low_${side}`)}, max(${v})::text as ${raw(`high_${side}`)}${sum}`;
  });
  const isText = field.base === 'text' && field.refersTo === null && field.choices === null;
  const longest = isText ? raw(', max(char_length(i.new)) as longest') : raw('');
  return sql`select count(*)::int as changed,
      (count(*) filter (where coalesce(i.old, '') = '' and i.new <> ''))::int as filled,
      (count(*) filter (where coalesce(i.new, '') = '' and i.old <> ''))::int as emptied${spread[0]!}${spread[1]!}${longest}
    from ${changed(of)}`;
}

async function loadsOf(database: Database, of: Of, type: RecordType): Promise<Loads> {
  const { field } = of;
  const moved = await database.ask<{ key: string; moved: number; total: number }>(sql`
    with pairs as materialized (select i.old, i.new, count(*) as n from ${changed(of)} group by 1, 2)
    select m.key, sum(m.n)::int as moved, count(*) over ()::int as total
    from pairs p cross join lateral (values (p.old, -p.n), (p.new, p.n)) m(key, n) where m.key is not null
    group by m.key order by abs(sum(m.n)) desc, m.key limit ${value(mostPeople)}`);
  const before = await having(
    database,
    type,
    field,
    moved.map((m) => m.key),
  );
  return {
    field: field.name,
    people: moved.map((m) => {
      const now = before.get(m.key) ?? 0;
      return { key: m.key, before: now, after: now + m.moved };
    }),
    more: Math.max(0, (moved[0]?.total ?? 0) - moved.length),
  };
}
