import { createHash, randomBytes } from 'node:crypto';
import { fail, passwordProblem, type Me } from '@tantamos/core';
import type { Connection, Database } from '../database/database';
import { Places } from '../places';
import { sayWho, type RightsStore } from '../rights/store';
import { KnownBrowsers } from './known-browsers';
import { checkPassword, hashPassword } from './password';
import type { Person } from './person';
import { WrongPasswordLimit } from './wrong-passwords';

/** A browser's session ends after 12 hours, a token's after 90 days. */
const lifetimes = { browser: '12 hours', token: '90 days' } as const;
/** How long a session is taken as good without asking the database again, in ms. */
const knownFor = 1000;
/** How exactly it is known when a session was last used, in ms. */
const usedWithin = 60_000;
const mostInMemory = 10_000;
/** Passwords from browsers that are not known are checked so many at once: each takes a tenth of a second of a core. */
const mostStrangers = 1;
export type SessionKind = keyof typeof lifetimes;

export interface Session {
  /** Known only to the person; the database keeps its hash. */
  readonly secret: string;
  readonly expiresAt: Date;
  readonly person: Person;
  /** The secret that the browser goes by from now on; null for a token. */
  readonly browser: string | null;
}

export interface Entering {
  readonly login: string;
  readonly password: string;
  readonly kind: SessionKind;
  readonly label: string | null;
  /** Where it comes from. */
  readonly address: string;
  /** The secret that the browser goes by, where it has been here before. */
  readonly browser?: string;
}

export interface KeptSession {
  readonly id: string;
  readonly kind: SessionKind;
  readonly label: string | null;
  readonly created_at: Date;
  readonly last_used_at: Date;
  readonly expires_at: Date;
  readonly secret_hash: Buffer;
}

export interface Account extends Person {
  readonly active: boolean;
  readonly lastUsedAt: Date | null;
  readonly sessions: number;
}

interface Row {
  readonly id: string;
  readonly login: string;
  readonly name: string;
  readonly role: string;
  readonly role_label: string;
  readonly person_type: string | null;
  readonly person_key: string | null;
  readonly locale: string | null;
}

/** Accounts and sessions. */
export class Accounts {
  private readonly known = new Map<string, { person: Person; until: number }>();
  /** Sessions of a database that nothing can be written to: they end with this process. */
  private readonly inMemory = new Map<string, { account: string; expiresAt: Date }>();
  private readonly browsers: KnownBrowsers;
  private readonly strangers = new Places(mostStrangers);
  /** Wrong passwords, and what they lead to. */
  readonly wrong: WrongPasswordLimit;

  constructor(
    private readonly database: Database,
    private readonly rights: RightsStore,
    private readonly readOnly = false,
  ) {
    this.browsers = new KnownBrowsers(database);
    this.wrong = new WrongPasswordLimit(database, readOnly);
  }

  /** Throws `wrong_credentials`, and `too_many_requests` after too many of those. */
  async signIn({ login, password, kind, label, address, browser }: Entering): Promise<Session> {
    const row = await this.database.one<Row & { password: string } & Record<string, unknown>>(
      `${selectPeople('a.password')} where a.login = lower($1) and a.active`,
      [login],
    );
    const isKnown = !this.readOnly && row && browser !== undefined && (await this.browsers.knows(browser, row.id));
    const check = (): Promise<boolean> => checkPassword(password, row?.password);
    const isRight = isKnown
      ? await check()
      : await this.wrong.checked(login, address, async () => (await this.strangers.within(check)) === true);
    if (!isRight && isKnown) await this.browsers.wrong(browser, row.id);
    if (!isRight || !row) return fail('wrong_credentials', 'That name and password do not go together.');
    const secret = randomBytes(32).toString('base64url');
    const person = personIn(row);
    if (this.readOnly) {
      const expiresAt = new Date(Date.now() + 12 * 3_600_000);
      if (this.inMemory.size >= mostInMemory) this.inMemory.delete([...this.inMemory.keys()][0]!);
      this.inMemory.set(hashSecret(secret).toString('base64'), { account: row.id, expiresAt });
      return { secret, expiresAt, person, browser: null };
    }
    const session = await this.database.one<{ expires_at: Date }>(
      `with used as (update tantamos.account set last_used_at = now() where id = $2)
       insert into tantamos.session (secret_hash, account, kind, label, expires_at)
       values ($1, $2, $3, $4, now() + $5::interval) returning expires_at`,
      [hashSecret(secret), row.id, kind, label, lifetimes[kind]],
    );
    await this.database.rows('delete from tantamos.session where expires_at < now()');
    const kept = kind === 'browser' ? await this.browsers.keep(browser, row.id) : null;
    return { secret, expiresAt: session!.expires_at, person, browser: kept };
  }

  /** Who holds this secret; undefined when nobody does, or does no longer. */
  async personOf(secret: string): Promise<Person | undefined> {
    const hash = hashSecret(secret);
    const id = hash.toString('base64');
    const known = this.known.get(id);
    if (known && known.until > Date.now()) return known.person;
    const person = this.readOnly ? await this.rememberedPerson(id) : await this.keptPerson(hash);
    if (this.known.size > 1000) this.known.clear();
    if (person) this.known.set(id, { person, until: Date.now() + knownFor });
    else this.known.delete(id);
    return person;
  }

