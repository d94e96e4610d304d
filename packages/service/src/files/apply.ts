import type { FileReport, JobBody, ListReportView } from '@tantamos/contract';
import { besideName, join, pathText, raw, sql, value, type CheckedPlan, type Env } from '@tantamos/core';
import { askOn, type Connection, type Database } from '../database/database';
import { mustHaveRoom } from '../storage/room';
import { fates } from './fates';
import { reportOf, stoppedBy } from './report';
import { narrowToEdited } from './signed';

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
  /** Called before anything of it is there for others; throws to give up. */
  atEnd: () => Promise<void>,
): Promise<Applied> {
  return database.transaction(
    'read committed',
    async (connection) => {
      await connection.query(
        // Nothing is known yet of rows that were just kept: one by one is never right, and 100,000 took minutes so.
        `set local statement_timeout = ${longest}; set local enable_nestloop = off; set local jit = off; set local work_mem = '64MB'`,
      );
      // One at a time: the fates of a file are those of one plan.
      const { rows: kept } = await connection.query<{ others: number[] }>(
        'select others from tantamos.file where id = $1 for update',
        [file.id],
      );
      const isPlain = !checked.match.some((m) => kept[0]?.others.includes(m.column));
      await askOn(connection, sql`create temp table filed on commit drop as ${fates(file.id, checked, env, isPlain)}`);
      if (checked.signed !== null) await narrowToEdited(connection, file.id, checked);
      await connection.query('delete from tantamos.file_fate where file = $1', [file.id]);
      // Of a row that is about several records, that of one.
      const one =
        checked.plan.several === 'all' ? ['distinct on (n)', `order by n, fate = 'taken' desc, key`] : ['', ''];
      await connection.query(
        `insert into tantamos.file_fate (file, n, fate, reason, key, damage)
         select ${one[0]} $1::uuid, n, fate, reason, key, ${checked.signed === null ? 'null' : 'damage'} from filed ${one[1]}`,
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
      await atEnd();
      return { report, stopped, job };
    },
    'freezes',
  );
}

async function jobOf(
  connection: Connection,
  account: string,
  file: { readonly id: string; readonly rows: number; readonly name: string },
  checked: CheckedPlan,
  report: FileReport,
): Promise<JobBody | null> {
  const { type } = checked;
  const makes =
    report.fates.new > 0
      ? [{ act: 'create' as const, selection: { type: type.id }, from: { file: file.id }, edits: [] }]
      : [];
  const kept = report.fates.taken > 0 ? await keptValues(connection, account, checked) : null;
  if (kept === null) return makes[0] ?? null;
  await keepList(connection, account, file, checked, report, kept.id);
  return {
    selection: { type: type.id, list: { id: kept.id, unknown: 'skip', file: file.name } },
    edits: kept.edits,
    ...(makes.length > 0 ? { then: makes } : {}),
  };
}

/** What the rows that are taken give their records, as one set, and the edits that put it there; null where that is nothing. */
async function keptValues(
  connection: Connection,
  account: string,
  { type, changes, carried, beside, plan, signed }: CheckedPlan,
): Promise<{ readonly id: string; readonly edits: JobBody['edits'] } | null> {
  const fields = changes.flatMap(({ field: { name } }, i) => {
    if (type.key.includes(name)) return [];
    const [text, edited] = [raw(`v${i + 1}`), raw(`e${i + 1}`)];
    const filled = plan.blank === 'clear' ? raw('true') : sql`${text} is not null`;
    return [{ name, text, isSaid: signed === null ? filled : sql`((${edited} and ${filled}) is true)` }];
  });
  const first = fields.length + 1;
  fields.push(
    ...carried.map(({ field }, i) => ({
      name: besideName(field),
      text: raw(`v${changes.length + i + 1}`),
      isSaid: raw('true'),
    })),
  );
  if (fields.length === 0) return null;
  const said = join(
    fields.map((f) => f.isSaid),
    ', ',
  );
  const all = join(
    fields.map((f) => f.isSaid),
    ' and ',
  );
  const counts = join(
    fields.map((f) => sql`count(*) filter (where ${f.isSaid})`),
    ', ',
  );
  const [found] = await askOn<{ counts: number[] }>(
    connection,
    sql`select array[${counts}]::int[] as counts from filed where fate = 'taken'`,
  );
  const puts = fields.slice(0, first - 1).flatMap(({ name }, i) => {
    const count = found!.counts[i]!;
    return count === 0 ? [] : [{ field: name, count, at: i + 1 }];
  });
  if (puts.length + beside.length === 0) return null;
  await mustHaveRoom(connection, 'values', account);
  const { rows } = await connection.query<{ id: string }>(
    `insert into tantamos.given (made_by, type, fields, count)
     select $1, $2, $3, count(*) from filed where fate = 'taken' returning id`,
    [account, type.id, fields.map((f) => f.name)],
  );
  const { id } = rows[0]!;
  const texts = join(
    fields.map((f) => f.text),
    ', ',
  );
  await askOn(
    connection,
    sql`insert into tantamos.given_row (given, key, texts, said)
      select ${value(id)}::uuid, key, array[${texts}], case when not (${all}) then array[${said}] end
      from filed where fate = 'taken'`,
  );
  const clear = plan.blank === 'clear' ? { clear: true } : {};
  const edits = [
    ...puts.map(({ field, count, at }) => ({ kind: 'put' as const, field, given: { id, count, at } })),
    ...beside.map(({ field, formula, columns }) => ({
      kind: 'compute' as const,
      field,
      formula,
      file: { id, columns: columns.map((c) => ({ name: c.name, as: c.as, at: first + c.carried })), ...clear },
    })),
  ];
  return { id, edits };
}

/** The records that rows are taken for, as a list like any other: their keys stand with what they are given, under the same id. */
async function keepList(
  connection: Connection,
  account: string,
  file: { readonly id: string; readonly rows: number },
  { type, match }: CheckedPlan,
  { fates: of, records, sentence }: FileReport,
  id: string,
): Promise<void> {
  const fields = match.length > 0 ? match.map((m) => pathText(m.path)) : [...type.key];
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
  await connection.query(
    `insert into tantamos.list (id, made_by, targets, lines, report, file) values ($1, $2, $3, $4, $5, $6)`,
    [id, account, JSON.stringify([{ type: type.id, fields }]), file.rows, JSON.stringify(report), file.id],
  );
}
