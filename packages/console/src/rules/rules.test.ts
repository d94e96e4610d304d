import type { Page } from 'playwright-core';
import type { Workspace } from '../../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, type OpenConsole } from '../testing/browser';

describe('rules in the console', () => {
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
  const write = async (label: string, text: string): Promise<void> => {
    await page.getByRole('textbox', { name: label, exact: true }).click();
    await page.keyboard.type(text);
    await page.keyboard.press('Escape');
  };
  const row = (name: string) => page.getByRole('table', { name: 'Rules of the workspace' }).getByRole('row', { name });

  it('makes a rule with its mend, shows who breaks it, and switches it on only then', async () => {
    await page.goto(`${w.base}/rules`);
    await page.getByText('No rule of your own yet.').waitFor();
    await page.getByText('An inspection that waits needs a reason.').waitFor();
    await button('New rule').click();
    await page.getByLabel('Of records of').selectOption('growers');
    await write('Where', "status = 'active'");
    await write('It is true that', "knd <> 'reseller'");
    await page.getByLabel('What a person is told when it is broken').fill('An active grower is no reseller.');
    await page.getByLabel('Name of the rule').fill('active growers grow');
    await button('Add an edit').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await page.keyboard.type('kind');
    await page.keyboard.press('Enter');
    await page.getByLabel('Value for Kind').selectOption('orchard');
    await button('Save and count who breaks it').click();
    // A mistake loses nothing.
    await page.getByText('Growers have no field “knd”.').first().waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.getByRole('textbox', { name: 'It is true that' }).fill("kind <> 'reseller'");
    await page.getByLabel('Name of the rule').focus();
    await button('Save and count who breaks it').click();
    await row('active growers grow').getByText('Off', { exact: true }).waitFor();
    await button('Open the 271 that break active growers grow').waitFor();
    await button('Switch on: active growers grow').click();
    await row('active growers grow').getByText('On', { exact: true }).waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
  });

  it('opens those that break it, and mends them in a job of its own', async () => {
    await button('Open the 271 that break active growers grow').click();
    await page.getByRole('list', { name: 'Selection' }).getByText('271', { exact: true }).waitFor();
    await page.goto(`${w.base}/rules`);
    await row('active growers grow').getByRole('button', { name: 'Mend…' }).click();
    await page.getByText('271 will change').waitFor();
    await expect(() => page.getByTestId('sentence').innerText()).toBecome(
      'On the 271 growers where it breaks the rule “active growers grow”: set kind to Orchard.',
    );
    await button('Preview 271').click();
    await button('Run all 271').click();
    await page.getByText('271 records changed.').waitFor();
    await page.goto(`${w.base}/rules`);
    await button('Count all now').click();
    await row('active growers grow').getByText('none', { exact: true }).waitFor();
  });

  it('asks for the field that a rule needs, and offers only the choices that a rule leaves', async () => {
    await w.admin.saveRule({
      name: 'crops of the north',
      type: 'bookings',
      message: 'In the north there are apples and pears.',
      choices: { field: 'crop', by: 'valley', allowed: [{ from: 'north', to: ['apple', 'pear'] }] },
      isOn: true,
    });
    await page.goto(`${w.base}/records/inspections`);
    await button('Change these records').or(button('Fold the job away')).first().waitFor();
    if ((await button('Change these records').count()) > 0) await button('Change these records').click();
    else await button('Field to change').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await page.keyboard.type('state');
    await page.keyboard.press('Enter');
    await page.getByLabel('Value for State').selectOption('waiting');
    await button('Also change waiting reason').click();
    await page.getByLabel('Value for Waiting reason').fill('Frost');
    await page.getByText(/ 0 not allowed/).waitFor();

    await page.goto(`${w.base}/records/bookings`);
    await button('Field to change').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await page.keyboard.type('valley');
    await page.keyboard.press('Enter');
    await page.getByLabel('Value for Valley').selectOption('north');
    await button('Add an edit').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await page.keyboard.type('crop');
    await page.keyboard.press('Enter');
    await expect(() => page.getByLabel('Value for Crop').locator('option').allInnerTexts()).toBecome(
      expect.arrayContaining(['Apple', 'Pear']),
    );
    expect(await page.getByLabel('Value for Crop').locator('option').allInnerTexts()).not.toContain('Plum');
  });

  it('brings an older version back', async () => {
    await page.goto(`${w.base}/rules`);
    await button('Change the rule active growers grow').click();
    await page.getByLabel('What a person is told when it is broken').fill('Growers grow.');
    await button('Save and count who breaks it').click();
    await row('active growers grow').getByText('Growers grow.').waitFor();
    await button('Versions of active growers grow').click();
    await button('Bring back version 1').click();
    await row('active growers grow').getByText('An active grower is no reseller.').waitFor();
  });
});
