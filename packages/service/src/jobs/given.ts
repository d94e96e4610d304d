import {
  fail,
  keyAmong,
  keyColumns,
  keyText,
  keyWords,
  raw,
  sql,
  tableOf,
  type Checked,
  type CheckedJob,
  type CheckedPart,
  type Edit,
  type Job,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { pieces } from '../turns';
import type { Note } from '../previews/preview-row';

const mostExamples = 500;

/**
 * Keeps the values that a job gives one by one as rows. The job that comes back says only under which id they are kept, so
 * that it stays small however many there are, and can be used again as it is.
 */
export async function keepGiven(
  database: Database,
  job: Job,
  checked: CheckedJob,
  account: string,
): Promise<{ job: Job; checked: CheckedJob }> {
  const kept = new Map<string, { id: string; count: number }>();
  for (const { field, value } of checked.changes) {
    if (value.from !== 'given' || 'kept' in value.given || value.given.by !== null) continue;
    const { entries } = value.given;
    const text = (tree: Checked): string | null => (tree.kind === 'value' ? tree.text : null);
    const id = await database.transaction('read committed', async (connection) => {
      const { rows } = await connection.query<{ id: string }>(
        'insert into tantamos.given (made_by, type, field) values ($1, $2, $3) returning id',
        [account, checked.selection.type.id, field.name],
      );
      for (const some of pieces(entries))
        await connection.query(
          `insert into tantamos.given_value (given, key, value) select $1, t.* from unnest($2::text[], $3::text[]) t`,
          [rows[0]!.id, some.map((e) => text(e.key)), some.map((e) => text(e.value))],
        );
      return rows[0]!.id;
    });
    kept.set(field.name, { id, count: entries.length });
  }
  if (kept.size === 0) return { job, checked };
  const edits = job.edits.map((edit): Edit => {
    if (edit.kind !== 'put' || edit.given) return edit;
    const field = checked.changes.find((c) => c.field.name.toLowerCase() === edit.field.toLowerCase())!.field.name;
    const { values: _, ...rest } = edit;
    return { ...rest, given: kept.get(field)! };
  });
  const changes = checked.changes.map((c) => {
    const given = kept.get(c.field.name);
    return given ? { ...c, value: { from: 'given' as const, given: { kept: given.id } } } : c;
  });
  return { job: { ...job, edits }, checked: { ...checked, changes } };
}

/** Values that a job says are kept must be so, for its type and field; throws `not_found`. */
export async function mustBeKept(database: Database, { changes, selection }: CheckedJob): Promise<void> {
  for (const { field, value } of changes) {
    if (value.from !== 'given' || !('kept' in value.given)) continue;
    const found = await database.one('select from tantamos.given where id = $1 and type = $2 and field = $3', [
      value.given.kept,
      selection.type.id,
      field.name,
    ]);
    if (!found)
      fail('not_found', `There are no values for ${field.label.toLowerCase()} kept under this id.`, { where: 'edits' });
  }
}

/** What is to be said of given values that no selected record took: how many, and the first of them with the reason. */
export async function unusedGiven(database: Database, previewId: string, part: CheckedPart): Promise<Note[]> {
  const notes: Note[] = [];
  for (const { field, value } of part.changes) {
    if (value.from !== 'given' || !('kept' in value.given)) continue;
    const rows = await database.rows<{ key: string; total: number }>(
      `select g.key, count(*) over () as total from tantamos.given_value g
       where given = $1 and not exists (
         select from tantamos.batch b cross join lateral unnest(b.keys) k(key) where b.preview = $2 and k.key = g.key)
       order by g.key limit $3`,
      [value.given.kept, previewId, mostExamples],
    );
    if (rows.length === 0) continue;
    const { type } = part;
    const r = raw('r');
    const there = await database.ask<{ key: string }>(
      sql`select ${keyText(keyColumns(type, r))} as key from ${tableOf(type)} r
        where ${keyAmong(
          type,
          r,
          rows.map((row) => row.key),
        )}`,
    );
    const known = new Set(there.map((row) => row.key));
    const count = rows[0]!.total;
    notes.push({
      code: 'given_unused',
      count,
      message: `${count.toLocaleString('en-US')} of the values given for ${field.label.toLowerCase()} ${count === 1 ? 'is' : 'are'} not used: no selected record has ${count === 1 ? 'its' : 'their'} key.`,
      // What is no record at all is most likely a mistake: it comes first.
      examples: [...rows.filter((row) => !known.has(row.key)), ...rows.filter((row) => known.has(row.key))].map(
        ({ key }) => `${keyWords(type, key)}: ${known.has(key) ? 'not selected' : 'no such record'}`,
      ),
    });
  }
  return notes;
}
