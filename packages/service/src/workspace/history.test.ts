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
    // Before that, what the demo itself called the workspace.
    expect(all.at(-1)).toMatchObject({ by: null, changes: [{ setting: 'name', became: 'Meadowline' }] });
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
});
