import {
  identifier,
  join,
  rulesTouched,
  type Field,
  keyColumns,
  keyText,
  raw,
  said,
  sql,
  value,
  writtenTable,
  type CheckedPart,
  type Sql,
} from '@tantamos/core';
import { letter } from './rows';

// Of a field whose every value may be there once: which records would get one that another has, or is to get as well.

/** The places of the part's changes to such fields. */
export function uniqueChanges({ act, changes }: CheckedPart): readonly number[] {
  return act === 'update' ? changes.flatMap(({ field }, i) => (field.unique ? [i] : [])) : [];
}

/**
 * Marks the rows (as `partRows` gives them) that cannot have the value they would get: first those that several are to
 * get, then those whose value a record has that keeps it. What a record of the same job gives up is free.
 */
export function clashes(part: CheckedPart, index: number, rows: Sql): readonly Sql[] {
  const [, fresh] = typedChange(part.changes[index]!, index);
  const willChange = sql`r.verdict = ${letter('will_change')} and ${raw(`r.new_${index + 1}`)} is not null`;
  const several = sql`select ${fresh} as v, count(*) as n from ${rows} r where ${willChange} group by 1 having count(*) > 1`;
  return [
    sql`update ${rows} r set verdict = ${letter('not_allowed')}, cause = ${severalWords(part, index, raw('c.n'))}
      from (${several}) c where ${willChange} and ${fresh} = c.v`,
    sql`update ${rows} r set verdict = ${letter('not_allowed')}, cause = ${takenWords(part, index, raw('h.key'))}
      from (${heldElsewhere(part, index, rows, raw('true'))}) h where ${willChange} and r.n = h.n`,
  ];
}

/** Rows that are to get what a record has that keeps it: `n`, and its `key`. `counts`: which of the rows give up what they have. */
function heldElsewhere({ type, changes }: CheckedPart, index: number, rows: Sql, counts: Sql): Sql {
  const { field } = changes[index]!;
  const [old, fresh] = typedChange(changes[index]!, index);
  const willChange = sql`r.verdict = ${letter('will_change')}`;
  const key = keyText(keyColumns(type, raw('t')));
  return sql`select w.n, min(w.key) as key from (
      select r.n, ${key} as key from ${rows} r join ${writtenTable(type)} t on t.${identifier(field.name)} = ${fresh}
      where ${willChange} and ${counts} and ${key} <> r.key) w
    left join (select r.key from ${rows} r where ${willChange} and ${counts} and ${old} is distinct from ${fresh}) g on g.key = w.key
    where g.key is null group by w.n`;
}

/**
 * The same rows, those marked that `clashes` would mark, without a table of them: for counts while a job is composed. Who
 * waits for a value that is kept further down its chain is not found.
 */
export function withClashes(part: CheckedPart, rows: Sql): Sql {
  const indexes = uniqueChanges(part);
  if (indexes.length === 0) return rows;
  const willChange = sql`r.verdict = ${letter('will_change')}`;
  const times = indexes.map((i) => {
    const [, fresh] = typedChange(part.changes[i]!, i);
    return sql`count(*) filter (where ${willChange}) over (partition by ${fresh}) as ${raw(`times_${i + 1}`)}`;
  });
  const held = indexes.map((i) => {
    const alias = raw(`held_${i + 1}`);
    return sql`left join (${heldElsewhere(part, i, raw('counted'), raw(`r.times_${i + 1} = 1`))}) ${alias} on ${alias}.n = r.n`;
  });
  const causes = indexes.map((i) => {
    const [alias, count] = [raw(`held_${i + 1}.key`), raw(`r.times_${i + 1}`)];
    return sql`case when not (${willChange}) or ${raw(`r.new_${i + 1}`)} is null then null
      when ${count} > 1 then ${severalWords(part, i, count)}
      when ${alias} is not null then ${takenWords(part, i, alias)} end`;
  });
  const names = part.changes.map((_, i) => raw(`r.old_${i + 1}, r.new_${i + 1}`));
  return sql`
    with worked as materialized (${rows}), counted as materialized (select r.*, ${join(times, ', ')} from worked r),
      told as (select r.*, coalesce(${join(causes, ', ')}) as clash from counted r ${join(held, ' ')})
    select r.n, r.key, ${join(names, ', ')}, coalesce(r.clash, r.cause) as cause,
      case when r.clash is null then r.verdict else ${letter('not_allowed')} end as verdict
    from told r`;
}

