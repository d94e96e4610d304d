import {
  cell,
  errorMark,
  join,
  keyText,
  raw,
  saidName,
  Scope,
  sql,
  value,
  valuesOf,
  type CheckedPlan,
  type Env,
  type FieldPath,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { workedRows } from '../engine/statements/rows';
import { signedFor } from './signed';

// Which record each row of a file is about, what its cells make of it, and what becomes of the row: one statement for all.

/** Rows of `n`, `key`, `fate`, `reason` and the values `v1`… of each row (of a file that comes back also why not, `u1`…); several where it is about several records. `isPlain`: what records are
 * found by has plain letters only: small letters of these cost a quarter of what those of all languages do (see the lists). */
export function fates(file: string, checked: CheckedPlan, env: Env, isPlain: boolean): Sql {
  const { rows, match, plan, columns } = checked;
  const changes = valuesOf(checked);
  const used = [...new Set([...checked.reads.flat(), ...match.map((m) => m.column)])];
  const { signed } = checked;
  // Of a file that comes back nobody minds what was there already: why a cell does not fit is kept for each apart.
  const causes = signed === null ? [] : changes.map((_, i) => `u${i + 1}`);
  const names = [...changes.map((_, i) => `v${i + 1}`), ...causes];
  const values = names.map((name) => raw(`w.${name}`));
  const asked = signed === null ? match.map((m) => m.column) : [signed];
  // Only of what is made it is asked whether two rows are about the same where no record tells.
  const isMade = plan.unknown === 'create' && signed === null;
  const itself = (row: Sql): readonly Sql[] => {
    const errors = used.map((i) => {
      const said = sql`${row}.cells[${raw(String(i + 1))}]`;
      const words = value(`“${columns[i]!.name}” holds an error: `);
      return sql`when starts_with(${said}, ${value(errorMark)}) then ${words} || substr(${said}, 2, 40)`;
    });
    const isMissing = (column: number): Sql => sql`${row}.${raw(saidName(column))} is null`;
    const noKey = asked.map((i) => sql`when ${isMissing(i)} then ${value(`“${columns[i]!.name}” is empty`)}`);
    // What has a key is not blank: nothing else of it needs to be looked at.
    const mayBeBlank = asked.length > 0 ? sql`(${join(asked.map(isMissing), ' or ')})` : raw('true');
    return [
      sql`${row}.at, ${row}.trouble, ${isMade ? sql`${row}.cells, ` : raw('')}${firstOf(errors)} as error, ${firstOf(noKey)} as no_key`,
      sql`${mayBeBlank} and array_to_string(${row}.cells, '') ~ '^\\s*$' as is_blank`,
    ];
  };
  const same = join(
    match.map((m) => said(m, cell(m.column, 'w'), checked, isPlain)),
    ', ',
  );
  const what = isMade
    ? sql`case when f.key is null then jsonb_build_array(${same})::text else f.key end`
    : raw('f.key');
  const allValues = sql`jsonb_build_array(${join(
    names.map((name) => raw(`f.${name}`)),
    ', ',
  )})::text`;
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
    with found as materialized (${matches(file, checked, env, isPlain)}),
    worth as materialized (${workedRows(rows, changes, env, signed === null ? 'first' : 'apart', itself)}),
    first as materialized (
      select w.n, w.at, f.key, ${what} as what${join(
        values.map((v, i) => sql`, ${v} as ${raw(names[i]!)}`),
        '',
      )},
        case when w.is_blank then 'blank' when w.trouble is not null or w.error is not null then 'unfit'
          when w.no_key is not null then 'unknown' when f.n is null and w.cause is null then ${made}
          when f.n is null and ${made} = 'unknown' then 'unknown'
          when f.fits > 1 and ${raw(plan.several === 'skip' ? 'true' : 'false')} then 'several'
          when w.cause is not null or n.cause is not null then 'unfit' else 'taken' end as fate,
        case when w.is_blank then null when w.trouble is not null then w.trouble when w.error is not null then w.error
          when w.no_key is not null then w.no_key
          when f.n is null and (w.cause is null or ${made} = 'unknown') then case when ${made} = 'unknown' then 'no record fits' end
          when f.fits > 1 and ${raw(plan.several === 'skip' ? 'true' : 'false')} then f.fits || ' records fit'
          else coalesce(w.cause, n.cause) end as reason
      from worth w left join found f on f.n = w.n
      cross join lateral (select ${firstOf(needed)} as cause) n),
    several as (select fate, what from first where fate in ('taken', 'new') group by 1, 2 having count(*) > 1),
    alike as (
      select fate, what, min(n) as first_n, min(at) as first_at, max(at) as last_at, min(${allValues}) is distinct from max(${allValues}) as differ
      from first f join several using (fate, what) group by 1, 2)
    select f.n, f.key, case when a.differ then 'twice' when f.n > a.first_n then 'repeat' else f.fate end as fate,
      case when a.differ then 'rows ' || a.first_at || ' and ' || a.last_at || ' say different things of one record'
        when f.n > a.first_n then 'row ' || a.first_at || ' says the same' else f.reason end as reason${join(
          names.map((name) => raw(`, f.${name}`)),
          '',
        )}
    from first f left join alike a on a.fate = f.fate and a.what = f.what`;
}

/** Rows of `n`, the `key` of a record that it fits, and how many it fits: of several the first, unless all are taken. */
function matches(file: string, checked: CheckedPlan, env: Env, isPlain: boolean): Sql {
  const { type, match, signed, plan } = checked;
  if (signed !== null) return signedFor(file, type, signed, env);
  const scope = new Scope(type, env);
  const on = match.map(({ path }, i) => {
    const column = scope.column(path);
    const its = raw(`s.m${i + 1}`);
    if (path.field.base === 'number') return sql`${column}::text::numeric = ${its}`;
    if (path.field.base === 'date') return sql`${column} = ${its}`;
    const text = sql`${column}::text`;
    // Most names have no space at all, and finding that out takes half of what putting others right does.
    const name = sql`case when ${text} ~ '\\s' then ${spaced(text)} else ${text} end`;
    return sql`${small(isName(path, type) ? name : text, isPlain)} = ${its}`;
  });
  const sides = match.map((m, i) => sql`, ${said(m, cell(m.column), checked, isPlain)} as ${raw(`m${i + 1}`)}`);
  const key = keyText(scope.keys());
  const [its, each] =
    plan.several === 'all'
      ? [sql`${key} as key, 1 as fits`, raw('')]
      : [sql`min(${key}) as key, count(*) as fits`, raw(' group by s.n')];
  return sql`
    select s.n, ${its} from ${scope.from()}
    join (select r.n${join(sides, '')} from tantamos.file_row r where r.file = ${value(file)}::uuid and r.trouble is null) s
      on ${join(on, ' and ')}${each}`;
}

/** A text as it is looked for: in small letters. */
function small(text: Sql, isPlain: boolean): Sql {
  return isPlain ? sql`lower(${text} collate "C")` : sql`tantamos.lower(${text})`;
}

/** Of names that people have given, how many spaces there are between words does not matter. */
function isName({ through, field }: FieldPath, type: RecordType): boolean {
  return through.length === 0 && field.name === type.nameField && !field.unique;
}

function spaced(text: Sql): Sql {
  return sql`btrim(regexp_replace(${text}, '\\s+', ' ', 'g'))`;
}

/** What the text of a cell says of a field that is looked for. */
function said(
  { path, column }: CheckedPlan['match'][number],
  text: Sql,
  { type, columns }: CheckedPlan,
  isPlain: boolean,
): Sql {
  const { reading } = columns[column]!;
  if (reading.as === 'number') return sql`tantamos.read_number(${text}, ${value(reading.decimal)})`;
  if (reading.as === 'date') return sql`tantamos.read_date(${text}, ${value(reading.order)})`;
  return small(isName(path, type) ? spaced(text) : text, isPlain);
}

/** What the first of some `when … then …` says; null where none holds. */
function firstOf(cases: readonly Sql[]): Sql {
  return cases.length > 0 ? sql`case ${join(cases, ' ')} end` : raw('null::text');
}
