import { randomBytes, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto';

const cost: ScryptOptions = { N: 32768, r: 8, p: 1, maxmem: 64 * 1024 * 1024 };

/** A password as it is stored: scrypt (RFC 7914) with its own salt and cost written beside it. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  const hash = await derive(password, salt, cost);
  return [cost.N, cost.r, cost.p, salt.toString('base64'), hash.toString('base64')].join('$');
}

/** Takes the same time whether the password is right, wrong or there is no such account (`stored` undefined). */
export async function checkPassword(password: string, stored: string | undefined): Promise<boolean> {
  const [n, r, p, salt, hash] = (stored ?? noAccount).split('$');
  const derived = await derive(password, Buffer.from(salt!, 'base64'), {
    ...cost,
    N: Number(n),
    r: Number(r),
    p: Number(p),
  });
  return timingSafeEqual(derived, Buffer.from(hash!, 'base64')) && stored !== undefined;
}

const noAccount = [
  cost.N,
  cost.r,
  cost.p,
  Buffer.alloc(16).toString('base64'),
  Buffer.alloc(32).toString('base64'),
].join('$');

function derive(password: string, salt: Buffer, options: ScryptOptions): Promise<Buffer> {
  return new Promise((resolve, reject) =>
    scrypt(password.normalize('NFKC'), salt, 32, options, (error, key) => (error ? reject(error) : resolve(key))),
  );
}
