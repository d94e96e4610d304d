import { randomBytes } from 'node:crypto';
import type { Services } from '../services';

/** The two accounts of the demo workspace; their passwords are no secret. */
export const demoAccounts = [
  { login: 'sorrel', name: 'Sorrel Haldane', role: 'administrator', password: 'meadow-admin' },
  { login: 'piers', name: 'Piers Wickham', role: 'editor', password: 'meadow-editor' },
] as const;

/** A way in, said once the service is ready. */
export interface Entry {
  readonly login: string;
  readonly password: string;
  readonly role: string;
}

/**
 * Makes the first accounts where there are none: the demo's two where its data has just been loaded, else one
 * administrator with a password made up here and shown this once. Returns what to print.
 */
export async function needAccounts({ accounts, database }: Services, demoLoaded: boolean): Promise<readonly Entry[]> {
  if (!(await accounts.any())) {
    if (!demoLoaded) {
      const first = {
        login: 'admin',
        name: 'Administrator',
        role: 'administrator',
        password: randomBytes(9).toString('base64url'),
      } as const;
      await accounts.add(first);
      return [first];
    }
    for (const account of demoAccounts) await accounts.add(account);
    await database.rows(`update tantamos.workspace set name = 'Meadowline', demo = true`);
  }
  const workspace = await database.one<{ demo: boolean }>('select demo from tantamos.workspace');
  return workspace?.demo ? demoAccounts : [];
}
