import { mustHaveRoom } from '../storage/room';
import {
  clip,
  fail,
  keyAmong,
  keyColumns,
  keyText,
  keyWords,
  pathText,
  placesRead,
  raw,
  sql,
  tableOf,
  treesOf,
  type Change,
  type Checked,
  type CheckedJob,
  type CheckedJobPart,
  type Edit,
  type Given,
  type Job,
  type KeptValues,
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
  const kept = new Map<string, KeptValues>();
  for (const change of checked.changes) {
    const { value } = change;
    if (value.from !== 'given' || 'kept' in value.given || value.given.by !== null) continue;
    kept.set(change.field.name, await keep(database, change, value.given, checked.selection.type.id, account));
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
    const rest = { act: 'leave' } as const;
    return given ? { ...c, value: { from: 'given' as const, given: { kept: given.id, by: null, rest } } } : c;
  });
  return { job: { ...job, edits }, checked: { ...checked, changes } };
}

/** The path of the field whose values these are looked up by; null where it is the record's key. */
function sourceOf({ by }: Given): string | null {
  return by?.kind === 'field' ? pathText(by.at) : null;
}

/** Keeps values, in a set of their own or with those of `into`; throws where one is there already. */
export async function keep(
  database: Database,
  { field }: Change,
  given: Extract<Given, { entries: unknown }>,
  type: string,
  account: string,
  into?: string,
): Promise<KeptValues> {
  const text = (tree: Checked): string | null => (tree.kind === 'value' ? tree.text : null);
  return database.transaction('read committed', async (connection) => {
    const whose = [account, type, field.name, sourceOf(given)];
    if (into === undefined) await mustHaveRoom(connection, 'values', account);
    const { rows } = await connection.query<KeptValues>(
      into === undefined
        ? `insert into tantamos.given (made_by, type, field, source, count) values ($1, $2, $3, $4, $5) returning id, count`
        : `update tantamos.given set count = count + $5
           where id = $6 and made_by = $1 and type = $2 and field = $3 and source is not distinct from $4 returning id, count`,
      [...whose, given.entries.length, ...(into === undefined ? [] : [into])],
    );
    const set =
      rows[0] ?? fail('not_found', 'No values of yours are kept under this id for this field.', { where: 'into' });
    for await (const some of pieces(given.entries)) {
      const said = some.map((e) => text(e.key));
      const { rows: written } = await connection.query<{ key: string }>(
        `insert into tantamos.given_value (given, key, value) select $1, t.* from unnest($2::text[], $3::text[]) t
         on conflict do nothing returning key`,
        [set.id, said, some.map((e) => text(e.value))],
      );
      if (written.length === said.length) continue;
      const fresh = new Set(written.map((row) => row.key));
      const twice = said.find((key) => !fresh.has(key!))!;
      fail('bad_value', `“${clip(twice)}” is there already, from an earlier piece.`, { where: 'keys' });
    }
    return set;
  });
}

/** Values that a job says are kept must be so, for its type and field; throws `not_found`. */
export async function mustBeKept(database: Database, job: CheckedJob): Promise<void> {
  const changes = [job, ...job.then].flatMap((part) => part.changes.map((c) => ({ ...c, selection: part.selection })));
  for (const { selection, ...change } of changes) {
    const { field, value } = change;
    // A formula may read a column a thousand times: it is asked for once.
    const places = treesOf(change).flatMap(placesRead);
    for (const place of new Map(places.map((p) => [JSON.stringify(p), p])).values())
      await mustCarry(database, selection.type.id, place);
    if (value.from !== 'given' || !('kept' in value.given)) continue;
    const found = await database.one(
      `select from tantamos.given where id = $1 and type = $2 and source is not distinct from $3
         and case when $4::int is null then field else fields[$4] end = $5`,
      [value.given.kept, selection.type.id, sourceOf(value.given), value.given.at ?? null, field.name],
    );
    if (!found)
      fail('not_found', `There are no values for ${field.label.toLowerCase()} kept under this id.`, { where: 'edits' });
  }
}

async function mustCarry(
  database: Database,
  type: string,
  { kept, at, name }: ReturnType<typeof placesRead>[number],
): Promise<void> {
  const found = await database.one('select from tantamos.given where id = $1 and type = $2 and fields[$3::int] = $4', [
    kept,
    type,
    at,
    name,
  ]);
  if (!found)
    fail('not_found', `${name.replace(/^\S+ /, '')}: no values of that column are kept under this id.`, {
      where: 'edits',
    });
}

/** What is to be said of given values that no selected record took: how many, and the first of them with the reason. */
export async function unusedGiven(
  database: Database,
  previewId: string,
  part: CheckedJobPart,
  at: number,
): Promise<Note[]> {
  const notes: Note[] = [];
  for (const { field, value } of part.changes) {
    // Of a map nobody expects that all of it occurs.
    if (value.from !== 'given' || !('kept' in value.given) || value.given.by !== null) continue;
    const { kept, at: place = null } = value.given;
    if (part.selection.list?.id === kept && (await isAllTaken(database, kept, previewId, at))) continue;
    const rows = await database.rows<{ key: string; total: number }>(
      // Set against set: the database knows too little of what has just been kept to leave it to join them.
      `with unused as (
         select key from tantamos.given_value where given = $1
         union all
         select key from tantamos.given_row where given = $1 and coalesce(said[$5::int], true)
         except select k.key from tantamos.batch b cross join lateral unnest(b.keys) k(key) where b.preview = $2 and b.part = $4)
       select key, count(*) over ()::int as total from unused order by key limit $3`,
      [kept, previewId, mostExamples, at, place],
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

/** Of a set that the records were chosen by: are there as many of them as it has? */
async function isAllTaken(database: Database, kept: string, previewId: string, part: number): Promise<boolean> {
  const found = await database.one(
    `select from tantamos.given g
     where g.id = $1 and g.count = (select sum(size) from tantamos.batch where preview = $2 and part = $3)`,
    [kept, previewId, part],
  );
  return found !== undefined;
}