const shownNew = (index: number): Sql => sql`left(${raw(`r.new_${index + 1}`)}, 60)`;

function severalWords({ changes }: CheckedPart, index: number, times: Sql): Sql {
  return said([
    `${changes[index]!.field.label}: “`,
    shownNew(index),
    '” would be there ',
    sql`${times}::text`,
    ' times; each value may be there once.',
  ]);
}

/** Whose it is is not told to who may not see all of them. */
function takenWords({ type, changes }: CheckedPart, index: number, key: Sql): Sql {
  const whose = type.limits ? ['another record already.'] : ['the one with the key ', key, ' already.'];
  return said([`${changes[index]!.field.label}: “`, shownNew(index), '” is that of ', ...whose]);
}

/** Who holds a value that another record is to get goes before it: pairs of places, `reader` and `read`. */
export function handedOn(part: CheckedPart, index: number, rows: Sql): Sql {
  return sql`select b.n as reader, a.n as read from ${heldBy(part, index, rows)}
    and b.verdict = ${letter('will_change')} and b.${raw(`old_${index + 1}`)} is distinct from b.${raw(`new_${index + 1}`)}`;
}

/** Who is to get a value that a record of the selection holds: `n`, the holder as `next` where it gives it up, else `kept`. */
export function holders(part: CheckedPart, index: number, rows: Sql): Sql {
  const gives = sql`(b.verdict = ${letter('will_change')})`;
  return sql`select a.n, case when ${gives} then b.n end as next, not ${gives} as kept from ${heldBy(part, index, rows)}`;
}

function heldBy({ changes }: CheckedPart, index: number, rows: Sql): Sql {
  const type = raw(changes[index]!.field.dbType);
  return sql`${rows} a join ${rows} b on b.${raw(`old_${index + 1}`)}::${type} = a.${raw(`new_${index + 1}`)}::${type}
    where a.n <> b.n and a.verdict = ${letter('will_change')}`;
}

/** Marks those of a chain (`n`, `kept`) that wait for what is not given up. */
export function keptFrom({ changes }: CheckedPart, index: number, rows: Sql, chain: Sql): Sql {
  const words = said([
    `${changes[index]!.field.label}: “`,
    sql`left(r.${raw(`new_${index + 1}`)}, 60)`,
    '” is not given up by the record that has it, which keeps its own.',
  ]);
  return refusedRows(rows, words, sql`exists (select from ${chain} c where c.n = r.n and c.kept)`);
}

export function refusedRows(rows: Sql, words: Sql, which: Sql): Sql {
  return sql`update ${rows} r set verdict = ${letter('not_allowed')}, cause = ${words}::text where ${which}`;
}

/** Of each row the one it waits for (`next`), how many it is behind it, and the least place met. */
export function distances(rows: Sql, pairs: Sql): Sql {
  return sql`select r.n, e.reader as next, (e.reader is not null)::int::bigint as steps, least(r.n, e.reader) as low
    from ${rows} r left join ${pairs} e on e.read = r.n`;
}

/** Marks those of a chain as `distances` gives it that go round, in circles of more than so many. */
export function inRings(rows: Sql, chain: Sql, words: string, most: number): Sql {
  const large = sql`select low from ${chain} where next is not null group by low having count(*) > ${raw(String(most))}`;
  return refusedRows(
    rows,
    value(words),
    sql`r.n in (select n from ${chain} where next is not null and low in (${large}))`,
  );
}

/** Whether the values that are handed on all become greater, or all become less: `up`, `down`. */
export function directions({ changes }: CheckedPart, index: number, rows: Sql, pairs: Sql): Sql {
  const [old, fresh] = typedChange(changes[index]!, index);
  return sql`select coalesce(bool_and(${fresh} > ${old}), true) as up, coalesce(bool_and(${fresh} < ${old}), true) as down
    from ${pairs} e join ${rows} r on r.n = e.read`;
}

