import { Client } from '../../../client/src';
import { refusedWith } from '../testing/jobs';
import { openWorkspace, type Workspace } from '../testing/workspace';

describe('the history of settings', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  it('says who changed what, from what to what, the newest first', async () => {
    await w.admin.setType('growers', { label: 'Customers', typedFrom: 100 });
    await w.admin.setType('growers', { label: 'Growers of ours' });
    await w.admin.setField('growers', 'note', { protected: true });
    await w.admin.setWorkspace({ whyRequired: true });
    await w.admin.setWorkspace({ whyRequired: true });
    const all = await w.admin.settingChanges();
    // Before that, what the demo itself did: its accounts, and what it called the workspace.
    // Which of its records count as open is set by the demo, too.
    expect(all.filter((c) => c.by === null && c.what !== 'type').map((c) => [c.what, c.subject, c.done])).toEqual([
      ['workspace', null, 'changed'],
      ['account', 'wren', 'added'],
      ['account', 'piers', 'added'],
      ['account', 'sorrel', 'added'],
    ]);
    expect(all.slice(0, 4).map(({ by, what, type, field, changes }) => ({ by, what, type, field, changes }))).toEqual([
      {
        by: 'Sorrel Haldane',
        what: 'workspace',
        type: null,
        field: null,
        changes: [{ setting: 'why required', was: 'no', became: 'yes' }],
      },
      {
        by: 'Sorrel Haldane',
        what: 'field',
        type: 'growers',
        field: 'note',
        changes: [{ setting: 'protected', was: null, became: 'yes' }],
      },
      {
        by: 'Sorrel Haldane',
        what: 'type',
        type: 'growers',
        field: null,
        changes: [{ setting: 'label', was: 'Customers', became: 'Growers of ours' }],
      },
      {
        by: 'Sorrel Haldane',
        what: 'type',
        type: 'growers',
        field: null,
        changes: [
          { setting: 'label', was: null, became: 'Customers' },
          { setting: 'typed from', was: null, became: '100' },
        ],
      },
    ]);
    expect((await refusedWith(w.editor.settingChanges())).status).toBe(403);
  });

  it('says who gave whom what right, account and token, and never a password or a secret', async () => {
    const before = (await w.admin.settingChanges()).length;
    const { id } = await w.admin.addAccount({
      login: 'tess',
      name: 'Tess Quillfeather',
      role: 'reader',
      password: 'plain-secret-1',
    });
    await w.admin.changeAccount(id, { role: 'editor' });
    await w.admin.resetPassword(id, { password: 'plain-secret-2' });
    const line = await w.admin.addRight({ login: 'tess', effect: 'allow', acts: ['delete'], types: ['tasks'] });
    await w.admin.dropRight(line.id);
    await w.admin.addRole({ id: 'steward', label: 'Steward' });
    await w.admin.dropRole('steward');
    await new Client({ base: w.base }).signIn({ login: 'tess', password: 'plain-secret-2', kind: 'token' });
    const all = await w.admin.settingChanges();
    const told = all.slice(0, all.length - before).reverse();
    expect(told.map(({ by, what, subject, done }) => [by, what, subject, done].join(' · '))).toEqual([
      'Sorrel Haldane · account · tess · added',
      'Sorrel Haldane · account · tess · changed',
      'Sorrel Haldane · account · tess · changed',
      'Sorrel Haldane · right · tess · added',
      'Sorrel Haldane · right · tess · taken away',
      'Sorrel Haldane · role · steward · added',
      'Sorrel Haldane · role · steward · taken away',
      'Tess Quillfeather · token · tess · added',
    ]);
    expect(told[1]!.changes).toEqual([{ setting: 'role', was: 'reader', became: 'editor' }]);
    expect(told[3]!.changes).toContainEqual({ setting: 'acts', was: null, became: 'delete' });
    expect(JSON.stringify(all)).not.toMatch(/plain-secret|scrypt|\$/);
  });
});
