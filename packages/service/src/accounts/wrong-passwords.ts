import { fail } from '@tantamos/core';
import type { Database } from '../database/database';

/**
 * So many wrong passwords are free. After each further one, nothing is tried for a while: 1 s, then twice as long each time, up to
 * `longest` seconds. An address that guesses is slowed down first and for longer. A login is slowed down later and only a little,
 * whoever guesses: a stranger cannot keep its holder out.
 */
const limits = { address: { free: 5, longest: 600 }, login: { free: 20, longest: 30 } } as const;
/** Who has had no wrong one for so many seconds begins again. */
const keptFor = 900;
export type LimitKind = keyof typeof limits;

export interface WrongPasswords {
  readonly kind: LimitKind;
  readonly subject: string;
  readonly count: number;
  /** None is tried until then; null where one is now. */
  readonly refusedUntil: Date | null;
  /** Forgotten then. */
  readonly until: Date;
}

interface Row {
  readonly kind: LimitKind;
  readonly subject: string;
  readonly count: number;
  /** When the last one was wrong. */
  readonly last_at: Date;
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
          'select kind, subject, count, last_at from tantamos.wrong_password order by last_at desc limit 1000',
        );
    return rows
      .map((row) => {
        const { kind, subject, count } = row;
        const refusedUntil = triedAgainAt(row);
        return {
          kind,
          subject,
          count,
          until: forgottenAt(row),
          refusedUntil: refusedUntil > new Date() ? refusedUntil : null,
        };
      })
      .filter((w) => w.until > new Date());
  }

  /** Forgets what was counted; false where nothing was. */
  async lift(kind: LimitKind, subject: string): Promise<boolean> {
    if (this.readOnly) return this.inMemory.delete(`${kind} ${subject}`);
    const gone = await this.database.rows(
      `delete from tantamos.wrong_password where kind = $1 and subject = $2 or last_at < now() - make_interval(secs => $3)
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
      if (count + trying.under < limits[kind].free) break;
      if (trying.under === 0) {
        const at = triedAgainAt({ kind, count, last_at: row?.last_at ?? new Date() });
        if (at > new Date()) refuse(kind, at);
        break;
      }
      await new Promise<void>((resolve) => trying.waiting.push(resolve));
    }
    trying.under++;
  }

  private async counted(kind: LimitKind, subject: string): Promise<Row | undefined> {
    const row = this.readOnly
      ? this.inMemory.get(`${kind} ${subject}`)
      : await this.database.one<Row & Record<string, unknown>>(
          'select kind, subject, count, last_at from tantamos.wrong_password where kind = $1 and subject = $2',
          [kind, subject],
        );
    return row && forgottenAt(row) > new Date() ? row : undefined;
  }

  private async add(kind: LimitKind, subject: string): Promise<number> {
    if (this.readOnly) {
      const known = await this.counted(kind, subject);
      const row: Row = { kind, subject, last_at: new Date(), count: (known?.count ?? 0) + 1 };
      if (this.inMemory.size > 10_000) this.inMemory.clear();
      this.inMemory.set(`${kind} ${subject}`, row);
      return row.count;
    }
    const row = await this.database.one<{ count: number }>(
      `insert into tantamos.wrong_password as w (kind, subject, count) values ($1, $2, 1)
       on conflict (kind, subject) do update set
         count = case when w.last_at < now() - make_interval(secs => $3) then 1 else least(w.count + 1, 1000000) end,
         last_at = now()
       returning count`,
      [kind, subject, keptFor],
    );
    return row!.count;
  }
}

function refuse(kind: LimitKind, until: Date): never {
  const wait = Math.max(1, Math.ceil((until.getTime() - Date.now()) / 1000));
  const ask = kind === 'login' ? ', or sign in from a browser where you have signed in before' : '';
  return fail(
    'too_many_requests',
    `There were too many wrong passwords ${kind === 'login' ? 'for this login' : 'from your address'}. Try again in ${duration(wait)}${ask}.`,
    { retryAfter: wait },
  );
}

/** When the next one is tried; at once while some are free. */
function triedAgainAt({ kind, count, last_at: last }: Omit<Row, 'subject'>): Date {
  const { free, longest } = limits[kind];
  return new Date(last.getTime() + (count < free ? 0 : 1000 * Math.min(2 ** (count - free), longest)));
}

function forgottenAt({ last_at: last }: Row): Date {
  return new Date(last.getTime() + keptFor * 1000);
}

function duration(seconds: number): string {
  if (seconds < 60) return seconds === 1 ? '1 second' : `${seconds} seconds`;
  const n = Math.ceil(seconds / 60);
  return n === 1 ? '1 minute' : `${n} minutes`;
}
