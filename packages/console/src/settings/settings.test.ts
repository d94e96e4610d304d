import type { Page } from 'playwright-core';
import { accessibilityTroubles, openConsole, signIn, until, untilKept, type OpenConsole } from '../testing/browser';

jest.setTimeout(120_000);

describe('accounts, rights and unfinished jobs in the console', () => {
  let opened: OpenConsole;
  let page: Page;
  beforeAll(async () => {
    opened = await openConsole();
    page = opened.page;
  });
  afterAll(() => opened.close());

  const button = (name: string | RegExp, on: Page = page) => on.getByRole('button', { name });
  const link = (name: string | RegExp, on: Page = page) => on.getByRole('link', { name });
  const text = (name: string | RegExp, on: Page = page) => on.getByText(name);
  const go = (path: string, on: Page = page) => on.goto(opened.w.base + path);
  /** Another person’s browser. */
  const another = async (login: string, password: string): Promise<Page> => {
    const context = await page
      .context()
      .browser()!
      .newContext({ viewport: { width: 1280, height: 800 } });
    const other = await context.newPage();
    await signIn(other, opened.w.base, login, password);
    return other;
  };

  it('an administrator adds an account, gives it a record, a role, a password, and takes it out of use', async () => {
    await link('Settings').click();
    await page.getByRole('heading', { name: 'Accounts' }).waitFor();
    await button('Add an account').click();
    const sheet = page.getByRole('dialog');
    await sheet.getByLabel('Login').fill('Maren');
    await sheet.getByLabel('First and last name').fill('Maren Applewhin');
    await sheet.getByLabel('Role').selectOption('editor');
    await sheet.getByLabel('Password').fill('short');
    await sheet.getByLabel('Password').fill('orchard password');
    await sheet.getByRole('button', { name: 'Type that holds people' }).click();
    await page.keyboard.type('Staff');
    await page.getByRole('option', { name: /^Staff/ }).waitFor();
    await page.keyboard.press('Enter');
    await sheet.getByRole('button', { name: 'Whose record' }).click();
    await page.keyboard.type('Ines');
    await page.getByRole('option', { name: /Ines Calloway/ }).click();
    await sheet.getByRole('button', { name: 'Add', exact: true }).click();
    const row = page.getByRole('row', { name: /Maren Applewhin/ });
    await row.getByText('Ines Calloway').waitFor();
    await expect(() => row.innerText()).toBecome(expect.stringMatching(/maren\s+Editor\s+Ines Calloway\s+never\s+0/));
    expect(await accessibilityTroubles(page)).toEqual([]);

    const maren = await another('maren', 'orchard password');
    await link('Records', maren).waitFor();
    await expect(() => link('Settings', maren).count()).toBecome(0);
    await go('/settings/accounts', maren);
    await text('Settings are for administrators.', maren).waitFor();

    await button('Change Maren Applewhin').click();
    const change = page.getByRole('dialog');
    await change.getByText('Browser').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await change.getByLabel('A new password').fill('another password');
    await change.getByRole('button', { name: 'Give it' }).click();
    await change.getByText('It has a new password.').waitFor();
    await change.getByText('None.').waitFor();
    await change.getByRole('button', { name: 'Deactivate' }).click();
    await change.getByRole('button', { name: 'Activate again' }).waitFor();
    await page.keyboard.press('Escape');
    await row.getByText('(not active)').waitFor();
    await maren.reload();
    await maren.getByLabel('Password').fill('another password');
    await maren.getByLabel('Login').fill('maren');
    await button('Sign in', maren).click();
    await text('That name and password do not go together.', maren).waitFor();
    await maren.context().close();
  });

  it('says of oneself that the last administrator cannot be taken away', async () => {
    await go('/settings/accounts');
    await button('Change Sorrel Haldane').click();
    const sheet = page.getByRole('dialog');
    await expect(() => sheet.getByRole('button', { name: 'Deactivate' }).count()).toBecome(0);
    await sheet.getByLabel('Role').selectOption('reader');
    await sheet.getByRole('button', { name: 'Save' }).click();
    await sheet.getByText('Nobody could administer this workspace after that').waitFor();
    await page.keyboard.press('Escape');
  });

  it('adds a line of rights as it is read, shows what comes of it and by which line, and takes it away', async () => {
    await go('/settings/rights');
    await button('Add a line').click();
    const sheet = page.getByRole('dialog');
    await sheet.getByLabel('Who').selectOption('login wren');
    await sheet.getByLabel('see', { exact: true }).uncheck();
    await sheet.getByLabel('change', { exact: true }).check();
    await sheet.getByLabel('Bookings').check();
    await sheet.getByLabel('Note').check();
    await sheet.getByLabel('Only records where').fill('ownr = me()');
    expect(await accessibilityTroubles(page)).toEqual([]);
    await sheet.getByRole('button', { name: 'Add the line' }).click();
    await sheet.getByText('have no field “ownr”').waitFor();
    await sheet.getByLabel('Only records where').fill('owner = me()');
    await sheet.getByRole('button', { name: 'Add the line' }).click();
    const words = 'may change bookings, of their fields only note, where owner = me()';
    await text(words).waitFor();
    await link('Wren Aldous').click();
    await page.getByRole('heading', { name: 'What Wren Aldous may do' }).waitFor();
    await button('Bookings: partly, may change, only note, where owner = me(), 100 records a run').click();
    await page.getByRole('status').getByText('(line 2)').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);

    const wren = await another('wren', 'meadow-reader');
    await go('/records/bookings', wren);
    await button('Change these records', wren).click();
    await wren
      .getByRole('option', { name: /Status/ })
      .getByText('the right to change status is missing')
      .waitFor();
    await wren.keyboard.type('Note');
    await wren.keyboard.press('Enter');
    await wren.getByLabel('Value for Note').fill('of mine');
    await text(/will change · 0 already right · [\d,]+ not allowed/, wren).waitFor();
    await go('/account/rights', wren);
    await wren.getByRole('heading', { name: 'What Wren Aldous may do' }).waitFor();
    // Lines name what else there is: they are for administrators.
    await expect(() => wren.getByText('The lines that speak of').count()).toBecome(0);
    await wren.context().close();

    await go('/settings/rights');
    await button(`Take away: wren ${words}`).click();
    await until(async () => (await text(words).count()) === 0, 'the line is gone');
  });

  it('a type that is withheld is nowhere in the console', async () => {
    const line = await opened.w.admin.addRight({ role: 'reader', effect: 'deny', acts: ['see'], types: ['invoices'] });
    const wren = await another('wren', 'meadow-reader');
    await go('/records/bookings', wren);
    await button('Type of record', wren).click();
    await wren.getByRole('option', { name: /Hives/ }).waitFor();
    await expect(() => wren.getByRole('option', { name: /Invoices/ }).count()).toBecome(0);
    await wren.keyboard.press('Escape');
    await go('/records/invoices', wren);
    await text('There is no type “invoices”.', wren).waitFor();
    await wren.context().close();
    await opened.w.admin.dropRight(line.id);
  });

  it('changes my password and ends my other sessions, from the menu under my name', async () => {
    await opened.w.admin.addAccount({ login: 'una', name: 'Una Vale', role: 'reader', password: 'first password' });
    const [una, elsewhere] = [await another('una', 'first password'), await another('una', 'first password')];
    await button('Una Vale', una).click();
    await una.getByRole('menuitem', { name: 'My account' }).click();
    await una.getByLabel('The present one').fill('wrong password');
    await una.getByLabel('The new one, at least 8 characters').fill('second password');
    await una.getByLabel('The new one again').fill('second passwort');
    await text('These two are not the same.', una).waitFor();
    await expect(() => button('Change my password', una).isDisabled()).toBecome(true);
    await una.getByLabel('The new one again').fill('second password');
    await button('Change my password', una).click();
    await text('That is not your present password.', una).waitFor();
    await una.getByLabel('The present one').fill('first password');
    await button('Change my password', una).click();
    await text('Changed. Your other sessions have ended.', una).waitFor();
    expect(await accessibilityTroubles(una)).toEqual([]);
    await elsewhere.reload();
    await elsewhere.getByLabel('Password').waitFor();
    await una.context().close();
    await elsewhere.context().close();
  });

  it('keeps several unfinished jobs, each window its own, and goes back to any of them', async () => {
    await go('/records/bookings');
    await page.getByRole('checkbox', { name: 'Pick 1', exact: true }).click();
    await untilKept(opened.w, '"picked":["1"]');
    // A new window begins a job of its own, while the other is open.
    const second = await page.context().newPage();
    await go('/records/hives', second);
    await second.getByRole('checkbox', { name: 'Pick 2', exact: true }).click();
    await untilKept(opened.w, '"picked":["2"]');
    await page.reload();
    await text('1 record picked').or(text('1 picked')).first().waitFor();
    const kept = await opened.w.admin.drafts();
    expect(kept.map((d) => d.title)).toEqual([
      '1 picked record of hives · no edit yet',
      '1 picked record of bookings · no edit yet',
    ]);

    await link('Jobs').click();
    await page
      .getByRole('row', { name: /1 picked record of bookings/ })
      .getByText('open in this window')
      .waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await second.close();
    await page.getByRole('button', { name: '1 picked record of hives · no edit yet', exact: true }).click();
    await page.waitForURL(/records\/hives/);
    await expect(() => page.getByRole('checkbox', { name: 'Pick 2', exact: true }).isChecked()).toBecome(true);
    await link('Jobs').click();
    await button('Drop: 1 picked record of bookings · no edit yet').click();
    await until(async () => (await opened.w.admin.drafts()).length === 1, 'one is left');
    await button('New job').click();
    await page.waitForURL(/records\//);
    await page.getByRole('navigation', { name: 'Pages' }).waitFor();
    expect((await opened.w.admin.drafts()).map((d) => d.title)).toEqual(['1 picked record of hives · no edit yet']);
  });

  it('says that a job was changed elsewhere, and keeps both', async () => {
    await go('/records/sites');
    await page.getByRole('checkbox', { name: 'Pick 3', exact: true }).click();
    await untilKept(opened.w, '"picked":["3"]');
    const mine = (await opened.w.admin.drafts()).find((d) => d.type === 'sites')!;
    await opened.w.admin.keepDraft(mine.id, { job: { type: 'sites', filter: "code = 'theirs'" } });
    await page.getByRole('checkbox', { name: 'Pick 4', exact: true }).click();
    await text('This job was changed in another window meanwhile.').waitFor();
    await untilKept(opened.w, '"picked":["3","4"]');
    const titles = (await opened.w.admin.drafts()).filter((d) => d.type === 'sites').map((d) => d.title);
    expect(titles.sort()).toEqual(['2 picked sites · no edit yet', "sites where code = 'theirs' · no edit yet"]);
    await button('Good').click();
    expect(opened.errors).toEqual([]);
  });

  const act = async (field: string, words: string): Promise<void> => {
    await button(new RegExp(`^Action of ${field}`)).click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await page.keyboard.type(words);
    await page.keyboard.press('Enter');
  };

  it('clears a field, and sets the empty text: two things that are not the same', async () => {
    await go('/records/bookings');
    await button('Change these records').or(button('Fold the job away')).first().waitFor();
    await page.getByRole('checkbox', { name: 'Pick 7', exact: true }).click();
    if ((await button('Change these records').count()) > 0) await button('Change these records').click();
    else await button('Field to change').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await page.keyboard.type('Note');
    await page.keyboard.press('Enter');
    await button('Use the empty text').click();
    await text('set note to the empty text').waitFor();
    await act('Note', 'erase');
    await text('clear note').waitFor();
    await act('Note', 'Set to');
    await text('the empty text').first().waitFor();
    // What must not be blank cannot be cleared: the action is not offered.
    await button('Field: Note').click();
    await page.keyboard.type('Status');
    await page.keyboard.press('Enter');
    await button(/^Action of Status/).click();
    const offered = await page.getByRole('listbox', { name: 'Action of Status' }).getByRole('option').allInnerTexts();
    expect(offered.map((o) => o.split('\n')[0])).toEqual([
      'Set to',
      'Compute',
      'Split among',
      'Copy from',
      'Move from',
      'Map values',
      'Invent',
    ]);
    await page.keyboard.press('Escape');
  });
});
