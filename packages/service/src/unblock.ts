#!/usr/bin/env node
import { Client } from 'pg';

/**
 * `unblock.js [login or address]`: forgets wrong passwords, of one or all, for whoever owns the machine and cannot sign in. The
 * database is the one of TANTAMOS_DATABASE_URL.
 */
async function unblock(which: string | undefined): Promise<void> {
  const client = new Client({ connectionString: process.env.TANTAMOS_DATABASE_URL });
  await client.connect();
  try {
    const { rows } = await client.query<{ subject: string }>(
      `delete from tantamos.wrong_password where $1::text is null or lower(subject) = lower($1) returning subject`,
      [which ?? null],
    );
    const subjects = [...new Set(rows.map((r) => r.subject))].sort();
    const none =
      which === undefined ? 'No wrong passwords are counted.' : `No wrong passwords are counted for “${which}”.`;
    process.stdout.write(`${subjects.length > 0 ? `Wrong passwords forgotten: ${subjects.join(', ')}` : none}\n`);
  } finally {
    await client.end();
  }
}

unblock(process.argv[2]).catch((error: unknown) => {
  process.stderr.write(`\n  The database cannot be reached: ${(error as Error).message}\n\n`);
  process.exitCode = 1;
});
