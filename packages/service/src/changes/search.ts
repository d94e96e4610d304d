import type { ChangesQuery } from '@tantamos/contract';
import {
  fail,
  fieldNamed,
  letterOf,
  momentSaid,
  sql,
  value,
  within,
  type Field,
  type RecordType,
  type Sql,
  join,
  raw,
  type Outcome,
} from '@tantamos/core';
import { answerNames } from '../catalog/names';
import type { Database } from '../database/database';
import { longestSearch } from '../database/patience';
import { valueJoins } from '../engine/statements/rows';
import { isWhole } from '../journal/sortable';
import type { Seen } from '../rights/seen';

/** What is looked for, with every name found. */
export interface Wanted {
  readonly since: Date | null;
  readonly until: Date | null;
  readonly by: string | null;
  readonly type: RecordType | null;
  readonly field: Field | null;
  readonly record: string | null;
  /** Any of these, as the database writes them; null among them: blank. Undefined: whatever it was. */
  readonly old: readonly (string | null)[] | undefined;
  readonly new: readonly (string | null)[] | undefined;
  readonly outcome: ChangesQuery['outcome'] | null;
  readonly text: string | null;
}

export async function wantedOf(database: Database, seen: Seen, timeZone: string, query: ChangesQuery): Promise<Wanted> {
  const moment = (where: 'since' | 'until'): Date | null =>
    query[where] === undefined ? null : within(where, () => momentSaid(query[where]!, timeZone, Date.now()));
  const type = query.type === undefined ? null : within('type', () => seen.catalog.type(query.type!));
  const needs = (where: 'field' | 'record' | 'old' | 'new', what: string): void => {
    if (query[where] !== undefined && !(what === 'type' ? query.type : query.field))
      fail('bad_request', `Say which ${what} as well.`, { where: what });
  };
  needs('field', 'type');
  needs('record', 'type');
  needs('old', 'field');
  needs('new', 'field');
  const field = query.field === undefined ? null : fieldOf(type!, query.field);
  const values = (said: string | undefined): Promise<Wanted['old']> =>
    said === undefined ? Promise.resolve(undefined) : meantBy(database, seen, field!, said);
  return {
    since: moment('since'),
    until: moment('until'),
    by: query.by?.trim() || null,
    type,
    field,
    record: query.record ?? null,
    old: await values(query.old),
    new: await values(query.new),
    outcome: query.outcome ?? null,
    text: query.text?.trim() || null,
  };
}

function fieldOf(type: RecordType, name: string): Field {
  const field = fieldNamed(type, name);
  if (field?.hidden === false) return field;
  const suggestions = type.fields.filter((f) => !f.hidden).map((f) => f.name);
  return fail('unknown_field', `${type.label} have no field “${name}”.`, { where: 'field', suggestions });
}

/** What may stand in the journal for what a person says: the value itself, a choice by its label, a record by its name. */
async function meantBy(
  database: Database,
  seen: Seen,
  field: Field,
  said: string,
): Promise<readonly (string | null)[]> {
  if (said === '') return [null, ''];
  const choice = field.choices?.find((c) => c.label.toLowerCase() === said.toLowerCase());
  const named = async (typeId: string): Promise<readonly string[]> =>
    (await answerNames(database, seen.catalog, [{ typeId, text: said }]))
      .found({ typeId, text: said })
      .map((f) => f.key);
  const records = field.refersTo !== null && seen.catalog.find(field.refersTo) ? await named(field.refersTo) : [];
  return [...new Set([said, ...(choice ? [choice.value] : []), ...records])];
}

/** Ids of runs that may fit, the newest first, from after a run on; whether their records fit is asked of each. */
export async function runsThatMayFit(
  database: Database,
  wanted: Wanted,
  after: string | null,
  limit: number,
): Promise<string[]> {
  const { since, until, by, type, field, text, outcome } = wanted;
  const pairs = pairsWanted(wanted);
  const tests: Sql[] = [
    ...(since ? [sql`r.started_at >= ${value(since)}::timestamptz`] : []),
    ...(until ? [sql`r.started_at < ${value(until)}::timestamptz`] : []),
    ...(by === null ? [] : [sql`${value(by.toLowerCase())} in (lower(a.login), lower(a.name))`]),
    ...(type ? [hasPart(type, field)] : []),
    ...(text === null ? [] : [sql`(${says(sql`p.sentence`, text)} or ${says(sql`p.why`, text)})`]),
    ...(outcome ? [leftSome(outcome)] : []),
    ...(pairs === null ? [] : [pairsMayFit(field!.name, pairs)]),
    ...(after === null
      ? []
      : [sql`(r.started_at, r.id) < (select started_at, id from tantamos.run where id = ${value(after)}::uuid)`]),
  ];
  const rows = await database.askPlainly<{ id: string }>(
    sql`select r.id from tantamos.run r join tantamos.preview p on p.id = r.preview
        join tantamos.account a on a.id = r.started_by
      where ${tests.length > 0 ? join(tests, ' and ') : raw('true')}
      order by r.started_at desc, r.id desc limit ${value(limit)}`,
    longestSearch,
  );
  return rows.map((r) => r.id);
}

