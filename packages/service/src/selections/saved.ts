import type { SavedSelectionView, SavedVersionView } from '@tantamos/contract';
import { boundText, checkSelection, clip, closest, fail, namesIn, questionsOf, type Selection } from '@tantamos/core';
import { answerNames } from '../catalog/names';
import type { Connection, Database } from '../database/database';
import { codeOf } from '../database/refusal';
import type { Compiler } from '../jobs/compiler';
import { allOrNone, keptName, mustBeNewest } from '../kept-by-name';
import type { Seen } from '../rights/seen';
import { mostVersions, mustHaveRoom } from '../storage/room';
import { namesOfSaved } from './context';
import { isVisible } from './visible';

interface Row {
  readonly id: string;
  readonly name: string;
  readonly owner: string;
  readonly owner_name: string;
  readonly open: boolean;
  readonly note: string | null;
  readonly type: string;
  readonly version: number;
  readonly selection: Selection;
  readonly said: Selection;
  readonly changed_by_name: string;
  readonly changed_at: Date;
  readonly last_count: number | null;
  readonly counted_at: Date | null;
}

export interface Saving {
  readonly name: string;
  readonly said: Selection;
  readonly note: string | null;
  readonly open: boolean;
  /** The version the change was made on; null: do not ask. */
  readonly version: number | null;
  /** Although others rest on it. */
  readonly anyway: boolean;
}

/** Selections saved under names, each with all its versions. */
export class SavedSelections {
  constructor(
    private readonly database: Database,
    private readonly compiler: Compiler,
  ) {}

  /** The person's own and those open to all, but for what names something withheld from them. */
  async list(seen: Seen, connection?: Connection): Promise<SavedSelectionView[]> {
    const { person } = seen;
    const text = `${selectSaved} where s.open or s.owner = $1 order by lower(s.name)`;
    const rows = connection
      ? (await connection.query<Row>(text, [person.id])).rows
      : await this.database.rows<Row & Record<string, unknown>>(text, [person.id]);
    const { context } = await this.compiler.context(
      seen,
      rows.map((r) => r.said),
    );
    const visible = rows.filter((r) => isVisible(r.said, seen, context, r.owner === person.id));
    return visible.map((r) => view(r, seen, visible));
  }

  async get(seen: Seen, name: string, connection?: Connection): Promise<SavedSelectionView> {
    const all = await this.list(seen, connection);
    return (
      all.find((s) => s.name.toLowerCase() === name.toLowerCase()) ??
      fail('not_found', `There is no saved selection “${clip(name)}”.`, {
        suggestions: closest(
          name,
          all.map((s) => s.name),
        ),
      })
    );
  }

  async versions(seen: Seen, name: string): Promise<SavedVersionView[]> {
    const { id, mine } = await this.get(seen, name);
    const rows = await this.database.rows<SavedVersionView & { changed_at: Date } & Record<string, unknown>>(
      `select v.version, v.said as selection, v.note, a.name as "changedBy", v.changed_at
       from tantamos.saved_selection_version v join tantamos.account a on a.id = v.changed_by
       where v.selection = $1 order by v.version desc`,
      [id],
    );
    const { context } = await this.compiler.context(
      seen,
      rows.map((r) => r.selection),
    );
    return rows
      .filter((r) => isVisible(r.selection, seen, context, mine))
      .map(({ changed_at, ...r }) => ({ ...r, changedAt: changed_at.toISOString() }));
  }

  /** Saves a new selection, or a new version where the name is the person's own or open to change. */
  async save(seen: Seen, saving: Saving): Promise<SavedSelectionView> {
    const [saved] = await this.saveAll(seen, [saving]);
    return saved!;
  }

  /** Saves several, all or none: a later one may rest on an earlier one. Problems say in which. */
  async saveAll(seen: Seen, savings: readonly Saving[]): Promise<SavedSelectionView[]> {
    const ids = await allOrNone(this.database, savings, (connection, saving) => this.saveOn(connection, seen, saving));
    const all = await this.list(seen);
    return ids.map((id) => all.find((s) => s.id === id)!);
  }

