import {
  cell,
  errorMark,
  join,
  keyText,
  raw,
  Scope,
  sql,
  value,
  type CheckedPlan,
  type Env,
  type FieldPath,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { workedRows } from '../engine/statements/rows';
import type { Connection } from '../database/database';
import { signedFor } from './signed';

// Which record each row of a file is about, what its cells make of it, and what becomes of the row: one statement for all.

/**
 * Is all that rows are found by plain letters? Small letters of these cost a quarter of what those of all languages do (see
 * the lists).
 */
export async function isPlainly(connection: Connection, file: string, { match }: CheckedPlan): Promise<boolean> {
  const { rows } = await connection.query<{ other: boolean }>(
    `select exists (select from tantamos.file_row r cross join unnest($2::int[]) i where r.file = $1 and r.cells[i] ~ '[^ -~]') as other`,
    [file, match.map((m) => m.column + 1)],
  );
  return !rows[0]!.other;
}

/** Rows of `n`, `key`, `fate`, `reason` and the values `v1`… of each row (of a file that comes back also why not, `u1`…); several where it is about several records. */
export function fates(file: string, checked: CheckedPlan, env: Env, isPlain: boolean): Sql {
  const { rows, changes, match, plan, columns } = checked;
  const used = [...new Set([...checked.reads.flat(), ...match.map((m) => m.column)])];
  const { signed } = checked;
  // Of a file that comes back nobody minds what was there already: why a cell does not fit is kept for each apart.
  const causes = signed === null ? [] : changes.map((_, i) => `u${i + 1}`);
  const names = [...changes.map((_, i) => `v${i + 1}`), ...causes];
  const values = names.map((name) => raw(`w.${name}`));
  const errors = used.map(
    (i) =>
      sql`when starts_with(r.cells[${raw(String(i + 1))}], ${value(errorMark)}) then ${value(`“${columns[i]!.name}” holds an error: `)} || substr(r.cells[${raw(String(i + 1))}], 2, 40)`,
  );
  const noKey = (signed === null ? match : [{ column: signed }]).map(
    ({ column }) => sql`when ${cell(column)} is null then ${value(`“${columns[column]!.name}” is empty`)}`,
  );
  const same =
    signed === null
      ? join(
          match.map((m) => said(m, checked, isPlain)),
          ', ',
        )
      : cell(signed);
  const made = plan.unknown === 'create' ? raw(`'new'`) : raw(`'unknown'`);
  const needed =
    plan.blank === 'clear' && signed === null
      ? changes.flatMap(({ field }, i) =>
          field.required
            ? [sql`when w.v${raw(String(i + 1))} is null then ${value(`${field.label} is required`)}`]
            : [],
        )
      : [];
  return sql`
    with rows as materialized (
      select r.n, r.at, r.trouble, array_to_string(r.cells, '') ~ '^\\s*$' as is_blank,
        ${firstOf(errors)} as error, ${firstOf(noKey)} as no_key,
        jsonb_build_array(${same})::text as same
      from tantamos.file_row r where r.file = ${value(file)}::uuid),
    found as materialized (${matches(file, checked, env, isPlain)}),
    worth as materialized (${workedRows(rows, changes, env, signed === null ? 'first' : 'apart')}),
    first as (
      select r.n, r.at, f.key, r.same, jsonb_build_array(${join(values, ', ')})::text as all_values${join(
        values.map((v, i) => sql`, ${v} as ${raw(names[i]!)}`),
        '',
      )},
        case when r.is_blank then 'blank' when r.trouble is not null or r.error is not null then 'unfit'
          when r.no_key is not null then 'unknown' when f.n is null and w.cause is null then ${made}
          when f.n is null and ${made} = 'unknown' then 'unknown'
          when f.fits > 1 and ${raw(plan.several === 'skip' ? 'true' : 'false')} then 'several'
          when w.cause is not null or n.cause is not null then 'unfit' else 'taken' end as fate,
        case when r.is_blank then null when r.trouble is not null then r.trouble when r.error is not null then r.error
          when r.no_key is not null then r.no_key
          when f.n is null and (w.cause is null or ${made} = 'unknown') then case when ${made} = 'unknown' then 'no record fits' end
          when f.fits > 1 and ${raw(plan.several === 'skip' ? 'true' : 'false')} then f.fits || ' records fit'
          else coalesce(w.cause, n.cause) end as reason
      from rows r left join found f on f.n = r.n and (f.k = 1 or ${raw(plan.several === 'all' ? 'true' : 'false')})
      join worth w on w.n = r.n
      cross join lateral (select ${firstOf(needed)} as cause) n),
    second as (
      select f.*, row_number() over same as nth, min(all_values) over whole as least, max(all_values) over whole as most,
        min(at) over whole as first_at, max(at) over whole as last_at
      from first f
      window whole as (partition by fate, coalesce(key, same)), same as (partition by fate, coalesce(key, same) order by n))
    select n, key, case when fate not in ('taken', 'new') then fate when least is distinct from most then 'twice'
        when nth > 1 then 'repeat' else fate end as fate,
      case when fate not in ('taken', 'new') then reason
        when least is distinct from most then 'rows ' || first_at || ' and ' || last_at || ' say different things of one record'
        when nth > 1 then 'row ' || first_at || ' says the same' end as reason${join(
          names.map((name) => raw(`, ${name}`)),
          '',
        )}
    from second`;
}

/** Rows of `n`, the `key` of a record that it fits, how many it fits, and which of them this is. */
function matches(file: string, checked: CheckedPlan, env: Env, isPlain: boolean): Sql {
  const { type, match, signed } = checked;
  if (signed !== null) return signedFor(file, type, signed, env);
  const scope = new Scope(type, env);
  const on = match.map(({ path }, i) => {
    const column = scope.column(path);
    const its = raw(`s.m${i + 1}`);
    if (path.field.base === 'number') return sql`${column}::text::numeric = ${its}`;
    if (path.field.base === 'date') return sql`${column} = ${its}`;
    return sql`${small(column, path, type, isPlain)} = ${its}`;
  });
  const sides = match.map((m, i) => sql`, ${said(m, checked, isPlain)} as ${raw(`m${i + 1}`)}`);
  return sql`
    select s.n, ${keyText(scope.keys())} as key, count(*) over (partition by s.n) as fits,
      row_number() over (partition by s.n order by ${keyText(scope.keys())}) as k
    from ${scope.from()}
    join (select r.n${join(sides, '')} from tantamos.file_row r where r.file = ${value(file)}::uuid and r.trouble is null) s
      on ${join(on, ' and ')}`;
}

/** A text field as it is looked for: small letters and, of names that people have given, single spaces. */
function small(text: Sql, { through, field }: FieldPath, type: RecordType, isPlain: boolean): Sql {
  const isName = through.length === 0 && field.name === type.nameField && !field.unique;
  const single = isName ? sql`btrim(regexp_replace(${text}::text, '\\s+', ' ', 'g'))` : sql`${text}::text`;
  return isPlain ? sql`lower(${single} collate "C")` : sql`tantamos.lower(${single})`;
}

/** What a cell says of a field that is looked for. */
function said({ path, column }: CheckedPlan['match'][number], { type, columns }: CheckedPlan, isPlain: boolean): Sql {
  const text = cell(column);
  const { reading } = columns[column]!;
  if (reading.as === 'number') return sql`tantamos.read_number(${text}, ${value(reading.decimal)})`;
  if (reading.as === 'date') return sql`tantamos.read_date(${text}, ${value(reading.order)})`;
  return small(text, path, type, isPlain);
}

/** What the first of some `when … then …` says; null where none holds. */
function firstOf(cases: readonly Sql[]): Sql {
  return cases.length > 0 ? sql`case ${join(cases, ' ')} end` : raw('null::text');
}
