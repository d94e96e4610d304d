import {
  asText,
  cell,
  dateOrders,
  fail,
  join,
  keyIs,
  namedText,
  raw,
  Scope,
  sql,
  value,
  valuesOf,
  type CheckedPlan,
  type Env,
  type RecordType,
  type Sql,
} from '@tantamos/core';
import { shownIn } from '../export/signed';
import { askOn, type Connection } from '../database/database';

// Exports that come back: which record a signature is of, and what was edited in the file since.

/** Which record each row is, by its signature: rows as `matches` gives them. */
export function signedFor(file: string, type: RecordType, column: number, env: Env): Sql {
  const scope = new Scope(type, env);
  return sql`
    select s.n, s.key, 1 as fits
    from (select r.n, x.key from tantamos.file_row r join tantamos.export_row x
        on x.export::text || ':' || x.key = ${cell(column)} and x.export = ${exportOf(file, column)}
      where r.file = ${value(file)}::uuid and r.trouble is null) s
    join ${scope.from()} on ${keyIs(type, scope.root, raw('s.key'))}`;
}

/**
 * Of an export that comes back: what was edited in each row (`e1`…), rows in which nothing was, and those whose record
 * somebody else has changed in the same fields since. What a spreadsheet does by itself is no edit: zeros in front of a code
 * that are lost, the end of a long number, dates turned round, blanks, the apostrophe that an export puts before a formula.
 */
export async function narrowToEdited(connection: Connection, file: string, checked: CheckedPlan): Promise<void> {
  const { type, plan, reads, isCell, columns, signed, catalog } = checked;
  const changes = valuesOf(checked);
  const [found] = await askOn<{ fields: string[] }>(
    connection,
    sql`select fields from tantamos.export where id = ${exportOf(file, signed!)} and type = ${value(type.id)}`,
  );
  const fields =
    found?.fields ??
    fail('bad_value', 'The signatures in the file are of no export of these records.', { where: 'signed' });
  const scope = new Scope(type);
  const parts = changes.map(({ field }, i) => {
    const v = raw(`f.v${i + 1}`);
    const u = raw(`f.u${i + 1}`);
    const at = fields.indexOf(field.name);
    if (at < 0 || !isCell[i])
      return {
        edited: sql`(num_nonnulls(${v}, ${u}) > 0)`,
        unfit: u,
        damage: raw('null::text'),
        conflict: raw('null::text'),
      };
    const s = raw(`x.stored[${at + 1}]`);
    const c = cell(reads[i]![0]!, 'q');
    const { reading } = columns[reads[i]![0]!]!;
    const now = asText(scope.own(field.name));
    const nowShown = shownIn(field, namedText({ through: [], type, field }, scope, catalog));
    const text = (of: Sql): Sql => sql`coalesce(btrim(${of}), '')`;
    // A column may have been given another scale since: 48.63 is 48.630 then.
    const isNumber = field.base === 'number' && field.refersTo === null && field.choices === null;
    const plain = (of: Sql): Sql =>
      isNumber
        ? sql`case when ${of} ~ '^-?\\d{1,200}([.]\\d{1,200})?$' then trim_scale(${of}::numeric)::text else ${text(of)} end`
        : text(of);
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
      : field.base === 'date' && reading.as === 'date'
        ? dateOrders.map((order) => sql`tantamos.read_date(${c}, ${value(order)})::text = ${s}`)
        : [];
    const damaged = damages.length > 0 ? sql`coalesce(${join(damages, ' or ')}, false)` : raw('false');
    const was = text(raw(`x.shown[${at + 1}]`));
    // What is there already may be what nobody could say now: a name that several have, or that is another's by now.
    const kept = sql`(${text(c)} in (${was}, '''' || ${was}) or ${u} is not null and ${text(c)} = ${text(s)})`;
    const same = sql`(${u} is null and ${plain(v)} = ${plain(s)} or ${kept} or ${damaged})`;
    const blank = plan.blank === 'leave' ? sql` and ${c} is not null` : raw('');
    const edited = sql`(not ${same}${blank})`;
    const needed = field.required ? sql`case when ${c} is null then ${value(`${field.label} is required`)} end` : null;
    return {
      edited,
      unfit: sql`case when ${edited} then ${needed ? sql`coalesce(${u}, ${needed})` : u} end`,
      damage: sql`case when ${u} is null and ${plain(v)} <> ${plain(s)} and ${damaged} then
        ${value(`${field.label}: the file says `)} || ${shown(c)} || ', taken as ' || ${shown(s)} end`,
      conflict: sql`case when ${edited} and ${plain(now)} <> ${plain(s)} and ${plain(now)} <> ${plain(v)} then
        ${value(`${field.label}: was `)} || ${shown(raw(`x.shown[${at + 1}]`))} || ', is ' || ${shown(nowShown)} || ' now, the file says ' || ${shown(c)} end`,
    };
  });
  const e = parts.map((p, i) => sql`${p.edited} as ${raw(`e${i + 1}`)}`);
  const values = changes.map((_, i) => raw(`f.v${i + 1}, d.e${i + 1}`));
  await askOn(
    connection,
    sql`create temp table narrowed on commit drop as
      select f.n, f.key, case when f.fate <> 'taken' then f.fate when not d.any then 'same' when d.unfit is not null then 'unfit' when d.conflict is not null then 'edited_since' else 'taken' end as fate,
        case when f.fate <> 'taken' then f.reason when d.any then coalesce(d.unfit, d.conflict) end as reason, d.damage, ${join(values, ', ')}
      from filed f left join (
        select f.n, ${join(e, ', ')}, ${join(
          parts.map((p) => p.edited),
          ' or ',
        )} as any,
          coalesce(${join(
            parts.map((p) => p.unfit),
            ', ',
          )}) as unfit,
          nullif(concat_ws('; ', ${join(
            parts.map((p) => p.conflict),
            ', ',
          )}), '') as conflict, nullif(array_remove(array[${join(
            parts.map((p) => p.damage),
            ', ',
          )}], null), '{}') as damage
        from filed f join tantamos.file_row q on q.file = ${value(file)}::uuid and q.n = f.n
        join tantamos.export_row x on x.export = ${exportOf(file, signed!)} and x.key = f.key
        join ${scope.from()} on ${keyIs(type, scope.root, raw('f.key'))}
        where f.fate = 'taken') d on d.n = f.n`,
  );
  await connection.query('drop table filed; alter table narrowed rename to filed');
}

/** The export that the signatures of a file are of: that of its first. */
function exportOf(file: string, column: number): Sql {
  return sql`(select split_part(${cell(column)}, ':', 1)::uuid from tantamos.file_row r
    where r.file = ${value(file)}::uuid and ${cell(column)} ~ '^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}:' order by r.n limit 1)`;
}