  private async saveOn(connection: Connection, seen: Seen, saving: Saving): Promise<string> {
    const { person } = seen;
    const name = keptName(saving.name);
    if (saving.open) seen.must('keep_open');
    const bound = await this.bound(connection, seen, { ...saving, name });
    const { rows: found } = await connection.query<Row>(`${selectSaved} where lower(s.name) = lower($1)`, [name]);
    const before = found[0];
    if (before) await this.mayChange(connection, seen, before, saving);
    else await mustHaveRoom(connection, 'selections', person.id);
    const values = [name, person.id, saving.open, saving.note, saving.said.type, bound, saving.said];
    // Another may take the name at the same moment.
    const { rows } = before
      ? await connection.query<{ id: string; version: number }>(
          `update tantamos.saved_selection set name = $1, changed_by = $2, open = $3, note = $4, type = $5, selection = $6,
             said = $7, version = version + 1, changed_at = now(), last_count = null, counted_at = null
           where id = $8 and version = $9 returning id, version`,
          [...values, before.id, before.version],
        )
      : await connection
          .query<{ id: string; version: number }>(
            `insert into tantamos.saved_selection (name, owner, changed_by, open, note, type, selection, said)
             values ($1, $2, $2, $3, $4, $5, $6, $7) returning id, version`,
            values,
          )
          .catch((error: unknown) => {
            if (codeOf(error) !== '23505') throw error;
            return fail('name_taken', `The name “${clip(name)}” is taken.`, { where: 'name' });
          });
    const saved = rows[0] ?? fail('stale_version', 'Somebody changed this selection just now; look at it again.');
    await connection.query(
      `insert into tantamos.saved_selection_version (selection, version, said, note, changed_by)
       values ($1, $2, $3, $4, $5)`,
      [saved.id, saved.version, saving.said, saving.note, person.id],
    );
    await connection.query('delete from tantamos.saved_selection_version where selection = $1 and version <= $2', [
      saved.id,
      saved.version - mostVersions,
    ]);
    return saved.id;
  }

  async drop(seen: Seen, name: string): Promise<void> {
    const saved = await this.get(seen, name);
    if (!saved.mine && !seen.may('administer'))
      seen.refuse('Only who saved a selection, and administrators, may delete it');
    const users = await this.usersOf(saved.name);
    if (users.length > 0)
      fail('would_alter', `“${saved.name}” cannot be deleted: ${await this.named(seen, users)} rest on it.`);
    const jobs = await this.jobsOn(saved.name);
    if (jobs > 0)
      fail(
        'would_alter',
        `“${saved.name}” cannot be deleted: ${jobs === 1 ? 'a saved job finds' : `${jobs} saved jobs find`} records by it.`,
      );
    await this.database.rows('delete from tantamos.saved_selection where id = $1', [saved.id]);
  }

  /** Remembers how many records it matched when it was last looked at. */
  async counted(id: string, count: number): Promise<void> {
    await this.database.rows('update tantamos.saved_selection set last_count = $2, counted_at = now() where id = $1', [
      id,
      count,
    ]);
  }

  private async mayChange(connection: Connection, seen: Seen, before: Row, saving: Saving): Promise<void> {
    // A name that somebody keeps to themselves is not told of.
    if (before.owner !== seen.person.id && !(before.open && seen.may('administer')))
      fail('name_taken', `The name “${clip(saving.name)}” is taken; save it under another.`, { where: 'name' });
    mustBeNewest(before.version, saving.version);
    const users = await this.usersOf(before.name, connection);
    const same = JSON.stringify(before.said) === JSON.stringify(saving.said) && before.type === saving.said.type;
    if (users.length > 0 && !same && !saving.anyway)
      fail(
        'would_alter',
        `${await this.named(seen, users)} rest${users.length === 1 ? 's' : ''} on “${before.name}” and would change with it; say so to go on.`,
        { where: 'anyway' },
      );
  }

  /** Those that the person may see by name, the rest as a number. */
  private async named(seen: Seen, users: readonly string[]): Promise<string> {
    const visible = new Set((await this.list(seen)).map((s) => s.name));
    const shown = users.filter((u) => visible.has(u)).map((u) => `“${u}”`);
    const rest = users.length - shown.length;
    return [...shown, ...(rest > 0 ? [`${rest} of others’`] : [])].join(', ');
  }

