import { fail, Rights, type RightAct, type RightLine } from '@tantamos/core';
import type { Person } from '../accounts/person';
import type { Connection, Database } from '../database/database';

/** How long lines are taken as good without asking the database again, in ms. */
const knownFor = 1000;

/** A line, and to whom. */
export interface KeptLine extends RightLine {
  readonly role: string | null;
  readonly account: string | null;
  readonly login: string | null;
}

/** Lines as they are, and what they come to for each person. */
interface Known {
  readonly lines: readonly KeptLine[];
  /** Names of those who may administer. */
  readonly administrators: readonly string[];
  readonly at: number;
}

/** Roles and the lines of rights. */
export class RightsStore {
  private known: Promise<Known> | undefined;
  private knownAt = 0;
  constructor(private readonly database: Database) {}

  async of(person: Pick<Person, 'id' | 'role'>): Promise<Rights> {
    const { lines } = await this.read();
    return rightsAmong(lines, person);
  }

  async lines(): Promise<readonly KeptLine[]> {
    return (await this.read()).lines;
  }

  /** “Sorrel Haldane can give it.” */
  async whoGives(): Promise<string> {
    const [first, second, ...more] = (await this.read()).administrators;
    if (!first) return 'an administrator can give it.';
    if (!second) return `${first} can give it.`;
    if (more.length === 0) return `${first} or ${second} can give it.`;
    return `${first}, ${second} or another administrator can give it.`;
  }

  async add(line: Omit<KeptLine, 'id' | 'login'>, by: string): Promise<string> {
    const id = await this.changed(by, async (connection) => {
      const { rows } = await connection.query<{ id: string }>(
        `insert into tantamos.right_line (role, account, effect, acts, types, fields, filter, most, made_by)
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9) returning id`,
        [line.role, line.account, line.effect, line.acts, line.types, line.fields, line.filter, line.most, by],
      );
      return rows[0]!.id;
    });
    return id;
  }

  async drop(id: string, by: string): Promise<void> {
    await this.changed(by, async (connection) => {
      const { rowCount } = await connection.query('delete from tantamos.right_line where id = $1', [id]);
      if (!rowCount) fail('not_found', 'There is no such line of rights.');
    });
  }

  async roles(): Promise<{ id: string; label: string; accounts: number; builtIn: boolean }[]> {
    return this.database.rows(
      `select r.id, r.label, r.built_in as "builtIn", count(a.id)::int as accounts
       from tantamos.role r left join tantamos.account a on a.role = r.id group by r.id order by not r.built_in, r.id`,
    );
  }

  async addRole(id: string, label: string, by: string): Promise<void> {
    if (!/^[a-z][a-z0-9_-]{0,99}$/.test(id))
      fail('bad_value', 'A role is called by small letters, digits, - and _.', { where: 'id' });
    const made = await this.database.transaction('read committed', async (connection) => {
      await sayWho(connection, by);
      return connection.query('insert into tantamos.role (id, label) values ($1, $2) on conflict do nothing', [
        id,
        label,
      ]);
    });
    if (!made.rowCount) fail('name_taken', `There is already a role “${id}”.`, { where: 'id' });
  }

  async dropRole(id: string, by: string): Promise<void> {
    await this.changed(by, async (connection) => {
      const { rows } = await connection.query<{ built_in: boolean; held: boolean }>(
        `select built_in, exists (select from tantamos.account where role = r.id) as held
         from tantamos.role r where id = $1 for update`,
        [id],
      );
      const role = rows[0] ?? fail('not_found', `There is no role “${id}”.`);
      if (role.built_in) fail('wrong_state', 'This role came with Tantamos and stays; take its lines away instead.');
      if (role.held) fail('wrong_state', 'Accounts have this role; give them another first.');
      await connection.query('delete from tantamos.right_line where role = $1', [id]);
      await connection.query('delete from tantamos.role where id = $1', [id]);
    });
  }

  /** Changes what rights rest on, unless nobody could administer the workspace after it. `by`: an account, for the history. */
  async changed<T>(by: string | null, work: (connection: Connection) => Promise<T>): Promise<T> {
    const done = await this.database.transaction('read committed', async (connection) => {
      // Two that each take the other's right away take turns.
      await connection.query(`select pg_advisory_xact_lock(hashtext('tantamos rights'))`);
      await sayWho(connection, by);
      const result = await work(connection);
      const { rows } = await connection.query<KeptLine>(selectLines);
      const accounts = await connection.query<Person>('select id, name, role from tantamos.account where active');
      if (!accounts.rows.some((a) => rightsAmong(rows, a).has('administer')))
        fail('would_alter', 'Nobody could administer this workspace after that, so it is left as it is.');
      return result;
    });
    this.known = undefined;
    return done;
  }

  /** Accounts have changed: what is known is read anew. */
  forget(): void {
    this.known = undefined;
  }

  private read(): Promise<Known> {
    if (this.known && Date.now() - this.knownAt < knownFor) return this.known;
    const known = this.load();
    this.known = known;
    this.knownAt = Date.now();
    known.catch(() => this.known === known && (this.known = undefined));
    return known;
  }

  private async load(): Promise<Known> {
    const [lines, accounts] = await Promise.all([
      this.database.rows<KeptLine & Record<string, unknown>>(selectLines),
      this.database.rows<{ id: string; name: string; role: string }>(
        'select id, name, role from tantamos.account where active order by created_at, name',
      ),
    ]);
    const administrators = accounts.filter((a) => rightsAmong(lines, a).has('administer')).map((a) => a.name);
    return { lines, administrators, at: Date.now() };
  }
}

/** Whose doing the history of settings says what this transaction changes is; null: the program’s. */
export async function sayWho(connection: Connection, account: string | null): Promise<void> {
  await connection.query(`select set_config('tantamos.person', $1, true)`, [account ?? '']);
}

/** What is said of rights as the tables name them. */
function rightsAmong(lines: readonly KeptLine[], person: Pick<Person, 'id' | 'role'>): Rights {
  return new Rights(lines.filter((l) => (l.role === null ? l.account === person.id : l.role === person.role)));
}

export function actsOf(rights: Rights, acts: readonly RightAct[]): RightAct[] {
  return acts.filter((act) => rights.has(act));
}

const selectLines = `
  select l.id, l.role, l.account, a.login, l.effect, l.acts, l.types, l.fields, l.filter, l.most::int8 as most
  from tantamos.right_line l left join tantamos.account a on a.id = l.account
  order by l.role is null, l.role, a.login, l.id`;
