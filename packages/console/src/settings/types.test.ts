import type { Page } from 'playwright-core';
import type { Workspace } from '../../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, type OpenConsole } from '../testing/browser';

describe('settings of types, fields and the workspace in the console', () => {
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

  it('says how a type is called and how careful runs on it are', async () => {
    await page.goto(`${w.base}/settings/types`);
    await page.getByLabel('Search').fill('custom');
    await page.getByRole('link', { name: 'Growers' }).click();
    await page.getByLabel('Called', { exact: true }).fill('Customers');
    await page.getByLabel('The number must be typed from').fill('0');
    await button('Save').click();
    // A mistake loses nothing.
    await page
      .getByText(/must not be less than 1/)
      .first()
      .waitFor();
    expect(await page.getByLabel('Called', { exact: true }).inputValue()).toBe('Customers');
    await page.getByLabel('The number must be typed from').fill('100');
    await button('Save').click();
    await page.getByRole('heading', { name: 'Customers' }).waitFor();
    expect((await w.admin.type('growers')).bounds.typedFrom).toBe(100);
    expect(await accessibilityTroubles(page)).toEqual([]);
  });

  it('renames, protects and hides fields', async () => {
    await page.getByLabel('What note is called').fill('Remark');
    await page.getByLabel('What note is called').press('Enter');
    await page.getByLabel('Protect credit_limit').check();
    await page.getByLabel('Hide priority').check();
    await expect(async () => (await w.admin.type('growers')).fields.find((f) => f.name === 'priority')).toBecome(
      undefined,
    );
    const { fields } = await w.admin.type('growers');
    expect(fields.find((f) => f.name === 'note')!.label).toBe('Remark');
    expect(fields.find((f) => f.name === 'credit_limit')!.protected).toBe(true);
    await expect(() => page.getByLabel('Hide priority').isChecked()).toBecome(true);
    // The order in which fields are offered.
    await page.getByRole('button', { name: 'Move name up' }).click();
    await expect(async () => (await w.admin.type('growers')).fields.slice(0, 3).map((f) => f.name)).toBecome([
      'id',
      'name',
      'code',
    ]);
  });

  it('sets what holds for everybody, and keeps a history of all of it', async () => {
    await page.getByRole('link', { name: 'Workspace' }).click();
    await page.getByLabel('Time zone').fill('Nowhere/At all');
    await button('Save').click();
    await page
      .getByText(/valid IANA/)
      .first()
      .waitFor();
    await page.getByLabel('Time zone').fill('Europe/Berlin');
    await page.getByLabel('Every job must say why').check();
    await button('Save').click();
    await page.getByText('Saved.').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.getByRole('link', { name: 'History' }).click();
    const rows = page.getByRole('table', { name: 'Changes of settings' }).getByRole('row');
    await rows.filter({ hasText: 'why required' }).filter({ hasText: 'no → yes' }).waitFor();
    await rows.filter({ hasText: 'field growers.note' }).filter({ hasText: 'Remark' }).waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
  });
});
