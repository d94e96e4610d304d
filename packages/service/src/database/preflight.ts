import { fail } from '@tantamos/core';
import type { Client } from 'pg';
import { pinned } from './database';
import { codeOf } from './refusal';

/** What the server is found to be, as far as it matters here. */
export interface Ground {
  /** Why nothing can be changed now, in a sentence; null where it can. */
  readonly readOnly: string | null;
  readonly searchPath: string;
}

const oldestServer = 14;
export const poolerWords =
  'Between Tantamos and the database stands a connection pooler that does not keep a session together (PgBouncer in transaction or statement mode, say). Give TANTAMOS_DATABASE_URL the address of PostgreSQL itself; its own port is usually 5432.';

/** Is this a database that Tantamos can work on? Throws `unavailable` with the reason in a sentence. */
export async function preflight(client: Client): Promise<Ground> {
  const { rows } = await client.query<{
    version: number;
    shown: string;
    encoding: string;
    recovering: boolean;
    read_only: boolean;
  }>(
    `select current_setting('server_version_num')::int as version, current_setting('server_version') as shown,
       current_setting('server_encoding') as encoding, pg_is_in_recovery() as recovering,
       current_setting('default_transaction_read_only')::boolean as read_only`,
  );
  const { version, shown, encoding, recovering, read_only: readOnly } = rows[0]!;
  if (version < oldestServer * 10_000)
    fail('unavailable', `PostgreSQL ${oldestServer} or later is needed; this server is ${shown}.`);
  if (encoding !== 'UTF8') fail('unavailable', `The database keeps its texts in ${encoding}; UTF8 is needed.`);
  await mustKeepSessions(client);
  const standby = 'The database is a copy that follows another server (a standby): nothing can be changed in it.';
  const locked = 'The database is set to be read-only (default_transaction_read_only): nothing can be changed in it.';
  return {
    readOnly: recovering ? standby : readOnly ? locked : null,
    searchPath: await searchPathOf(client),
  };
}

/** Session settings that text forms hang on: where they do not hold, another's session may come in between at any time. */
const telling = ['timezone', 'datestyle', 'intervalstyle', 'extra_float_digits', 'bytea_output'] as const;

async function mustKeepSessions(client: Client): Promise<void> {
  const { rows } = await client.query<{ name: (typeof telling)[number]; setting: string }>(
    'select name, current_setting(name) as setting from unnest($1::text[]) name',
    [telling],
  );
  const plain = (text: string): string => text.toLowerCase().replaceAll(' ', '');
  if (rows.some(({ name, setting }) => plain(setting) !== plain(pinned[name]))) fail('unavailable', poolerWords);
}

/**
 * The search path of the database and, after all that is on it, the schemas of its extensions: their types bring operators
 * that are only found there. Nothing that was found before is found elsewhere for it.
 */
async function searchPathOf(client: Client): Promise<string> {
  const { rows } = await client.query<{ path: string }>(
    `select concat_ws(', ', nullif(current_setting('search_path'), ''), string_agg(distinct quote_ident(n.nspname), ', ')) as path
     from pg_extension e join pg_namespace n on n.oid = e.extnamespace
     where n.nspname <> 'pg_catalog' and not n.nspname = any(current_schemas(false)) and has_schema_privilege(n.oid, 'usage')`,
  );
  return rows[0]!.path;
}

/** A pooler that knows of sessions' settings refuses them when one is opened (source: PgBouncer, unsupported startup parameter). */
export function isPooler(error: unknown): boolean {
  return codeOf(error) === '08P01' && /startup parameter/.test((error as Error).message);
}
