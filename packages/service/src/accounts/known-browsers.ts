import { createHash, randomBytes } from 'node:crypto';
import type { Database } from '../database/database';

/** A browser is known for so many days after an account was last signed in to from it. */
export const knownDays = 180;
/** After so many wrong passwords in a row a browser is as strange as any other. */
const mostWrong = 20;

/**
 * Browsers that an account has been signed in to from, each by a secret of its own in a cookie: what strangers try with
 * a login does not lock its holder out there.
 */
export class KnownBrowsers {
  constructor(private readonly database: Database) {}

  async knows(secret: string, account: string): Promise<boolean> {
    const row = await this.database.one(
      `select from tantamos.known_browser where secret_hash = $1 and account = $2
         and last_used_at > now() - make_interval(days => $3)`,
      [hashed(secret), account, knownDays],
    );
    return row !== undefined;
  }

  /** Keeps the browser as known to the account; gives the secret it goes by, a new one where it has none. */
  async keep(secret: string | undefined, account: string): Promise<string> {
    const kept = secret ?? randomBytes(32).toString('base64url');
    await this.database.rows(
      `with old as (delete from tantamos.known_browser where last_used_at < now() - make_interval(days => $3))
       insert into tantamos.known_browser (secret_hash, account) values ($1, $2)
       on conflict (secret_hash, account) do update set last_used_at = now(), wrong = 0`,
      [hashed(kept), account, knownDays],
    );
    return kept;
  }

  async wrong(secret: string, account: string): Promise<void> {
    await this.database.rows(
      `with counted as (
         update tantamos.known_browser set wrong = wrong + 1 where secret_hash = $1 and account = $2 and wrong + 1 < $3 returning 1)
       delete from tantamos.known_browser where secret_hash = $1 and account = $2 and not exists (select from counted)`,
      [hashed(secret), account, mostWrong],
    );
  }
}

function hashed(secret: string): Buffer {
  return createHash('sha256').update(secret).digest();
}