  private async keptPerson(hash: Buffer): Promise<Person | undefined> {
    const row = await this.database.one<Row & { last_used_at: Date } & Record<string, unknown>>(
      `${selectPeople('s.last_used_at')} join tantamos.session s on s.account = a.id
       where s.secret_hash = $1 and s.expires_at > now() and a.active`,
      [hash],
    );
    if (!row) return undefined;
    if (Date.now() - row.last_used_at.getTime() > usedWithin)
      await this.database
        .rows(
          `with used as (update tantamos.session set last_used_at = now() where secret_hash = $1 returning account)
           update tantamos.account set last_used_at = now() where id in (select account from used)`,
          [hash],
        )
        // When it was used is not worth refusing it for.
        .catch(() => {});
    return personIn(row);
  }

  private async rememberedPerson(id: string): Promise<Person | undefined> {
    const session = this.inMemory.get(id);
    if (!session || session.expiresAt < new Date()) return undefined;
    const row = await this.database.one<Row & Record<string, unknown>>(
      `${selectPeople()} where a.id = $1 and a.active`,
      [session.account],
    );
    return row && personIn(row);
  }

  /** The holder of an account, active or not; `not_found` where there is none. */
  async person(id: string): Promise<Person> {
    const row = await this.database.one<Row & Record<string, unknown>>(`${selectPeople()} where a.id = $1`, [id]);
    return row ? personIn(row) : fail('not_found', 'There is no such account.');
  }

  /**
   * May this account still act? Its holder; throws `not_signed_in` with the reason where it was deactivated. Whatever goes on in
   * somebody's name asks it: requests, previews, runs, rechecks, file plans and event streams.
   */
  async acting(id: string): Promise<Person> {
    const row = await this.database.one<Row & { active: boolean } & Record<string, unknown>>(
      `${selectPeople('a.active')} where a.id = $1`,
      [id],
    );
    if (!row) return fail('not_signed_in', 'This account is no longer there.');
    if (!row.active)
      fail('not_signed_in', `The account “${row.login}” has been deactivated, so nothing goes on in its name.`);
    return personIn(row);
  }

  async signOut(secret: string): Promise<void> {
    const hash = hashSecret(secret);
    this.known.delete(hash.toString('base64'));
    if (this.inMemory.delete(hash.toString('base64'))) return;
    await this.database.rows('delete from tantamos.session where secret_hash = $1', [hash]);
  }

  async list(): Promise<Account[]> {
    const rows = await this.database.rows<
      Row & { active: boolean; last_used_at: Date | null; sessions: number } & Record<string, unknown>
    >(
      `${selectPeople(`a.active, a.last_used_at,
         (select count(*)::int from tantamos.session s where s.account = a.id and s.expires_at > now()) as sessions`)}
       order by a.login`,
    );
    return rows.map((r) => ({
      ...personIn(r),
      active: r.active,
      lastUsedAt: r.last_used_at,
      sessions: r.sessions,
    }));
  }

  /** By id; `not_found` where there is none. */
  async account(id: string): Promise<Account> {
    return (await this.list()).find((a) => a.id === id) ?? fail('not_found', 'There is no such account.');
  }

  /** Adds an account; `bad_value` if the login is taken. Returns its id. `by`: the account whose doing it is. */
  async add(
    account: { login: string; name: string; role: string; password: string; record?: Me | null },
    by: string | null = null,
  ): Promise<string> {
    const login = account.login.trim();
    if (login === '') fail('bad_value', 'A login has at least one letter.', { where: 'login' });
    await this.mustBeRole(account.role);
    mustBePassword(account.password, login, 'password');
    const { name, role, record } = account;
    const password = await hashPassword(account.password);
    const id = await this.changing(by, async (connection) => {
      const { rows } = await connection.query<{ id: string }>(
        `insert into tantamos.account (login, name, role, password, person_type, person_key)
         values (lower($1), $2, $3, $4, $5, $6) on conflict (login) do nothing returning id`,
        [login, name, role, password, record?.type ?? null, record?.key ?? null],
      );
      return rows[0]?.id;
    });
    this.rights.forget();
    return id ?? fail('bad_value', `There is already an account “${login}”.`, { where: 'login' });
  }

  /** What is absent stays as it is. An account that is made inactive loses its sessions. */
  async change(
    id: string,
    change: { name?: string | null; role?: string | null; active?: boolean | null; record?: Me | null },
    by: string | null,
  ): Promise<void> {
    if (change.role != null) await this.mustBeRole(change.role);
    await this.rights.changed(by, async (connection) => {
      const { rowCount } = await connection.query(
        `update tantamos.account set name = coalesce($2, name), role = coalesce($3, role), active = coalesce($4, active),
           person_type = case when $5 then $6 else person_type end, person_key = case when $5 then $7 else person_key end
         where id = $1`,
        [
          id,
          change.name,
          change.role,
          change.active,
          change.record !== undefined,
          change.record?.type ?? null,
          change.record?.key ?? null,
        ],
      );
      if (!rowCount) fail('not_found', 'There is no such account.');
      if (change.active === false) await endSessions(connection, id);
    });
    this.known.clear();
  }

