import { createHash, randomBytes } from 'node:crypto';
import { fail } from '@tantamos/core';
import type { Database } from '../database/database';
import { checkPassword, hashPassword } from './password';
import type { Person, Role } from './rights';

/** A browser's session ends after 12 hours, a token's after 90 days. */
const lifetimes = { browser: '12 hours', token: '90 days' } as const;
/** How long a session is taken as good without asking the database again, in ms. */
const knownFor = 1000;
const mostInMemory = 10_000;
export type SessionKind = keyof typeof lifetimes;

export interface Session {
  /** Known only to the person; the database keeps its hash. */
  readonly secret: string;
  readonly expiresAt: Date;
  readonly person: Person;
}

/** Accounts and sessions. */
export class Accounts {
  private readonly known = new Map<string, { person: Person; until: number }>();
  /** Sessions of a database that nothing can be written to: they end with this process. */
  private readonly inMemory = new Map<string, { account: string; expiresAt: Date }>();
  constructor(
    private readonly database: Database,
    private readonly readOnly = false,
  ) {}

  async signIn(login: string, password: string, kind: SessionKind, label: string | null): Promise<Session> {
    const row = await this.database.one<Person & { password: string }>(
      'select id, login, name, role, password from tantamos.account where login = lower($1) and active',
      [login],
    );
    if (!(await checkPassword(password, row?.password)) || !row)
      return fail('wrong_credentials', 'That name and password do not go together.');
    const secret = randomBytes(32).toString('base64url');
    const { id, name, role } = row;
    const person = { id, login: row.login, name, role };
    if (this.readOnly) {
      const expiresAt = new Date(Date.now() + 12 * 3_600_000);
      if (this.inMemory.size >= mostInMemory) this.inMemory.delete([...this.inMemory.keys()][0]!);
      this.inMemory.set(hashSecret(secret).toString('base64'), { account: id, expiresAt });
      return { secret, expiresAt, person };
    }
    const session = await this.database.one<{ expires_at: Date }>(
      `insert into tantamos.session (secret_hash, account, kind, label, expires_at)
       values ($1, $2, $3, $4, now() + $5::interval) returning expires_at`,
      [hashSecret(secret), row.id, kind, label, lifetimes[kind]],
    );
    await this.database.rows('delete from tantamos.session where expires_at < now()');
    return { secret, expiresAt: session!.expires_at, person };
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

  private keptPerson(hash: Buffer): Promise<Person | undefined> {
    return this.database.one<Person>(
      `select a.id, a.login, a.name, a.role from tantamos.session s join tantamos.account a on a.id = s.account
       where s.secret_hash = $1 and s.expires_at > now() and a.active`,
      [hash],
    );
  }

  private async rememberedPerson(id: string): Promise<Person | undefined> {
    const session = this.inMemory.get(id);
    if (!session || session.expiresAt < new Date()) return undefined;
    return this.database.one<Person>('select id, login, name, role from tantamos.account where id = $1 and active', [
      session.account,
    ]);
  }

  /** The holder of an account, active or not; `not_found` where there is none. */
  async person(id: string): Promise<Person> {
    const person = await this.database.one<Person>('select id, login, name, role from tantamos.account where id = $1', [
      id,
    ]);
    return person ?? fail('not_found', 'There is no such account.');
  }

  async signOut(secret: string): Promise<void> {
    const hash = hashSecret(secret);
    this.known.delete(hash.toString('base64'));
    if (this.inMemory.delete(hash.toString('base64'))) return;
    await this.database.rows('delete from tantamos.session where secret_hash = $1', [hash]);
  }

  async list(): Promise<(Person & { active: boolean })[]> {
    return this.database.rows('select id, login, name, role, active from tantamos.account order by login');
  }

  /** Adds an account; `bad_value` if the login is taken. */
  async add(account: { login: string; name: string; role: Role; password: string }): Promise<Person> {
    const row = await this.database.one<Person>(
      `insert into tantamos.account (login, name, role, password) values (lower($1), $2, $3, $4)
       on conflict (login) do nothing returning id, login, name, role`,
      [account.login, account.name, account.role, await hashPassword(account.password)],
    );
    return row ?? fail('bad_value', `There is already an account “${account.login}”.`, { where: 'login' });
  }

  async any(): Promise<boolean> {
    return (await this.database.one('select from tantamos.account limit 1')) !== undefined;
  }
}

function hashSecret(secret: string): Buffer {
  return createHash('sha256').update(secret).digest();
}