const says = (column: Sql, text: string): Sql => sql`strpos(lower(${column}), ${value(text.toLowerCase())}) > 0`;

function hasPart(type: RecordType, field: Field | null): Sql {
  const writes = field ? sql` and part -> 'writes' ? ${value(field.name)}` : sql``;
  return sql`exists (select from jsonb_array_elements(p.work_order -> 'parts') part
    where part ->> 'type' = ${value(type.id)}${writes})`;
}

/** Once it is over its sums say so, before that its batches. */
function leftSome(outcome: Outcome): Sql {
  return sql`case when r.ended_at is not null then r.${raw(outcome)} > 0
    else exists (select from tantamos.run_batch s where s.run = r.id and strpos(s.outcomes, ${value(letterOf(outcome))}) > 0) end`;
}

/** What the counted pairs of a preview must hold; null where they cannot tell. */
function pairsWanted({ old, new: now, outcome }: Wanted): string | null {
  if ((old === undefined && now === undefined) || outcome === 'already_right' || outcome === 'not_allowed') return null;
  return JSON.stringify({ old: old ?? null, new: now ?? null });
}

/** Most runs say by the pairs that were counted that they changed nothing so; where not all were, their records are asked. */
function pairsMayFit(field: string, pairs: string): Sql {
  const among = (of: 'old' | 'new'): Sql => {
    const given = sql`${value(pairs)}::jsonb -> ${raw(`'${of}'`)}`;
    return sql`(${given} = 'null' or ${given} @> coalesce(x -> ${raw(`'${of}'`)}, 'null'))`;
  };
  return sql`(p.more_pairs ? ${value(field)} or p.work_order -> 'parts' @? '$[*] ? (@.act != "update")'
    or exists (select from tantamos.run_batch s where s.run = r.id and s.altered is not null)
    or exists (select from jsonb_array_elements(p.pairs) x
      where x ->> 'field' = ${value(field)} and ${among('old')} and ${among('new')}))`;
}

/** Is more asked than what stands in the run itself? */
export function asksRecords({ record, old, new: now }: Wanted): boolean {
  return record !== null || old !== undefined || now !== undefined;
}

/** The records of a run that fit: how many, and where the first few of them stand. */
export async function recordsThatFit(
  database: Database,
  run: string,
  wanted: Wanted,
  few: number,
): Promise<{ readonly count: number; readonly places: readonly { readonly position: number; readonly n: number }[] }> {
  const type = wanted.type!;
  const key = wanted.record;
  const among = (column: Sql, values: readonly (string | null)[] | undefined): Sql =>
    values === undefined
      ? sql`true`
      : sql`(${column} = any(${value(values.filter((v) => v !== null))}::text[])${values.includes(null) ? sql` or ${column} is null` : sql``})`;
  const stretches =
    key === null
      ? sql`select position from tantamos.run_batch where run = ${value(run)}::uuid`
      : sql`select f.position from tantamos.stretches_in(${value(run)}::uuid, ${value(type.id)}, ${value(key)},
          tantamos.sortable(${value(key)}::text, ${value(isWhole(type))})) f`;
  const fields = wanted.field ? [wanted.field.name] : [];
  const values = wanted.field ? sql`, unnest(v1.old[s.low + 1:s.high]), unnest(v1.new[s.low + 1:s.high])` : sql``;
  const names = wanted.field ? sql`, old, new` : sql``;
  // What the database made of a value itself is what was stored.
  const stored = wanted.field
    ? sql`case when s.altered -> ${value(wanted.field.name)} ? i.n::text then s.altered -> ${value(wanted.field.name)} ->> i.n::text else i.new end`
    : sql`null`;
  const fits = wanted.field
    ? sql` and ${among(sql`i.old`, wanted.old)} and ${among(stored, wanted.new)}${wanted.outcome === null ? sql` and (i.old is distinct from i.new)` : sql``}`
    : sql``;
  const rows = await database.askPlainly<{ count: number; position: number; n: number }>(
    sql`select count(*) over ()::int as count, s.position, i.n::int as n
      from (${stretches}) f
      join tantamos.run_batch s on s.run = ${value(run)}::uuid and s.position = f.position
      join tantamos.run r on r.id = s.run join tantamos.preview p on p.id = r.preview
      join tantamos.batch b on b.preview = r.preview and b.position = s.batch
      ${valueJoins(fields, 'b.preview', 'b.position')}
      cross join lateral rows from (unnest(b.keys[s.low + 1:s.high]), string_to_table(s.outcomes, null), unnest(s.made)${values})
        with ordinality i(key, outcome, made${names}, n)
      where p.work_order -> 'parts' -> s.part::int ->> 'type' = ${value(type.id)}
        and i.outcome = ${value(letterOf(wanted.outcome ?? 'changed'))}
        and (${value(key)}::text is null or coalesce(i.made, i.key) = ${value(key)})${fits}
      order by s.position, i.n limit ${value(few)}`,
    longestSearch,
  );
  return { count: rows[0]?.count ?? 0, places: rows };
}