  /** Changes one's own password; `wrong_credentials` where the present one is another. All other sessions end. */
  async changePassword(
    person: Person,
    { current, next, secret, address }: { current: string; next: string; secret: string; address: string },
  ): Promise<void> {
    const row = await this.database.one<{ password: string }>('select password from tantamos.account where id = $1', [
      person.id,
    ]);
    if (!(await this.wrong.checked(person.login, address, () => checkPassword(current, row?.password))))
      fail('wrong_credentials', 'That is not your present password.', { where: 'current' });
    await this.setPassword(person.id, next, person.id, { where: 'next', but: hashSecret(secret) });
  }

  /**
   * Gives an account another password; all its sessions end, but for the one of the hash `but`. `bad_value` at `where` for one
   * that is too short, blank, the one it has already, or contains the login.
   */
  async setPassword(
    id: string,
    password: string,
    by: string,
    { where = 'password', but = null }: { where?: string; but?: Buffer | null } = {},
  ): Promise<void> {
    const row = await this.database.one<{ login: string; password: string }>(
      'select login, password from tantamos.account where id = $1',
      [id],
    );
    if (!row) return fail('not_found', 'There is no such account.');
    mustBePassword(password, row.login, where);
    if (await checkPassword(password, row.password))
      fail('bad_value', 'The new password is the same as the present one.', { where });
    const hash = await hashPassword(password);
    await this.changing(by, async (connection) => {
      const { rowCount } = await connection.query('update tantamos.account set password = $2 where id = $1', [
        id,
        hash,
      ]);
      if (!rowCount) fail('not_found', 'There is no such account.');
      await endSessions(connection, id, but);
    });
    this.known.clear();
  }

  /** How numbers, dates and moments are shown to its holder; null: as the browser has it. */
  async locale(id: string): Promise<string | null> {
    const row = await this.database.one<{ locale: string | null }>(
      'select locale from tantamos.account where id = $1',
      [id],
    );
    return row?.locale ?? null;
  }

  async setLocale(id: string, locale: string | null): Promise<void> {
    await this.database.rows('update tantamos.account set locale = $2 where id = $1', [id, locale]);
    this.known.clear();
  }

  /** Sessions and tokens of an account that are good now, the last used first. */
  async sessions(account: string): Promise<KeptSession[]> {
    return this.database.rows<KeptSession & Record<string, unknown>>(
      `select id, kind, label, created_at, last_used_at, expires_at, secret_hash from tantamos.session
       where account = $1 and expires_at > now() order by last_used_at desc, id`,
      [account],
    );
  }

  async endSession(account: string, id: string, by: string): Promise<void> {
    const { rowCount } = await this.changing(by, (connection) =>
      connection.query('delete from tantamos.session where account = $1 and id = $2', [account, id]),
    );
    if (!rowCount) fail('not_found', 'There is no such session.');
    this.known.clear();
  }

  isOf(session: KeptSession, secret: string): boolean {
    return session.secret_hash.equals(hashSecret(secret));
  }

  async any(): Promise<boolean> {
    return (await this.database.one('select from tantamos.account limit 1')) !== undefined;
  }

  private changing<T>(by: string | null, work: (connection: Connection) => Promise<T>): Promise<T> {
    return this.database.transaction('read committed', async (connection) => {
      await sayWho(connection, by);
      return work(connection);
    });
  }

  private async mustBeRole(role: string): Promise<void> {
    const roles = await this.rights.roles();
    if (roles.some((r) => r.id === role)) return;
    fail('bad_value', `There is no role “${role.slice(0, 60)}”; there are ${roles.map((r) => r.id).join(', ')}.`, {
      where: 'role',
      suggestions: roles.map((r) => r.id),
    });
  }
}

function mustBePassword(password: string, login: string, where: string): void {
  const problem = passwordProblem(password, login);
  if (problem !== null) fail('bad_value', problem, { where });
}

function endSessions(connection: Connection, account: string, but: Buffer | null = null): Promise<unknown> {
  return connection.query(
    'delete from tantamos.session where account = $1 and ($2::bytea is null or secret_hash <> $2)',
    [account, but],
  );
}

function selectPeople(more?: string): string {
  return `select a.id, a.login, a.name, a.role, r.label as role_label, a.person_type, a.person_key, a.locale${more ? `, ${more}` : ''}
    from tantamos.account a join tantamos.role r on r.id = a.role`;
}

function personIn(row: Row): Person {
  const { id, login, name, role, locale } = row;
  const record = row.person_type === null ? null : { type: row.person_type, key: row.person_key! };
  return { id, login, name, role, roleLabel: row.role_label, record, locale };
}

function hashSecret(secret: string): Buffer {
  return createHash('sha256').update(secret).digest();
}
