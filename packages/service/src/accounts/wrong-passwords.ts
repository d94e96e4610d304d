import { fail } from '@tantamos/core';
import type { Database } from '../database/database';

/** So many wrong passwords within so long, in seconds, and no more are tried. A person mistypes; an address holds many people. */
const most = { login: 10, address: 50 } as const;
const keptFor = 600;
export type LimitKind = keyof typeof most;

export interface WrongPasswords {
  readonly kind: LimitKind;
  readonly subject: string;
  readonly count: number;
  /** No more are tried until then; null while there are some left. */
  readonly refusedUntil: Date | null;
  /** Forgotten then. */
  readonly until: Date;
}

interface Row {
  readonly kind: LimitKind;
  readonly subject: string;
  readonly count: number;
  readonly since: Date;
}

/** What is being tried with one login, or from one address, in this process. */
interface Trying {
  /** Being checked now, and waiting to be. */
  under: number;
  waiting: (() => void)[];
  /** Wrong ones, as far as they are known here. */
  count: number;
}

/**
 * Counts wrong passwords, for each login and for each address on its own. Kept in the database, so that it holds for all
 * processes; in one that nothing can be written to, in memory.
 */
export class WrongPasswordLimit {
  private readonly inMemory = new Map<string, Row>();
  private readonly trying = new Map<string, Trying>();
  constructor(
    private readonly database: Database,
    private readonly readOnly: boolean,
  ) {}

  /**
   * Checks a password, `isRight`, and counts it if it is wrong; throws `too_many_requests` where there have been too many
   * already. Only as many are checked at once as may be wrong: the rest waits for how they turn out.
   */
  async checked(login: string, address: string, isRight: () => Promise<boolean>): Promise<boolean> {
    // The address first: whoever is refused for it does not stand in the way of the login.
    return this.within('address', address, () => this.within('login', login.toLowerCase(), isRight));
  }

  async list(): Promise<WrongPasswords[]> {
    const rows = this.readOnly
      ? [...this.inMemory.values()]
      : await this.database.rows<Row & Record<string, unknown>>(
          'select kind, subject, count, since from tantamos.wrong_password order by since desc limit 1000',
        );
    return rows
      .map(({ kind, subject, count, since }) => {
        const until = forgottenAt(since);
        return { kind, subject, count, until, refusedUntil: count >= most[kind] ? until : null };
      })
      .filter((w) => w.until > new Date());
  }

  /** Forgets what was counted; false where nothing was. */
  async lift(kind: LimitKind, subject: string): Promise<boolean> {
    if (this.readOnly) return this.inMemory.delete(`${kind} ${subject}`);
    const gone = await this.database.rows(
      `delete from tantamos.wrong_password where kind = $1 and subject = $2 or since < now() - make_interval(secs => $3)
       returning kind, subject`,
      [kind, subject, keptFor],
    );
    return gone.some((g) => (g as { subject: string }).subject === subject);
  }

  private async within(kind: LimitKind, subject: string, isRight: () => Promise<boolean>): Promise<boolean> {
    const key = `${kind} ${subject}`;
    const trying = this.trying.get(key) ?? { under: 0, waiting: [], count: 0 };
    this.trying.set(key, trying);
    let entering = true;
    try {
      await this.enter(kind, subject, trying);
      entering = false;
      const right = await isRight();
      // A right one makes the login begin anew, and says nothing of the address.
      if (!right) trying.count = await this.add(kind, subject);
      else if (kind === 'login') {
        await this.lift(kind, subject);
        trying.count = 0;
      }
      return right;
    } finally {
      if (!entering) trying.under--;
      trying.waiting.shift()?.();
      if (trying.under === 0 && trying.waiting.length === 0) this.trying.delete(key);
    }
  }

  private async enter(kind: LimitKind, subject: string, trying: Trying): Promise<void> {
    for (;;) {
      const row = await this.counted(kind, subject);
      const count = Math.max(row?.count ?? 0, trying.count);
      if (count + trying.under < most[kind]) {
        trying.under++;
        return;
      }
      if (count >= most[kind] || trying.under === 0) refuse(kind, row?.since ?? new Date());
      await new Promise<void>((resolve) => trying.waiting.push(resolve));
    }
  }

  private async counted(kind: LimitKind, subject: string): Promise<Row | undefined> {
    const row = this.readOnly
      ? this.inMemory.get(`${kind} ${subject}`)
      : await this.database.one<Row & Record<string, unknown>>(
          'select kind, subject, count, since from tantamos.wrong_password where kind = $1 and subject = $2',
          [kind, subject],
        );
    return row && forgottenAt(row.since) > new Date() ? row : undefined;
  }

  private async add(kind: LimitKind, subject: string): Promise<number> {
    if (this.readOnly) {
      const known = await this.counted(kind, subject);
      const row: Row = { kind, subject, since: new Date(), ...known, count: (known?.count ?? 0) + 1 };
      if (this.inMemory.size > 10_000) this.inMemory.clear();
      this.inMemory.set(`${kind} ${subject}`, row);
      return row.count;
    }
    const row = await this.database.one<{ count: number }>(
      `insert into tantamos.wrong_password as w (kind, subject, count) values ($1, $2, 1)
       on conflict (kind, subject) do update set
         count = case when w.since < now() - make_interval(secs => $3) then 1 else w.count + 1 end,
         since = case when w.since < now() - make_interval(secs => $3) then now() else w.since end
       returning count`,
      [kind, subject, keptFor],
    );
    return row!.count;
  }
}

function refuse(kind: LimitKind, since: Date): never {
  const wait = Math.max(1, Math.ceil((forgottenAt(since).getTime() - Date.now()) / 1000));
  return fail(
    'too_many_requests',
    kind === 'login'
      ? `There were too many wrong passwords for this login; wait ${minutes(wait)}, sign in from a browser where you have signed in before, or ask an administrator.`
      : `There were too many wrong passwords from your address; wait ${minutes(wait)}, or ask an administrator.`,
    { retryAfter: wait },
  );
}

function forgottenAt(since: Date): Date {
  return new Date(since.getTime() + keptFor * 1000);
}

function minutes(seconds: number): string {
  const n = Math.ceil(seconds / 60);
  return n === 1 ? 'a minute' : `${n} minutes`;
}
