import { randomBytes } from 'node:crypto';
import { people } from '@tantamos/demo';
import type { Services } from '../services';

const [head, sales, finance] = people.withAccounts;
const staff = (id: number) => ({ type: 'staff', key: String(id) });

/** The accounts of the demo workspace, one a role, each for a record of the staff; their passwords are no secret. */
export const demoAccounts = [
  { login: 'sorrel', name: head.name, role: 'administrator', password: 'meadow-admin', record: staff(head.id) },
  { login: 'piers', name: sales.name, role: 'editor', password: 'meadow-editor', record: staff(sales.id) },
  { login: 'wren', name: finance.name, role: 'reader', password: 'meadow-reader', record: staff(finance.id) },
] as const;

/** Which of the demo’s records count as open. */
const openRecords = [
  ['growers', "status <> 'closed'"],
  ['hives', "state <> 'retired'"],
  ['bookings', "status IN ('draft', 'confirmed', 'placed')"],
  ['inspections', "state IN ('planned', 'waiting')"],
  ['invoices', "state IN ('open', 'overdue')"],
  ['tasks', "state = 'open'"],
] as const;

/** A way in, said once the service is ready. */
export interface Entry {
  readonly login: string;
  readonly password: string;
  readonly role: string;
}

/**
 * Makes the first accounts where there are none: the demo's where its data has just been loaded, else one
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
    for (const [type, when] of openRecords)
      await database.rows('insert into tantamos.type_setting (type, open_when) values ($1, $2)', [type, when]);
    await database.rows(`update tantamos.workspace set name = 'Meadowline', demo = true`);
  }
  const workspace = await database.one<{ demo: boolean }>('select demo from tantamos.workspace');
  return workspace?.demo ? demoAccounts : [];
}