/** The rows with `at_last`, their place by what they hold: the greatest first, where values become greater. */
export function byHeld({ changes }: CheckedPart, index: number, rows: Sql, way: 'up' | 'down'): Sql {
  const [old] = typedChange(changes[index]!, index);
  const direction = raw(way === 'up' ? 'desc nulls last' : 'asc nulls last');
  return sql`select r.*, row_number() over (order by ${old} ${direction}, r.n) as at_last from ${rows} r`;
}

function typedChange({ field }: CheckedPart['changes'][number], index: number): readonly [Sql, Sql] {
  const typed = (name: string): Sql => sql`${raw(`r.${name}_${index + 1}`)}::${raw(field.dbType)}`;
  return [typed('old'), typed('new')];
}

/**
 * Why records whose values go round in a circle cannot all give up theirs first; null where they can: the field is blank
 * meanwhile or, where it may not be, has a value that no record has. What the database's own rules say of that one nobody
 * can tell beforehand.
 */
export function unparkable({ type, changes, references }: CheckedPart, index: number): string | null {
  const { field } = changes[index]!;
  if (references?.changes.some((r) => r.referenced === field.name))
    return 'its values go round in a circle, and other records refer to them';
  if (rulesTouched(type, [field.name]).some((r) => r.fields.includes(field.name)))
    return 'its values go round in a circle, and a rule of the database says what they may be meanwhile';
  if (!field.required || parkingOf(field)) return null;
  return 'its values go round in a circle, and there is none it could have meanwhile';
}

/** A value that no record has, for the place `n` of a batch; null for kinds of which none can be thought of. */
export function parkingOf(
  { base, dbType, maxLength, name }: Field,
  table: Sql = raw('t'),
  n: Sql = raw('n'),
): Sql | null {
  const column = identifier(name);
  if (base === 'number') return sql`((select least(min(${column}), 0) from ${table}) - ${n})::${raw(dbType)}`;
  if (base === 'date' || base === 'moment')
    return sql`((select max(${column}) from ${table}) + ${n} * interval '1 day')::${raw(dbType)}`;
  if (base === 'uuid') return raw('gen_random_uuid()');
  if (base === 'text' && (maxLength === null || maxLength >= 8))
    return sql`left('~' || ${n} || md5(random()::text), ${raw(String(maxLength ?? 40))})::${raw(dbType)}`;
  return null;
}

/**
 * The rows with `at_last`: chains first, from their ends on; then those that go round, each circle within one batch. Those
 * of one size are packed as closely as that allows, which leaves places free.
 */
export function ringsPlaced(rows: Sql, steps: Sql, batchSize: number): Sql {
  const size = raw(`${batchSize}::bigint`);
  return sql`
    with chains as (
      select r.n, row_number() over (order by s.steps, r.n) as at from ${rows} r join ${steps} s on s.n = r.n
      where s.next is null or r.verdict <> ${letter('will_change')}
    ), members as (
      select s.n, s.low, count(*) over (partition by s.low) as size, row_number() over (partition by s.low order by s.n) - 1 as place
      from ${steps} s join ${rows} r on r.n = s.n where s.next is not null and r.verdict = ${letter('will_change')}
    ), numbered as (
      select *, dense_rank() over (partition by size order by low) - 1 as ring, ${size} / size as fit from members
    ), sizes as (
      select size, (max(ring) / max(fit)) + 1 as batches from numbered group by size
    ), begun as (
      select size, sum(batches) over (order by size) - batches as before from sizes
    ), ends as (
      select (coalesce(max(at), 0) + ${size} - 1) / ${size} as batches from chains
    ), placed as (
      select n, at from chains
      union all
      select m.n, (e.batches + b.before + m.ring / m.fit) * ${size} + (m.ring % m.fit) * m.size + m.place + 1
      from numbered m join begun b using (size) cross join ends e
    )
    select r.*, p.at::bigint as at_last from ${rows} r join placed p on p.n = r.n`;
}
