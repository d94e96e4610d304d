import {
  asText,
  join,
  keyIs,
  letterOf,
  raw,
  Scope,
  sql,
  value,
  wholeRecord,
  wholeSignature,
  type Along,
  type RecordType,
  type Sql,
} from '@tantamos/core';

/** A related record of a run, as an undo finds it: as the run left it, changed since, or no longer there. */
export type Now = 'same' | 'edited' | 'gone' | 'taken';

/** An entry of the undo's order, and the place of the same entry in the order of the run. */
export interface AlongUndone {
  readonly entry: Along;
  readonly type: RecordType;
  /** Part and place of the entry in the undo's order. */
  readonly part: number;
  readonly at: number;
  /** The same in the order of the run. */
  readonly wasPart: number;
  readonly wasAt: number;
}

/** Fields whose values are read now, so that the undo can itself be undone: all of what is deleted. */
export function fieldsNow({ entry, type }: AlongUndone): readonly string[] {
  return entry.act === 'delete' ? wholeRecord(type).map((f) => f.name) : [];
}

/**
 * What a run did to related records, and how they are now: rows of `owner` (the key of the record that they belong to), `key`,
 * `now` (see `Now`), `made_as` (what they are now; null where they are not there) and `v1`… of `fieldsNow`.
 */
export function alongNow(run: string, undone: AlongUndone): Sql {
  const { entry, type, wasPart, wasAt } = undone;
  const scope = new Scope(type);
  // Of a reference that was cleared or restored only that field counts.
  const only = entry.act === 'delete' || entry.act === 'create' ? null : entry.by;
  const found = sql`${scope.keys()[0]!} is not null`;
  const hash = wholeSignature(scope, only);
  const now =
    entry.act === 'create'
      ? sql`case when ${found} then 'taken' else 'same' end`
      : sql`case when not (${found}) then 'gone' when ${hash} is not distinct from d.made_as then 'same' else 'edited' end`;
  const values = fieldsNow(undone).map((name, i) => sql`, ${asText(scope.own(name))} as ${raw(`v${i + 1}`)}`);
  return sql`
    select d.owner, d.key, ${now} as now, case when ${found} then ${hash} else d.made_as end as made_as${join(values, '')}
    from (
      select coalesce(s.made[a.owner - s.low], b.keys[a.owner]) as owner, a.key, a.made_as
      from tantamos.run_along ra
      join tantamos.run on run.id = ra.run
      join tantamos.run_batch s on s.run = ra.run and s.position = ra.position and s.part = ${value(wasPart)}::int
      join tantamos.batch b on b.preview = run.preview and b.position = s.batch
      cross join lateral rows from (unnest(ra.owners), unnest(ra.keys), unnest(ra.made_as)) a(owner, key, made_as)
      where ra.run = ${value(run)}::uuid and ra.along = ${value(wasAt)}) d
    left join ${scope.from()} on ${keyIs(type, scope.root, raw('d.key'))}`;
}

/** Why owners of the records in `table` cannot be undone with them: rows of `part`, `owner`, `verdict`, `cause`. */
export function hinderedBy(table: Sql, { entry, type, part }: AlongUndone): Sql {
  const label = type.label;
  const cause = {
    delete: `${label}: a record that was created with it has been edited since.`,
    blank: `${label}: the reference of a record to it has been changed since.`,
    restore: `${label}: the reference of a record to it has been changed since.`,
    create: `${label}: another record has the key of one that was deleted with it.`,
  }[entry.act as 'delete' | 'blank' | 'restore' | 'create'];
  const verdict = letterOf(entry.act === 'create' ? 'not_allowed' : 'edited_since');
  return sql`select ${value(part)}::int as part, owner, ${value(verdict)}::text as verdict, ${value(cause)}::text as cause
    from ${table} where now in ('edited', 'taken')`;
}

/**
 * Freezes the related records in `table` with the owners of theirs that will be undone; `kept`: of which states.
 * A second statement freezes their values, where these were read.
 */
export function freezeAlong(preview: string, table: Sql, undone: AlongUndone, kept: readonly Now[]): readonly Sql[] {
  const { part, at } = undone;
  const id = sql`${value(preview)}::uuid`;
  const items = sql`${relatedOf(preview, table, part)} and n.now = any(${value(kept)}::text[])`;
  const values = fieldsNow(undone).map(
    (name, i) => sql`
      insert into tantamos.batch_along_value (preview, position, along, field, new)
      select ${id}, position, ${value(at)}, ${value(name)}, array_agg(${raw(`v${i + 1}`)} order by place, key)
      from (${items}) i group by position`,
  );
  return [
    sql`insert into tantamos.batch_along (preview, position, along, owners, keys, made_as)
      select ${id}, position, ${value(at)}, array_agg(place order by place, key), array_agg(key order by place, key),
        array_agg(made_as order by place, key) from (${items}) i group by position`,
    ...values,
  ];
}

/** Related records in `table` whose owners are frozen to be undone: rows of `position`, `place` and what `alongNow` gives. */
function relatedOf(preview: string, table: Sql, part: number): Sql {
  return sql`
    select u.position, o.place::int as place, n.* from tantamos.batch u
    cross join lateral rows from (unnest(u.keys), string_to_table(u.verdicts, null)) with ordinality o(owner, verdict, place)
    join ${table} n on n.owner = o.owner
    where u.preview = ${value(preview)}::uuid and u.part = ${value(part)} and o.verdict = ${value(letterOf('will_change'))}`;
}

/** How many of them were edited since, and how many are gone: one row of `edited`, `gone`. */
export function alongLeft(preview: string, table: Sql, { part }: AlongUndone): Sql {
  return sql`
    select count(*) filter (where now = 'edited')::int as edited, count(*) filter (where now = 'gone')::int as gone
    from (${relatedOf(preview, table, part)}) r`;
}

/** Freezes for what is created again, or gets its reference again, the values that the run's own preview froze. */
export function freezeAlongValues(run: string, preview: string, { at, wasAt }: AlongUndone): Sql {
  return sql`
    insert into tantamos.batch_along_value (preview, position, along, field, new)
    select u.preview, u.position, u.along, v.field, array_agg(v.new[i.at] order by k.place)
    from tantamos.batch_along u
    cross join lateral unnest(u.keys) with ordinality k(key, place)
    join tantamos.run on run.id = ${value(run)}::uuid
    join tantamos.batch_along o on o.preview = run.preview and o.along = ${value(wasAt)} and k.key = any(o.keys)
    cross join lateral (select array_position(o.keys, k.key) as at) i
    join tantamos.batch_along_value v on v.preview = o.preview and v.position = o.position and v.along = o.along
    where u.preview = ${value(preview)}::uuid and u.along = ${value(at)} group by u.preview, u.position, u.along, v.field`;
}
