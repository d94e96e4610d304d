import {
  asText,
  envOf,
  fieldNow,
  join,
  keyIs,
  raw,
  Scope,
  sql,
  thawReads,
  typeNow,
  value,
  type Catalog,
  type OrderPart,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { longestSearch } from '../database/patience';
import { inverse } from '../engine/inverse';
import { letter } from '../engine/statements/rows';
import { doneRows, undoRows, writtenOf, type Stretch } from '../engine/statements/undo';
import { areWhole } from '../journal/sortable';
import type { RunRow } from '../runs/runs';
import { most, nothing, type Ending, type Other, type Sums, type Totals } from './sums';

/** A value that a record was given is told as far as this. */
const mostLetters = 2000;
/** The fields that tell who changed a record last, as databases call them. */
const tellsWho = /^(updated|changed|modified|edited)_by(_id)?$/;

/** Some stretches of a run one after another, all of one part. */
export interface Piece extends Stretch {
  readonly part: number;
}

/** What is counted next, from a position on: stretches of about so many records; undefined where there is nothing left. */
export async function nextPiece(
  database: Database,
  run: string,
  from: number,
  about: number,
): Promise<Piece | undefined> {
  return database.one<Piece & Record<string, unknown>>(
    `with ahead as (
       select position, part, sum(changed) over (order by position) - changed as before
       from (select * from tantamos.run_batch where run = $1 and position >= $2 and changed > 0
         order by position limit 1000) s
     ), first as (select * from ahead order by position limit 1)
     select min(a.part) as part, min(a.position) as "from", max(a.position) + 1 as "to" from ahead a, first
     where a.before < $3 and a.position < coalesce(
       (select min(o.position) from ahead o where o.part <> first.part), 2147483647)
     having count(*) > 0`,
    [run, from, about],
  );
}

/** What has become of the records of a piece: all of it, whoever asks, so that sums are whole; who may see what is for the view. */
export async function countedOf(
  database: Database,
  r: RunRow,
  piece: Piece,
  catalog: Catalog,
  longest: number,
): Promise<Sums> {
  const part = r.work_order.parts[piece.part]!;
  const type = typeNow(catalog, part.type);
  if (part.act !== 'update') return wholeOf(database, r, piece, type, catalog, longest);
  const who = type.fields.find((f) => tellsWho.test(f.name))?.name ?? null;
  const [row] = await database.askPlainly<Answer>(countsOf(comparedRows(r, piece, part, type, who), part), longest);
  const { totals, others, since, people } = row!;
  return {
    totals,
    fields: part.writes.map((field, i) => {
      const { as_written: asWritten, values } = row!.fields[i]!;
      return { part: piece.part, field, asWritten, values };
    }),
    who: who === null || totals.changed_since === 0 ? null : { part: piece.part, field: who, people },
    others: others.map((other) => ({ ...other, part: piece.part })),
    // Later runs are looked for among those of the run’s type.
    since: part.type === r.type ? since : [],
  };
}

interface Answer extends Record<string, unknown> {
  readonly totals: Totals;
  readonly fields: readonly { as_written: number; values: Sums['fields'][number]['values'] }[];
  readonly people: NonNullable<Sums['who']>['people'];
  readonly others: readonly Omit<Other, 'part'>[];
  readonly since: readonly string[];
}

/**
 * The records that a part changed, with what they were, what was written and what they are: `old_1`, `written_1`, `now_1` …,
 * and in `who` who changed them last.
 */
function comparedRows(r: RunRow, piece: Piece, { writes }: OrderPart, type: RecordType, who: string | null): Sql {
  const scope = new Scope(type, envOf(r.work_order));
  const columns = writes.map((name, i) => {
    const [old, written, now] = [
      raw(`c.old_${i + 1}`),
      writtenOf(name, i),
      asText(scope.own(fieldNow(type, name).name)),
    ];
    return sql`${old} as ${raw(`old_${i + 1}`)}, ${written} as ${raw(`written_${i + 1}`)}, ${now} as ${raw(`now_${i + 1}`)}`;
  });
  const every = (a: string, b: string): Sql =>
    raw(writes.map((_, i) => `x.${a}_${i + 1} is not distinct from x.${b}_${i + 1}`).join(' and ') || 'true');
  return sql`select x.*, x.present and ${every('now', 'written')} as as_written, x.present and ${every('now', 'old')} as put_back
    from (
      select c.key, ${scope.keys()[0]!} is not null as present, ${who === null ? raw('null') : asText(scope.own(who))} as who,
        ${join(columns, ', ')}
      from (${doneRows(r.id, piece.part, writes, piece, raw(''))}) c
      left join ${scope.from()} on ${keyIs(type, scope.root, raw('c.key'))}) x`;
}

/** All that is counted of a piece, in one question that reads its records once. */
function countsOf(compared: Sql, { writes }: OrderPart): Sql {
  const since = raw('w.present and not w.as_written and not w.put_back');
  const fields = writes.map((_, i) => valuesOf(i + 1));
  const clipped = (of: string): Sql =>
    raw(`array[${writes.map((_, i) => clip(`w.${of}_${i + 1}`)).join(', ')}]::text[]`);
  return sql`
    with w as materialized (${compared})
    select (select jsonb_build_object(
        'written', count(*) filter (where w.as_written),
        'changed_since', count(*) filter (where ${since}),
        'gone', count(*) filter (where not w.present),
        'put_back', count(*) filter (where w.present and not w.as_written and w.put_back)) from w) as totals,
      jsonb_build_array(${join(fields, ', ')}) as fields,
      (select case when count(*) <= ${value(most.people)} then coalesce(jsonb_agg(jsonb_build_array(p.who, p.n)), '[]') end
        from (select w.who, count(*) as n from w where ${since} group by 1) p) as people,
      (select coalesce(jsonb_agg(o), '[]') from (
        select w.key, w.present, ${clipped('written')} as written, ${clipped('now')} as now from w
        where not w.as_written and not w.put_back limit ${value(most.others)}) o) as others,
      (select coalesce(jsonb_agg(k.key), '[]') from (select w.key from w where ${since} limit ${value(most.since)}) k) as since`;
}

const clip = (text: string): string =>
  `case when length(${text}) > ${mostLetters} then left(${text}, ${mostLetters}) || '…' else ${text} end`;

/** `as_written` and `values` of the field at a place. */
function valuesOf(n: number): Sql {
  const [old, written, now] = [raw(`w.old_${n}`), raw(`w.written_${n}`), raw(`w.now_${n}`)];
  return sql`(select jsonb_build_object(
      'as_written', (select count(*) from w where w.present and ${now} is not distinct from ${written}),
      'values', case when count(*) <= ${value(most.values)} and coalesce(sum(length(c.value)), 0) <= ${value(most.letters)}
        then coalesce(jsonb_agg(jsonb_build_array(c.value, c.before, c.after, c.now)), '[]') end)
    from (
      select v.value, count(*) filter (where v.at = 1) as before, count(*) filter (where v.at = 2) as after,
        count(*) filter (where v.at = 3) as now
      from w cross join lateral (values (1, ${old}), (2, ${written}), (3, ${now})) v(at, value)
      where v.at < 3 or w.present group by 1) c)`;
}

/** The same of what was made or deleted, by what taking it back would find. */
async function wholeOf(
  database: Database,
  r: RunRow,
  piece: Piece,
  type: RecordType,
  catalog: Catalog,
  longest: number,
): Promise<Sums> {
  const { parts } = inverse(r.work_order, catalog);
  const back = parts[parts.length - 1 - piece.part]!;
  const undoing = {
    run: r.id,
    part: piece.part,
    type,
    back,
    reads: thawReads(back, catalog),
    env: envOf(r.work_order),
    taken: { of: null, overwrite: false, leaveEdited: false },
    hindered: null,
    at: 0,
  };
  const rows = await database.askPlainly<{ name: keyof Totals; n: number }>(
    sql`select case w.verdict when ${letter('edited_since')} then 'changed_since' when ${letter('gone')} then 'gone'
        when ${letter('not_allowed')} then 'put_back' else 'written' end as name, count(*)::int as n
      from (${undoRows(undoing, piece, 1)}) w group by 1`,
    longest,
  );
  return { ...nothing, totals: { ...nothing.totals, ...Object.fromEntries(rows.map(({ name, n }) => [name, n])) } };
}

/** Later runs that changed some of these records of the run's type. */
export async function laterRuns(
  database: Database,
  r: RunRow,
  keys: readonly string[],
  catalog: Catalog,
): Promise<NonNullable<Ending['later']>> {
  if (keys.length === 0) return [];
  const ofType = r.work_order.parts.find((part) => part.type === r.type)!;
  const whole = value(areWhole(ofType, () => typeNow(catalog, r.type)));
  return database.askPlainly<{ id: string; n: number }>(
    sql`with ours as materialized (
        select array_agg(k.key) as keys, min(k.place) as low, max(k.place) as high
        from (select key, tantamos.sortable(key, ${whole}) collate "C" as place from unnest(${value(keys)}::text[]) key) k)
      select u.id, count(*)::int as n from ours cross join tantamos.run u
      join tantamos.run_batch s on s.run = u.id and s.type = ${value(r.type)} and s.changed > 0
        and s.key_low <= ours.high and s.key_high >= ours.low
      join tantamos.batch b on b.preview = u.preview and b.position = s.batch
      cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null)) k(key, outcome)
      where u.started_at > ${value(r.started_at)}::timestamptz and u.id <> ${value(r.id)}::uuid
        and k.outcome = ${letter('changed')} and k.key = any(ours.keys)
      group by u.id order by 2 desc limit 20`,
    longestSearch,
  );
}
