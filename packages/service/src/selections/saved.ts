import type { SavedSelectionView, SavedVersionView } from '@tantamos/contract';
import { boundText, checkSelection, clip, closest, fail, namesIn, questionsOf, type Selection } from '@tantamos/core';
import type { Person } from '../accounts/rights';
import { answerNames } from '../catalog/names';
import type { Database } from '../database/database';
import { codeOf } from '../database/refusal';
import type { Compiler } from '../engine/job-compiler';
import { namesOfSaved } from './context';

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

  async list(person: Person): Promise<SavedSelectionView[]> {
    const rows = await this.database.rows<Row & Record<string, unknown>>(
      `${selectSaved} where s.open or s.owner = $1 order by lower(s.name)`,
      [person.id],
    );
    return rows.map((r) => view(r, person, rows));
  }

  async get(person: Person, name: string): Promise<SavedSelectionView> {
    const all = await this.list(person);
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

  async versions(person: Person, name: string): Promise<SavedVersionView[]> {
    const { id } = await this.get(person, name);
    const rows = await this.database.rows<SavedVersionView & { changed_at: Date } & Record<string, unknown>>(
      `select v.version, v.said as selection, v.note, a.name as "changedBy", v.changed_at
       from tantamos.saved_selection_version v join tantamos.account a on a.id = v.changed_by
       where v.selection = $1 order by v.version desc`,
      [id],
    );
    return rows.map(({ changed_at, ...r }) => ({ ...r, changedAt: changed_at.toISOString() }));
  }

  /** Saves a new selection, or a new version where the name is the person's own or open to change. */
  async save(person: Person, saving: Saving): Promise<SavedSelectionView> {
    const name = saving.name.trim();
    if (name === '' || /['"\n]/.test(name))
      fail('bad_value', 'A name has at least one letter, and no quotes.', { where: 'name' });
    const bound = await this.bound(person, { ...saving, name });
    const before = await this.database.one<Row & Record<string, unknown>>(
      `${selectSaved} where lower(s.name) = lower($1)`,
      [name],
    );
    if (before) await this.mayChange(person, before, saving);
    try {
      await this.database.transaction('read committed', async (connection) => {
        const values = [name, person.id, saving.open, saving.note, saving.said.type, bound, saving.said];
        const { rows } = before
          ? await connection.query<{ id: string; version: number }>(
              `update tantamos.saved_selection set name = $1, changed_by = $2, open = $3, note = $4, type = $5, selection = $6,
                 said = $7, version = version + 1, changed_at = now(), last_count = null, counted_at = null
               where id = $8 and version = $9 returning id, version`,
              [...values, before.id, before.version],
            )
          : await connection.query<{ id: string; version: number }>(
              `insert into tantamos.saved_selection (name, owner, changed_by, open, note, type, selection, said)
               values ($1, $2, $2, $3, $4, $5, $6, $7) returning id, version`,
              values,
            );
        const saved = rows[0] ?? fail('stale_version', 'Somebody changed this selection just now; look at it again.');
        await connection.query(
          `insert into tantamos.saved_selection_version (selection, version, said, note, changed_by)
           values ($1, $2, $3, $4, $5)`,
          [saved.id, saved.version, saving.said, saving.note, person.id],
        );
      });
    } catch (error) {
      if (codeOf(error) === '23505') fail('name_taken', `The name “${clip(name)}” is taken.`, { where: 'name' });
      throw error;
    }
    return this.get(person, name);
  }

  async drop(person: Person, name: string): Promise<void> {
    const saved = await this.get(person, name);
    if (!saved.mine && person.role !== 'administrator')
      fail('not_permitted', 'Only the person who saved a selection, or an administrator, may delete it.');
    const users = await this.usersOf(saved.name);
    if (users.length > 0)
      fail('would_alter', `“${saved.name}” cannot be deleted: ${users.map((u) => `“${u}”`).join(', ')} rest on it.`);
    await this.database.rows('delete from tantamos.saved_selection where id = $1', [saved.id]);
  }

  /** Remembers how many records it matched when it was last looked at. */
  async counted(id: string, count: number): Promise<void> {
    await this.database.rows('update tantamos.saved_selection set last_count = $2, counted_at = now() where id = $1', [
      id,
      count,
    ]);
  }

  private async mayChange(person: Person, before: Row, saving: Saving): Promise<void> {
    // A name that somebody keeps to themselves is not told of.
    if (before.owner !== person.id && !(before.open && person.role === 'administrator'))
      fail('name_taken', `The name “${clip(saving.name)}” is taken; save it under another.`, { where: 'name' });
    if (saving.version !== null && saving.version !== before.version)
      fail(
        'stale_version',
        `Version ${before.version} was saved since you opened version ${saving.version}; look at it first.`,
      );
    const users = await this.usersOf(before.name);
    const same = JSON.stringify(before.said) === JSON.stringify(saving.said) && before.type === saving.said.type;
    if (users.length > 0 && !same && !saving.anyway)
      fail(
        'would_alter',
        `${users.map((u) => `“${u}”`).join(', ')} rest${users.length === 1 ? 's' : ''} on “${before.name}” and would change with it; say so to go on.`,
        { where: 'anyway' },
      );
  }

  private async usersOf(name: string): Promise<string[]> {
    const rows = await this.database.rows<{ name: string; selection: Selection }>(
      'select name, selection from tantamos.saved_selection where selection::text ilike $1',
      ['%in_selection%'],
    );
    return rows.filter((r) => names(r.selection).includes(name.toLowerCase())).map((r) => r.name);
  }

  /** Checked, with names as keys; refuses circles, and open selections that rest on private ones. */
  private async bound(person: Person, saving: Saving): Promise<Selection> {
    const { said } = saving;
    await this.compiler.selection(person, said);
    const { catalog, context } = await this.compiler.context(person, [said]);
    for (let wanted = names(said), seen = new Set<string>(); wanted.length > 0;) {
      if (wanted.includes(saving.name.toLowerCase()))
        fail('circle', `The selection “${clip(saving.name)}” would rest on itself.`, { where: 'filter' });
      const rows = await this.database.rows<{ name: string; open: boolean; selection: Selection }>(
        'select name, open, selection from tantamos.saved_selection where lower(name) = any($1)',
        [wanted],
      );
      const hidden = rows.find((r) => !r.open);
      if (saving.open && hidden)
        fail('not_permitted', `“${hidden.name}” is private, so a selection open to all cannot rest on it.`, {
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

function view(r: Row, person: Person, all: readonly Row[]): SavedSelectionView {
  return {
    id: r.id,
    name: r.name,
    note: r.note,
    open: r.open,
    mine: r.owner === person.id,
    owner: r.owner_name,
    type: r.type,
    typeLabel: r.type,
    version: r.version,
    selection: r.said,
    changedBy: r.changed_by_name,
    changedAt: r.changed_at.toISOString(),
    lastCount: r.last_count,
    countedAt: r.counted_at?.toISOString() ?? null,
    usedBy: all.filter((o) => names(o.selection).includes(r.name.toLowerCase())).map((o) => o.name),
  };
}
