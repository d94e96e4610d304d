import type { Page } from 'playwright-core';
import type { Workspace } from '../../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, until, type OpenConsole } from '../testing/browser';

describe('saved jobs in the console', () => {
  let w: Workspace;
  let page: Page;
  let opened: OpenConsole;
  beforeAll(async () => {
    opened = await openConsole();
    ({ w, page } = opened);
  });
  afterAll(async () => {
    await opened.close();
    expect(opened.errors).toEqual([]);
  });
  const button = (name: string | RegExp) => page.getByRole('button', { name });
  const search = () => page.getByRole('combobox', { name: /search/ });
  const pick = async (words: string): Promise<void> => {
    await search().waitFor();
    await page.keyboard.type(words);
    await until(async () => (await page.getByRole('option', { name: new RegExp(words) }).count()) > 0, words);
    await page.keyboard.press('Enter');
    await search().waitFor({ state: 'detached' });
  };

  it('saves the job that is being composed, with what it asks for each time', async () => {
    await page.goto(`${w.base}/records/growers`);
    await page.getByRole('radio', { name: 'Text' }).click();
    // The cursor is where the text goes.
    await page.locator('[aria-label="Filter"]:focus').waitFor();
    await page.keyboard.type("owner = 'Tobias Fenwick'");
    await page.keyboard.press('Escape');
    await page.keyboard.press('Control+Enter');
    await search().waitFor();
    await page.keyboard.type('owner');
    await page.keyboard.press('Enter');
    await search().waitFor({ state: 'detached' });
    await button(/^Value for Owner/).click();
    await pick('Ines Calloway');
    await page.getByText('184 will change').waitFor();
    await button('Save…').click();
    await page.getByLabel('Name', { exact: true }).fill('leaver');
    await page.getByLabel('Folder').fill('People');
    // Names, not keys.
    await page.getByRole('checkbox', { name: 'owner: Ines Calloway' }).waitFor();
    await page.getByRole('checkbox', { name: 'owner: Tobias Fenwick' }).check();
    await page.getByLabel('Name of what is asked for instead of Tobias Fenwick').fill('leaver');
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Save').click();
    await page.getByRole('dialog').waitFor({ state: 'detached' });
    const [saved] = await w.admin.savedJobs();
    expect(saved).toMatchObject({ name: 'leaver', folder: 'People', inputs: [{ name: 'leaver' }] });
    expect(saved!.sentence).toBe('On the growers where owner is ‹leaver›: set owner to Ines Calloway.');
  });

  it('uses it for somebody else, by a form made from what it asks, beside the last time', async () => {
    await page.getByRole('link', { name: 'Jobs' }).click();
    await button('Use leaver').click();
    await button('Preview').click();
    await page.getByText('On the 184 growers where owner is Tobias Fenwick').first().waitFor();
    // Back is where one was: at the form.
    await page.goBack();
    await button(/^Leaver/).click();
    await pick('Verity Rushwater');
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Preview').click();
    await page
      .getByText(/^On the 71 growers where owner is/)
      .first()
      .waitFor();
    await page.getByTestId('since').getByText('184 no longer').waitFor();
  });

  it('opens it as a job of its own, and keeps and brings back versions', async () => {
    await page.goto(`${w.base}/records`);
    await page.getByRole('link', { name: 'Jobs' }).click();
    await button('Open leaver as a new job').click();
    await page.getByText('184 will change').waitFor();
    await w.admin.saveJob({
      name: 'leaver',
      job: { selection: { type: 'growers', filter: 'id < 5' }, edits: [{ kind: 'clear', field: 'note' }] },
      why: 'another way',
    });
    await page.getByRole('link', { name: 'Jobs' }).click();
    await page.reload();
    await button('Versions of leaver').click();
    await page.getByText('another way').waitFor();
    await button('Bring back version 1').click();
    await page.getByRole('dialog').waitFor({ state: 'detached' });
    await page.getByText('On the growers where owner is ‹leaver›: set owner to Ines Calloway.').first().waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Delete leaver').click();
    await button('Delete it and its versions').click();
    await page.getByText('None yet.').waitFor();
  });

  it('asks for a file, each time another one, by a label of its own', async () => {
    const buffer = (text: string) => ({ name: 'prices.csv', mimeType: 'text/csv', buffer: Buffer.from(text) });
    await page.goto(`${w.base}/records/bookings`);
    await button('Values from a file').click();
    await page.getByLabel('File of values').setInputFiles(buffer('reference,price_per_hive\nB-0000001,41\n'));
    await button('Put into the job…').click();
    await button('Save…').click();
    await page.getByLabel('Name', { exact: true }).fill('supplier');
    const asked = page.getByRole('checkbox', { name: 'rows of prices.csv' });
    await asked.waitFor();
    expect([await asked.isChecked(), await asked.isDisabled()]).toEqual([true, true]);
    await page.getByLabel(/^Name of what is asked for instead of/).fill('prices');
    await page.getByLabel(/^Label of what is asked for instead of/).fill('The supplier’s prices');
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Save').click();
    await page.getByRole('dialog').waitFor({ state: 'detached' });
    await page.getByRole('link', { name: 'Jobs' }).click();
    await button('Use supplier').click();
    // In a hurry: without a file.
    await button('Preview').click();
    await page.getByText('Say The supplier’s prices: nothing was said.').waitFor();
    await page
      .getByLabel('File of values')
      .setInputFiles(buffer('reference,price_per_hive\nB-0000002,52\nB-0000003,53\n'));
    await page.getByText('2 rows').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Preview').click();
    await page.waitForURL(/\/previews\//);
    await page.getByText('put 2 values, one a record, into price per hive').first().waitFor();
    await w.admin.dropSavedJob('supplier');
    await page.getByRole('link', { name: 'Jobs' }).click();
  });

  it('takes a file from elsewhere, and asks in boxes who is meant by names that are not clear here', async () => {
    const job = {
      selection: { type: 'growers', filter: "owner = 'Tobias Elsewhere'" },
      edits: [{ kind: 'set', field: 'owner', value: 'Marta Quill' }],
    };
    const file = { tantamos: 'saved-jobs', jobs: [{ name: 'from elsewhere', job }] };
    await page.getByLabel('From a file').setInputFiles({
      name: 'jobs.json',
      mimeType: 'application/json',
      buffer: Buffer.from(JSON.stringify(file)),
    });
    await button('Take these').click();
    await page.getByLabel('Tobias Elsewhere is here').fill('Tobias Fenwick');
    // Two are called so: one of them is chosen by a click.
    await page.getByRole('alert').getByRole('button', { name: '4', exact: true }).click();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.keyboard.press('Tab');
    await button('Take them so').click();
    await page.getByText('Taken: from elsewhere.').waitFor();
    const [saved] = await w.admin.savedJobs();
    expect(saved!.job).toMatchObject({
      selection: { filter: "owner = 'Tobias Fenwick'" },
      edits: [{ field: 'owner', value: '4' }],
    });
  });
});
