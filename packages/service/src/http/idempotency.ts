import { createHash } from 'node:crypto';
import { fail } from '@tantamos/core';
import type { Person } from '../accounts/person';
import type { Database } from '../database/database';
import { codeOf } from '../database/refusal';

/** What is done once, and how it is answered when it is asked for again. */
interface Doing {
  /** Makes a preview or run with this id. */
  work(id: string): Promise<unknown>;
  again(id: string): Promise<unknown>;
}

/** A key is held for so long, in s, by who works on it, and held on to so often, in ms: a process that died lets go of it. */
const heldFor = 20;
const heldAgainAfter = 5000;

/**
 * Does the work once for a key; said again with the same request, answers with what it made without doing it again. What
 * is made has an id that stands beside the key before it is begun: where a process dies over it, whoever asks again finds
 * out whether it was made, and else makes it.
 */
export async function once(
  database: Database,
  person: Person,
  key: string,
  request: unknown,
  { work, again }: Doing,
): Promise<unknown> {
  if (key.length > 200)
    fail('bad_request', 'An Idempotency-Key may have 200 characters.', { where: 'Idempotency-Key' });
  const hash = createHash('sha256').update(JSON.stringify(request)).digest();
  const held = await database.one<{ made: string }>(
    `insert into tantamos.idempotency as i (account, key, request_hash, lease_until)
     values ($1, $2, $3, now() + make_interval(secs => $4))
     on conflict (account, key) do update set lease_until = excluded.lease_until
       where i.status is null and i.lease_until < now() and i.request_hash = excluded.request_hash
     returning made`,
    [person.id, key, hash, heldFor],
  );
  if (!held) return again(await madeBefore(database, person, key, hash));
  const { made } = held;
  const isMade = async (): Promise<boolean> => {
    const row = await database.one<{ made: boolean }>(
      'select exists (select from tantamos.preview where id = $1) or exists (select from tantamos.run where id = $1) as made',
      [made],
    );
    return row!.made;
  };
  const mine = [person.id, key];
  const done = () =>
    database.rows('update tantamos.idempotency set status = 200 where account = $1 and key = $2', mine);
  const holding = setInterval(() => {
    const held = `update tantamos.idempotency set lease_until = now() + make_interval(secs => $3) where account = $1 and key = $2`;
    database.rows(held, [...mine, heldFor]).catch(() => {});
  }, heldAgainAfter);
  try {
    // By who held the key before, and died.
    if (await isMade()) {
      await done();
      return await again(made);
    }
    const answer = await work(made);
    await done();
    return answer;
  } catch (error) {
    if (!(await isMade())) {
      await database.rows('delete from tantamos.idempotency where account = $1 and key = $2', mine);
      throw error;
    }
    await done();
    // Somebody else who was thought dead has made it meanwhile.
    if (codeOf(error) === '23505') return await again(made);
    throw error;
  } finally {
    clearInterval(holding);
  }
}

async function madeBefore(database: Database, person: Person, key: string, hash: Buffer): Promise<string> {
  const known = await database.one<{ request_hash: Buffer; status: number | null; made: string }>(
    `select request_hash, status, coalesce((answer ->> 'id')::uuid, made) as made from tantamos.idempotency
     where account = $1 and key = $2`,
    [person.id, key],
  );
  if (!known?.request_hash.equals(hash))
    fail('key_reused', 'This Idempotency-Key was used for another request.', { where: 'Idempotency-Key' });
  if (known.status === null)
    fail('key_reused', 'The request with this Idempotency-Key is still being worked on.', {
      where: 'Idempotency-Key',
      retryAfter: 2,
    });
  return known.made;
}
