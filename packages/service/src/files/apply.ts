import type { FileReport, JobBody, ListReportView } from '@tantamos/contract';
import { pathText, raw, sql, value, type CheckedPlan, type Env } from '@tantamos/core';
import { askOn, writtenBy, type Connection, type Database } from '../database/database';
import { learnt } from '../lists/learnt';
import { fates, isPlainly } from './fates';
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
): Promise<Applied> {
  const applied = await database.transaction(
    'read committed',
    async (connection) => {
      await connection.query(
        // Nothing is known yet of rows that were just kept: one by one is never right, and 100,000 took minutes so.
        `set local statement_timeout = ${longest}; set local enable_nestloop = off; set local jit = off; set local work_mem = '64MB'`,
      );
      // One at a time: the fates of a file are those of one plan.
      await connection.query('select from tantamos.file where id = $1 for update', [file.id]);
      await askOn(
        connection,
        sql`create temp table filed on commit drop as ${fates(file.id, checked, env, await isPlainly(connection, file.id, checked))}`,
      );
      if (checked.signed !== null) await narrowToEdited(connection, file.id, checked);
      await connection.query('delete from tantamos.file_fate where file = $1', [file.id]);
      // Of a row that is about several records, that of one.
      const one =
        checked.plan.several === 'all' ? ['distinct on (n)', `order by n, fate = 'taken' desc, key`] : ['', ''];
      await connection.query(
        `insert into tantamos.file_fate (file, n, fate, reason, key) select ${one[0]} $1::uuid, n, fate, reason, key from filed ${one[1]}`,
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
  if (applied.job) await learnt(database, applied.report.fates.taken);
  return applied;
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
      const count = await writtenBy(
        connection,
        sql`insert into tantamos.given_value (given, key, value)
          select ${value(id)}::uuid, key, ${v} from filed where fate = 'taken'${blank}`,
      );
      if (count === 0) continue;
      await connection.query('update tantamos.given set count = $2 where id = $1', [id, count]);
      edits.push({ kind: 'put', field: field.name, given: { id, count } });
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
