import { createHash } from 'node:crypto';
import { fail } from '@tantamos/core';
import type { Person } from '../accounts/rights';
import type { Database } from '../database/database';

export interface Answer {
  readonly status: number;
  readonly answer: unknown;
}

/** Does the work once for a key; said again with the same request, gives the same answer without doing it again. */
export async function once(
  database: Database,
  person: Person,
  key: string,
  request: unknown,
  work: () => Promise<Answer>,
): Promise<Answer> {
  if (key.length > 200)
    fail('bad_request', 'An Idempotency-Key may have 200 characters.', { where: 'Idempotency-Key' });
  const hash = createHash('sha256').update(JSON.stringify(request)).digest();
  const fresh = await database.one(
    `insert into tantamos.idempotency (account, key, request_hash) values ($1, $2, $3) on conflict do nothing returning key`,
    [person.id, key, hash],
  );
  if (!fresh) return before(database, person, key, hash);
  try {
    const done = await work();
    await database.rows('update tantamos.idempotency set status = $3, answer = $4 where account = $1 and key = $2', [
      person.id,
      key,
      done.status,
      JSON.stringify(done.answer),
    ]);
    return done;
  } catch (error) {
    await database.rows('delete from tantamos.idempotency where account = $1 and key = $2', [person.id, key]);
    throw error;
  }
}

async function before(database: Database, person: Person, key: string, hash: Buffer): Promise<Answer> {
  const known = await database.one<{ request_hash: Buffer; status: number | null; answer: unknown }>(
    'select request_hash, status, answer from tantamos.idempotency where account = $1 and key = $2',
    [person.id, key],
  );
  if (!known?.request_hash.equals(hash))
    fail('key_reused', 'This Idempotency-Key was used for another request.', { where: 'Idempotency-Key' });
  if (known!.status === null)
    fail('key_reused', 'The request with this Idempotency-Key is still being worked on.', { where: 'Idempotency-Key' });
  return { status: known!.status!, answer: known!.answer };
}
