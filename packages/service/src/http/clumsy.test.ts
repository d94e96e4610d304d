import { routes, type RouteName } from '@tantamos/contract';
import { mutants } from '../testing/mutants';
import { northDrafts, previewed, ran } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

// Whatever stands in a body, the service answers with what was done or what is wrong with it, never with “something went wrong”.

describe('a body that is right but for one member', () => {
  let w: Workspace;
  let made: { preview: string; run: string; list: string; account: string; draft: string };
  beforeAll(async () => {
    w = await openWorkspace();
    const preview = await previewed(w.admin, northDrafts);
    const run = await ran(w.admin, preview.id, { askAfter: null });
    const list = await w.admin.paste({ text: '1\n2', targets: [{ type: 'bookings', fields: ['id'] }] });
    const account = await w.admin.addAccount({ login: 'odd', name: 'Odd', role: 'reader', password: 'password' });
    const draft = await w.admin.beginDraft({ job: {} });
    made = { preview: preview.id, run: run.id, list: list.id, account: account.id, draft: draft.id };
  });
  afterAll(() => w.close());

  const parts = {
    filter: 'hives > 0',
    related: { of: { type: 'growers', filter: "valley = 'north'" }, how: 'pointed_at', field: 'grower' },
    list: { id: '' },
    take: { count: 5, order: ['-total'], seed: 'x', per: 'owner' },
    keys: ['1'],
    drop: ['2'],
  };
  const selection = { type: 'bookings', ...parts };
  const job = {
    selection,
    edits: [
      { kind: 'set', field: 'status', value: 'placed' },
      { kind: 'put', field: 'hives', values: { 1: 7 } },
    ],
    safety: { batchSize: 100, atOnce: 1, pace: 10, askAfter: 5, atMost: 200 },
    why: 'x',
  };
  const bodies: readonly (readonly [RouteName, string, object])[] = [
    ['search', 'bookings', { ...parts, columns: ['id'], sort: ['-id'], limit: 2, after: 'x', count: 'exact' }],
    ['values', 'bookings', { ...parts, fields: ['status'], search: 'x', most: 2, ranges: true }],
    ['cross', 'bookings', { ...parts, rows: 'status', columns: 'owner' }],
    ['explain', 'bookings', { ...parts, near: true }],
    [
      'exportRecords',
      'bookings',
      { ...parts, format: 'csv', columns: ['id'], sort: ['id'], separator: ';', bom: true },
    ],
    ['paste', '', { text: '1', targets: [{ type: 'bookings', fields: ['id'] }] }],
    ['chooseInList', 'list', { type: 'bookings', entry: 1, keys: ['1'] }],
    ['saveSelection', '', { name: 'Odd', selection, note: 'x', open: false, anyway: true }],
    [
      'importSelections',
      '',
      { file: { tantamos: 'selections/1', selections: [{ name: 'Odd', note: 'x', selection }] }, taken: 'skip' },
    ],
    ['keepCounts', '', { name: 'Odd', selection, fields: ['status'] }],
    ['sample', '', { job, keys: ['1'] }],
    ['makePreview', '', job],
    ['startRun', '', { preview: 'preview', askAfter: 5, expect: 1 }],
    ['undoRun', 'run', { why: 'x' }],
    ['retryRun', 'run', { outcomes: ['refused'] }],
    ['beginDraft', '', { job: {}, version: 1 }],
    ['keepDraft', 'draft', { job: {}, version: 1 }],
    [
      'addRight',
      '',
      {
        login: 'odd',
        effect: 'allow',
        acts: ['change'],
        types: ['bookings'],
        fields: ['note'],
        filter: 'hives > 0',
        most: 1,
      },
    ],
    ['addRole', '', { id: 'odd', label: 'Odd' }],
    [
      'addAccount',
      '',
      { login: 'odd', name: 'Odd', role: 'reader', password: 'password', person: { type: 'staff', key: '5' } },
    ],
    ['changeAccount', 'account', { name: 'Odd', role: 'reader', active: true, person: { type: 'staff', key: '5' } }],
    ['resetPassword', 'account', { password: 'password' }],
    ['changePassword', '', { current: 'x', next: 'password' }],
    [
      'setType',
      'sites',
      { label: 'Sites', nameField: 'code', ownerFields: [], hidden: false, mostRecords: 5, typedFrom: 5 },
    ],
    ['setWorkspace', '', { name: 'Meadowline', whyRequired: false, previewHours: 24, keepMonths: 24, timeZone: 'UTC' }],
  ];

  it.each(bodies)('%s', async (name, given, right) => {
    const { method, path } = routes[name];
    const said = { ...made, '': '' }[given] ?? given;
    const url = w.base + path.replace(/:\w+/, said);
    const begun = JSON.parse(
      JSON.stringify(right)
        .replace('"id":""', `"id":"${made.list}"`)
        .replace('"preview":"preview"', `"preview":"${made.preview}"`),
    ) as object;
    const broken: string[] = [];
    let [taken, refused] = [0, 0];
    const tell = async ({ body, at }: { body: unknown; at: string }): Promise<void> => {
      const response = await fetch(url, {
        method: method.toUpperCase(),
        body: JSON.stringify(body),
        headers: { Authorization: `Bearer ${w.adminToken}`, 'Content-Type': 'application/json' },
      });
      await response.arrayBuffer();
      if (response.status >= 500) broken.push(`${at}: ${response.status}`);
      if (response.ok) taken++;
      else refused++;
    };
    const all = [{ body: begun, at: 'as it is' }, ...mutants(begun)];
    // As many at once as one person may have under way and waiting: downloads are the fewest.
    for (let i = 0; i < all.length; i += 4) await Promise.all(all.slice(i, i + 4).map(tell));
    expect(broken).toEqual([]);
    expect(taken + refused).toBe(all.length);
    expect(refused).toBeGreaterThan(0);
  });
});
