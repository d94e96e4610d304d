import type { FileReport, JobBody, ListReportView, RowFate } from '@tantamos/contract';
import { rowFates } from '@tantamos/contract';
import {
  asText,
  cell,
  dateOrders,
  errorMark,
  fail,
  join,
  keyIs,
  keyText,
  pathText,
  raw,
  render,
  Scope,
  sql,
  typeWords,
  value,
  type CheckedPlan,
  type FieldPath,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { askOn, type Connection, type Database } from '../database/database';
import { workedRows } from '../engine/statements/rows';
import type { Env } from '@tantamos/core';

// What becomes of each row of a file under its plan: all of it in the database, row sets and not rows.

/** How long one may take, in ms. */
const longest = 600_000;

export interface Applied {
  readonly report: FileReport;
  readonly stopped: string | null;
  readonly job: JobBody | null;
}

/**
 * Works out which record each row is about and what its cells make of it; keeps that, the values by record, and the list of
 * records. Nothing of the records is changed.
 */
export async function applyPlan(
  database: Database,
  account: string,
  file: { readonly id: string; readonly rows: number; readonly name: string },
  checked: CheckedPlan,
  env: Env,
): Promise<Applied> {
  return database.transaction(
    'read committed',
    async (connection) => {
      await connection.query(
        // Nothing is known yet of rows that were just kept: one by one is never right, and 100,000 took minutes so.
        `set local statement_timeout = ${longest}; set local enable_nestloop = off; set local jit = off; set local work_mem = '64MB'`,
      );
      // One at a time: the fates of a file are those of one plan.
      await connection.query('select from tantamos.file where id = $1 for update', [file.id]);
      await run(
        connection,
        sql`create temp table filed on commit drop as ${fates(file.id, checked, env, await isPlainly(connection, file.id, checked))}`,
      );
      if (checked.signed !== null) await narrowToEdited(connection, file.id, checked);
      await connection.query('analyze filed');
      await connection.query('delete from tantamos.file_fate where file = $1', [file.id]);
      await connection.query(
        `insert into tantamos.file_fate (file, n, fate, reason, key)
         select distinct on (n) $1, n, fate, reason, key from filed order by n, fate = 'taken' desc, key`,
        [file.id],
      );
      const report = await reportOf(connection, file, checked);
      const stopped = stoppedBy(report, checked);
      const job = stopped === null ? await jobOf(connection, account, file, checked, report) : null;
      await connection.query('update tantamos.file set plan = $2, report = $3 where id = $1', [
        file.id,
        JSON.stringify(checked.plan),
        JSON.stringify(report),
      ]);
      return { report, stopped, job };
    },
    'freezes',
  );
}

/**
 * Is all that rows are found by plain letters? Small letters of these cost a quarter of what those of all languages do (see
 * the lists).
 */
async function isPlainly(connection: Connection, file: string, { match }: CheckedPlan): Promise<boolean> {
  const { rows } = await connection.query<{ other: boolean }>(
    `select exists (select from tantamos.file_row r cross join unnest($2::int[]) i where r.file = $1 and r.cells[i] ~ '[^ -~]') as other`,
    [file, match.map((m) => m.column + 1)],
  );
  return !rows[0]!.other;
}

/** What the first of some `when … then …` says; null where none holds. */
function firstOf(cases: readonly Sql[]): Sql {
  return cases.length > 0 ? sql`case ${join(cases, ' ')} end` : raw('null::text');
}

async function run(connection: Connection, piece: Sql): Promise<void> {
  const { text, values } = render(piece);
  await connection.query(text, values);
}

/** Rows of `n`, `key`, `fate`, `reason` and the values `v1`… of each row; several where it is about several records. */
function fates(file: string, checked: CheckedPlan, env: Env, isPlain: boolean): Sql {
  const { rows, changes, match, plan, columns } = checked;
  const used = [...new Set([...checked.reads.flat(), ...match.map((m) => m.column)])];
  const values = changes.map((_, i) => raw(`w.v${i + 1}`));
  const errors = used.map(
    (i) =>
      sql`when starts_with(r.cells[${raw(String(i + 1))}], ${value(errorMark)}) then ${value(`“${columns[i]!.name}” holds an error: `)} || substr(r.cells[${raw(String(i + 1))}], 2, 40)`,
  );
  const { signed } = checked;
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
    plan.blank === 'clear'
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
    worth as materialized (${workedRows(rows, changes, env)}),
    first as (
      select r.n, r.at, f.key, r.same, jsonb_build_array(${join(values, ', ')})::text as all_values${join(
        values.map((v, i) => sql`, ${v} as ${raw(`v${i + 1}`)}`),
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
          values.map((_, i) => raw(`, v${i + 1}`)),
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

/** The same for an export that comes back: its signatures say which record each row is. */
function signedFor(file: string, type: RecordType, column: number, env: Env): Sql {
  const scope = new Scope(type, env);
  return sql`
    select s.n, s.key, 1::bigint as fits, 1::bigint as k
    from (select r.n, x.key from tantamos.file_row r join tantamos.export_row x
        on x.export::text || ':' || x.key = ${cell(column)} and x.export = ${exportOf(file, column)}
      where r.file = ${value(file)}::uuid and r.trouble is null) s
    join ${scope.from()} on ${keyIs(type, scope.root, raw('s.key'))}`;
}

/** The export that the signatures of a file are of: that of its first. */
function exportOf(file: string, column: number): Sql {
  return sql`(select split_part(${cell(column)}, ':', 1)::uuid from tantamos.file_row r
    where r.file = ${value(file)}::uuid and ${cell(column)} ~ '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}:' order by r.n limit 1)`;
}

/**
 * Of an export that comes back: what was edited in each row (`e1`…), rows in which nothing was, and those whose record
 * somebody else has changed in the same fields since. What a spreadsheet does by itself is no edit: zeros in front of a code
 * that are lost, the end of a long number, dates turned round, blanks, the apostrophe that an export puts before a formula.
 */
async function narrowToEdited(connection: Connection, file: string, checked: CheckedPlan): Promise<void> {
  const { type, changes, plan, reads, columns, signed } = checked;
  const { rows } = await connection.query<{ fields: string[] }>(
    ...asked(
      sql`select fields from tantamos.export where id = ${exportOf(file, signed!)} and type = ${value(type.id)}`,
    ),
  );
  const fields =
    rows[0]?.fields ??
    fail('bad_value', 'The signatures in the file are of no export of these records.', { where: 'signed' });
  const scope = new Scope(type);
  const parts = changes.map(({ field }, i) => {
    const v = raw(`f.v${i + 1}`);
    const at = fields.indexOf(field.name);
    const take = plan.take[i]!;
    if (at < 0 || take.column === undefined)
      return { edited: sql`(${v} is not null)`, mended: raw('0'), conflict: raw('null::text') };
    const s = raw(`x.stored[${at + 1}]`);
    const now = asText(scope.own(field.name));
    const text = (of: Sql): Sql => sql`coalesce(btrim(${of}), '')`;
    const shown = (of: Sql): Sql =>
      sql`case when ${text(of)} = '' then 'blank' else '“' || left(${text(of)}, 60) || '”' end`;
    const isText = field.base === 'text' && field.refersTo === null && field.choices === null;
    const damages = isText
      ? [
          sql`(${s} ~ '^0+\\d+$' and ltrim(${s}, '0') = ${v})`,
          sql`'''' || btrim(${s}) = ${v}`,
          sql`(${s} ~ '^\\d{16,}$' and left(trim_scale(tantamos.read_number(${v}, '.'))::text, 14) = left(${s}, 14)
            and length(trunc(tantamos.read_number(${v}, '.'))::text) = length(${s}))`,
        ]
      : field.base === 'date' && columns[reads[i]![0]!]!.reading.as === 'date'
        ? dateOrders.map((order) => sql`tantamos.read_date(${cell(reads[i]![0]!, 'q')}, ${value(order)})::text = ${s}`)
        : [];
    const damaged = damages.length > 0 ? sql`coalesce(${join(damages, ' or ')}, false)` : raw('false');
    const same = sql`(${text(v)} = ${text(s)} or ${damaged})`;
    const blank = plan.blank === 'leave' ? sql` and ${v} is not null` : raw('');
    const edited = sql`(not ${same}${blank})`;
    return {
      edited,
      mended: sql`case when ${text(v)} <> ${text(s)} and ${damaged} then 1 else 0 end`,
      conflict: sql`case when ${edited} and ${text(now)} <> ${text(s)} and ${text(now)} <> ${text(v)} then
        ${value(`${field.label}: was `)} || ${shown(s)} || ', is ' || ${shown(now)} || ' now, the file says ' || ${shown(v)} end`,
    };
  });
  const e = parts.map((p, i) => sql`${p.edited} as ${raw(`e${i + 1}`)}`);
  const values = changes.map((_, i) => raw(`f.v${i + 1}, d.e${i + 1}`));
  await run(
    connection,
    sql`create temp table narrowed on commit drop as
      select f.n, f.key, case when f.fate <> 'taken' then f.fate when not d.any then 'same' when d.conflict is not null then 'edited_since' else 'taken' end as fate,
        case when f.fate <> 'taken' then f.reason when d.any then d.conflict end as reason, coalesce(d.mended, 0) as mended, ${join(values, ', ')}
      from filed f left join (
        select f.n, ${join(e, ', ')}, ${join(
          parts.map((p) => p.edited),
          ' or ',
        )} as any,
          nullif(concat_ws('; ', ${join(
            parts.map((p) => p.conflict),
            ', ',
          )}), '') as conflict, ${join(
            parts.map((p) => p.mended),
            ' + ',
          )} as mended
        from filed f join tantamos.file_row q on q.file = ${value(file)}::uuid and q.n = f.n
        join tantamos.export_row x on x.export = ${exportOf(file, signed!)} and x.key = f.key
        join ${scope.from()} on ${keyIs(type, scope.root, raw('f.key'))}
        where f.fate = 'taken') d on d.n = f.n`,
  );
  await connection.query('drop table filed; alter table narrowed rename to filed');
}

function asked(piece: Sql): [string, unknown[]] {
  const { text, values } = render(piece);
  return [text, values];
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

async function reportOf(
  connection: Connection,
  file: { readonly id: string; readonly rows: number },
  { type, signed }: CheckedPlan,
): Promise<FileReport> {
  const { rows: counted } = await connection.query<{ fate: RowFate; n: number }>(
    'select fate, count(*)::int as n from tantamos.file_fate where file = $1 group by 1',
    [file.id],
  );
  const { rows: reasons } = await connection.query<{ reason: string; count: number }>(
    `select case when fate = 'twice' then 'several rows say different things of one record' when fate = 'repeat' then 'a row above says the same'
         else reason end as reason, count(*)::int as count
     from tantamos.file_fate where file = $1 and reason is not null group by 1 order by 2 desc, 1 limit 20`,
    [file.id],
  );
  const { rows: taken } = await connection.query<{ n: number }>(
    `select count(distinct key)::int as n from filed where fate = 'taken'`,
  );
  const mended =
    signed === null ? 0 : (await connection.query<{ n: number }>('select sum(mended)::int as n from filed')).rows[0]!.n;
  const found = new Map(counted.map((c) => [c.fate, c.n]));
  const fatesOf = Object.fromEntries(rowFates.map((f) => [f, found.get(f) ?? 0])) as Record<RowFate, number>;
  const records = taken[0]!.n;
  return {
    rows: file.rows,
    fates: fatesOf,
    records,
    reasons,
    sentence: sentenceOf(file.rows, fatesOf, records, type),
    mended,
  };
}

const words: Readonly<Record<RowFate, string>> = {
  taken: 'taken',
  new: 'new',
  same: 'not edited',
  edited_since: 'edited by others since',
  unknown: 'fit no record',
  several: 'fit several',
  twice: 'contradict each other',
  repeat: 'said before',
  unfit: 'do not fit',
  blank: 'blank',
};

/** “300 rows = 221 taken + 26 fit no record + 53 said before; 221 → 229 contacts” */
function sentenceOf(rows: number, of: Readonly<Record<RowFate, number>>, records: number, type: RecordType): string {
  const n = (count: number): string => count.toLocaleString('en-US');
  const order = Object.keys(words) as RowFate[];
  const parts = order.flatMap((f) => (of[f] > 0 ? [`${n(of[f])} ${words[f]}`] : []));
  const sum = `${n(rows)} ${rows === 1 ? 'row' : 'rows'} = ${parts.join(' + ')}`;
  return of.taken > 0 ? `${sum}; ${n(of.taken)} → ${n(records)} ${typeWords(type)}` : sum;
}

function stoppedBy({ fates: of, rows }: FileReport, { plan, type }: CheckedPlan): string | null {
  const n = of.unknown.toLocaleString('en-US');
  if (of.unknown > 0 && plan.unknown === 'stop')
    return `${n} ${of.unknown === 1 ? 'row fits' : 'rows fit'} no record of ${typeWords(type)}: look at them, then leave them out or make records of them.`;
  if (of.taken + of.new === 0)
    return of.same > 0 && of.same + of.blank === rows
      ? 'Nothing was edited in it.'
      : 'No row can be taken: look at why.';
  return null;
}

async function jobOf(
  connection: Connection,
  account: string,
  file: { readonly id: string; readonly rows: number; readonly name: string },
  checked: CheckedPlan,
  report: FileReport,
): Promise<JobBody | null> {
  const { type, changes, plan } = checked;
  const edits: JobBody['edits'][number][] = [];
  if (report.fates.taken > 0)
    for (const [i, { field }] of changes.entries()) {
      if (type.key.includes(field.name)) continue;
      const v = raw(`v${i + 1}`);
      const given = await askOn<{ id: string }>(
        connection,
        sql`insert into tantamos.given (made_by, type, field, source, count)
          values (${value(account)}, ${value(type.id)}, ${value(field.name)}, null, 0) returning id`,
      );
      const { id } = given[0]!;
      const isEdited = checked.signed === null ? raw('') : sql` and ${raw(`e${i + 1}`)}`;
      const blank = sql`${isEdited}${plan.blank === 'clear' ? raw('') : sql` and ${v} is not null`}`;
      const [put] = await askOn<{ n: number }>(
        connection,
        sql`with put as (insert into tantamos.given_value (given, key, value)
            select ${value(id)}::uuid, key, ${v} from filed where fate = 'taken'${blank} returning 1)
          select count(*)::int as n from put`,
      );
      if (put!.n === 0) continue;
      await connection.query('update tantamos.given set count = $2 where id = $1', [id, put!.n]);
      edits.push({ kind: 'put', field: field.name, given: { id, count: put!.n } });
    }
  const makes =
    report.fates.new > 0
      ? [{ act: 'create' as const, selection: { type: type.id }, from: { file: file.id }, edits: [] }]
      : [];
  if (edits.length === 0) return makes[0] ?? null;
  const list = await listOf(connection, account, file, checked, report);
  return {
    selection: { type: type.id, list: { id: list, unknown: 'skip', file: file.name } },
    edits,
    ...(makes.length > 0 ? { then: makes } : {}),
  };
}

/** The records that rows are taken for, as a list like any other. */
async function listOf(
  connection: Connection,
  account: string,
  file: { readonly id: string; readonly rows: number },
  { type, match }: CheckedPlan,
  { fates: of, records, sentence }: FileReport,
): Promise<string> {
  const fields = match.length > 0 ? match.map((m) => pathText(m.path)) : [...type.key];
  const { rows } = await connection.query<{ id: string }>(
    `insert into tantamos.list (made_by, targets, lines, report, file) values ($1, $2, $3, '{}', $4) returning id`,
    [account, JSON.stringify([{ type: type.id, fields }]), file.rows, file.id],
  );
  const { id } = rows[0]!;
  await connection.query(
    `insert into tantamos.list_match (list, entry, type, key, field, several)
     select $1, n, $2, key, $3, false from filed where fate = 'taken'`,
    [id, type.id, fields[0]],
  );
  const different = file.rows - of.blank - of.repeat;
  const report: ListReportView = {
    id,
    lines: file.rows,
    blank: of.blank,
    notAddresses: 0,
    repeats: of.repeat,
    different,
    found: of.taken,
    unknown: different - of.taken,
    sentence,
    byType: [{ type: type.id, label: type.label, fields, found: of.taken, several: 0, records }],
    elsewhere: [],
    file: file.id,
  };
  await connection.query('update tantamos.list set report = $2 where id = $1', [id, JSON.stringify(report)]);
  return id;
}