  private async usersOf(name: string, connection?: Connection): Promise<string[]> {
    const text = 'select name, selection from tantamos.saved_selection where selection::text ilike $1';
    const rows = connection
      ? (await connection.query<{ name: string; selection: Selection }>(text, ['%in_selection%'])).rows
      : await this.database.rows<{ name: string; selection: Selection }>(text, ['%in_selection%']);
    return rows.filter((r) => names(r.selection).includes(name.toLowerCase())).map((r) => r.name);
  }

  /** How many saved jobs find their records by it. */
  private async jobsOn(name: string): Promise<number> {
    const rows = await this.database.rows<{ selection: Selection }>(
      `select bound -> 'job' -> 'selection' as selection from tantamos.saved_job where bound::text ilike '%in_selection%'`,
    );
    return rows.filter((r) => names(r.selection).includes(name.toLowerCase())).length;
  }

  /** Checked, with names as keys; refuses circles, and open selections that rest on private ones. */
  private async bound(connection: Connection, seen: Seen, saving: Saving): Promise<Selection> {
    const { said } = saving;
    const { catalog, context } = await this.compiler.context(seen, [said], undefined, connection);
    checkSelection(said, catalog, context);
    await mustHaveList(connection, said);
    for (let wanted = names(said), seen = new Set<string>(); wanted.length > 0;) {
      if (wanted.includes(saving.name.toLowerCase()))
        fail('circle', `The selection “${clip(saving.name)}” would rest on itself.`, { where: 'filter' });
      const { rows } = await connection.query<{ name: string; open: boolean; selection: Selection }>(
        'select name, open, selection from tantamos.saved_selection where lower(name) = any($1)',
        [wanted],
      );
      const closed = rows.find((r) => !r.open);
      if (saving.open && closed)
        fail('not_permitted', `“${closed.name}” is private, so a selection open to all cannot rest on it.`, {
          where: 'open',
        });
      wanted.forEach((n) => seen.add(n));
      wanted = rows.flatMap((r) => names(r.selection)).filter((n) => !seen.has(n));
    }
    const bind = async (s: Selection): Promise<Selection> => {
      const selection = checkSelection(s, catalog, context);
      const questions = selection.condition ? namesIn(selection.condition) : [];
      const answers = await answerNames(this.database, catalog, questionsOf(selection));
      const filter = s.filter?.trim() ? boundText(s.filter, questions, answers, catalog) : undefined;
      return {
        ...s,
        ...(filter === undefined ? {} : { filter }),
        ...(s.related ? { related: { ...s.related, of: await bind(s.related.of) } } : {}),
      };
    };
    return bind(said);
  }
}

const selectSaved = `
  select s.*, o.name as owner_name, c.name as changed_by_name from tantamos.saved_selection s
  join tantamos.account o on o.id = s.owner join tantamos.account c on c.id = s.changed_by`;

function names(selection: Selection): string[] {
  return namesOfSaved(selection).map((n) => n.toLowerCase());
}

/** A pasted list that a selection rests on must be there. */
async function mustHaveList(connection: Connection, { list, related }: Selection): Promise<void> {
  if (related) await mustHaveList(connection, related.of);
  if (!list) return;
  const { rows } = await connection.query('select from tantamos.list where id = $1', [list.id]);
  if (rows.length === 0) fail('not_found', 'There is no such list; paste it again.', { where: 'list' });
}

function view(r: Row, seen: Seen, all: readonly Row[]): SavedSelectionView {
  const { person, catalog } = seen;
  return {
    id: r.id,
    name: r.name,
    note: r.note,
    open: r.open,
    mine: r.owner === person.id,
    owner: r.owner_name,
    type: r.type,
    typeLabel: catalog.find(r.type)?.label ?? r.type,
    version: r.version,
    selection: r.said,
    changedBy: r.changed_by_name,
    changedAt: r.changed_at.toISOString(),
    // What was counted over records that the person may not see is not told.
    lastCount: seen.isWhole ? r.last_count : null,
    countedAt: seen.isWhole ? (r.counted_at?.toISOString() ?? null) : null,
    usedBy: all.filter((o) => names(o.selection).includes(r.name.toLowerCase())).map((o) => o.name),
  };
}
