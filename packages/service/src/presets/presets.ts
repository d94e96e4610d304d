import type { PresetBody, PresetView } from '@tantamos/contract';
import {
  checkPreset,
  editSentence,
  fail,
  isPresetSeen,
  list,
  noContext,
  ProblemError,
  type Catalog,
  type Edit,
  type Preset,
} from '@tantamos/core';
import type { Database } from '../database/database';
import { keptName } from '../kept-by-name';
import type { Seen } from '../rights/seen';
import { mustHaveRoom } from '../storage/room';
import { boundJob, namesIn } from '../saved-jobs/bound';

interface Row extends Preset {
  readonly id: string;
  readonly saved_by: string;
  readonly saved_by_name: string;
  readonly saved_at: Date;
}

const selectPresets = `select p.id, p.type, p.name, p.edits, p.saved_by, a.name as saved_by_name, p.saved_at
  from tantamos.preset p join tantamos.account a on a.id = p.saved_by`;

/** Those that the person may see, by type and name. */
export async function presetsSeen(database: Database, seen: Seen): Promise<PresetView[]> {
  const rows = await database.rows<Row & Record<string, unknown>>(
    `${selectPresets} order by p.type, lower(p.name) limit 1000`,
  );
  return Promise.all(rows.filter((r) => isPresetSeen(r, seen.catalog)).map((r) => viewOf(database, r, seen)));
}

/** Keeps values under a name; whose name it is may replace them. */
export async function keepPreset(database: Database, seen: Seen, body: PresetBody): Promise<PresetView> {
  const name = keptName(body.name);
  const said = { name, type: body.type, edits: body.edits.map((e) => ({ ...e })) };
  const type = checkPreset(said, seen.catalog);
  seen.must('create', type);
  const edits = await bound(database, said, seen.catalog);
  const before = await database.one('select from tantamos.preset where type = $1 and lower(name) = lower($2)', [
    type.id,
    name,
  ]);
  if (!before) await database.with((connection) => mustHaveRoom(connection, 'presets', seen.person.id));
  const row = await database.one<{ id: string }>(
    `insert into tantamos.preset (type, name, edits, saved_by) values ($1, $2, $3, $4)
     on conflict (type, lower(name)) do update set name = excluded.name, edits = excluded.edits, saved_at = now()
     where preset.saved_by = excluded.saved_by or $5 returning id`,
    [type.id, name, JSON.stringify(edits), seen.person.id, seen.may('administer')],
  );
  if (!row)
    fail('name_taken', `The name “${name}” is taken by somebody else; keep it under another.`, { where: 'name' });
  return viewOf(database, await known(database, seen, row.id), seen);
}

export async function dropPreset(database: Database, seen: Seen, id: string): Promise<void> {
  const row = await known(database, seen, id);
  if (row.saved_by !== seen.person.id && !seen.may('administer'))
    fail('not_permitted', `“${row.name}” is ${row.saved_by_name}’s; only they, or an administrator, may forget it.`);
  await database.rows('delete from tantamos.preset where id = $1', [row.id]);
}

async function known(database: Database, seen: Seen, id: string): Promise<Row> {
  const row = await database.one<Row & Record<string, unknown>>(`${selectPresets} where p.id = $1`, [id]);
  return row && isPresetSeen(row, seen.catalog) ? row : fail('not_found', 'There is no such preset.');
}

/** With every name of a record as its key. */
async function bound(database: Database, { type, edits }: Preset, catalog: Catalog): Promise<readonly Edit[]> {
  const job = await boundJob(database, jobOf(type, edits), catalog, noContext).catch((error: unknown) => {
    if (!(error instanceof ProblemError)) throw error;
    const [first, ...more] = error.problems.map((p) => ({
      ...p,
      where: p.where?.replace(/^also\/0\/values\/(\d+)\//, 'edits[$1].'),
    }));
    throw new ProblemError(first!, ...more);
  });
  return job.also![0]!.values;
}

/** A job that makes one, so that its names are looked up as a job's are. */
function jobOf(type: string, values: readonly Edit[]) {
  return { selection: { type }, edits: [], also: [{ type, values }] };
}

async function viewOf(database: Database, row: Row, seen: Seen): Promise<PresetView> {
  const { id, name, type: typeId, edits } = row;
  const type = seen.catalog.type(typeId);
  const names = await namesIn(database, jobOf(typeId, edits), seen.catalog);
  const told = {
    type,
    into: type,
    catalog: seen.catalog,
    nameOf: (of: string, text: string) => names[of]?.[text],
  };
  return {
    id,
    name,
    type: typeId,
    typeLabel: type.label,
    edits,
    sentence: list(
      edits.map((e) => editSentence(e, told).replace(/^set /, '')),
      'and',
    ),
    trouble: troubleOf(row, seen.catalog),
    mine: row.saved_by === seen.person.id,
    savedBy: row.saved_by_name,
    savedAt: row.saved_at.toISOString(),
  };
}

function troubleOf(preset: Preset, catalog: Catalog): string | null {
  try {
    checkPreset(preset, catalog);
    return null;
  } catch (error) {
    if (error instanceof ProblemError) return error.message;
    throw error;
  }
}
