import type { Page } from 'playwright-core';
import type { Workspace } from '../../service/src/testing/workspace';
import { done, onBookings } from '../../service/src/testing/jobs';
import {
  accessibilityTroubles,
  openBrowser,
  openConsole,
  signIn,
  type OpenConsole,
  until,
  untilKept,
} from './testing/browser';

const filter = "status = 'draft' AND valley = 'north' AND owner = 'Ines Calloway'";

describe('the console, in Chromium', () => {
  let w: Workspace;
  let page: Page;
  let opened: OpenConsole;
  beforeAll(async () => {
    opened = await openConsole();
    ({ w, page } = opened);
  });
  afterAll(async () => {
    await opened.close();
  });

  const text = (name: string) => page.getByText(name, { exact: false });
  const button = (name: string | RegExp) => page.getByRole('button', { name });
  const equation = () =>
    page
      .getByTestId('equation')
      .innerText()
      .then((t) => t.replace(/\s+/g, ' ').trim());
  const setFilter = async (value: string) => {
    await page
      .getByRole('radio', { name: 'Text' })
      .or(button(/^Filter$/))
      .first()
      .waitFor();
    if ((await button(/^Filter$/).count()) > 0) await button(/^Filter$/).click();
    await page.getByRole('radio', { name: 'Text' }).click();
    const box = page.getByRole('textbox', { name: 'Filter' });
    const before = await box.innerText();
    await box.fill(value);
    // Should the list of completions be open, Enter would take from it. What stands already cannot be applied.
    if (before.trim() !== value) await button('Apply').click();
  };
  const search = () => page.getByRole('combobox', { name: /search/ });
  const chooseField = async (name: string) => {
    // What was just added or unfolded has its list open already.
    if (!(await search().isVisible())) await button('Field to change').last().click();
    await search().waitFor();
    await page.keyboard.type(name);
    await page.keyboard.press('Enter');
  };

  it('does the whole job: find, change, preview, first five, the rest, history, undo', async () => {
    const before = (await w.sql.query('select id, status, region from bookings order by id')).rows;
    await page.goto(`${w.base}/records/bookings`);
    await setFilter("status = 'draft' AND valley = 'north' AND owner = 'Ines Caloway'");
    await text('Staff: none is called “Ines Caloway”.').waitFor();
    await button("'Ines Calloway'").click();

    const selection = page.getByRole('list', { name: 'Selection' });
    await selection.getByText('200', { exact: true }).waitFor();
    await selection.filter({ hasNotText: '…' }).waitFor();
    await expect(async () => (await selection.innerText()).replace(/\s+/g, ' ')).toBecome(
      "Bookings 18,000 status = 'draft' 1,200 valley = 'north' 240 owner = 'Ines Calloway' 200",
    );

    await button('Change these records').click();
    await search().waitFor();
    await chooseField('status');
    await page.getByLabel('Value for Status').selectOption('confirmed');
    await button('Add an edit').click();
    await search().waitFor();
    await chooseField('region');
    await button(/^Action of Region/).click();
    await search().waitFor();
    await page.keyboard.type('default');
    await page.keyboard.press('Enter');
    await page.getByLabel('Value for Region').fill('Northern Hills');
    await button('More…').click();
    await page.getByLabel('Batches of').fill('100');
    await page.getByRole('textbox', { name: 'Why' }).fill('Spring round');
    await text('191 will change').waitFor();
    await page.locator('del', { hasText: 'Draft' }).first().waitFor();
    await expect(() => page.getByTestId('sentence').innerText()).toBecome(
      expect.stringContaining('On the 200 bookings where status is Draft, valley is North and owner is Ines Calloway'),
    );

    await button('Preview 191').click();
    await page.waitForURL(/\/previews\//).catch(async (error: Error) => {
      throw new Error(`${error.message}: ${await page.getByRole('complementary').innerText()}`);
    });
    await text('9 records will be left alone').waitFor();
    await expect(() => equation()).toBecome('200 matched = 191 will change + 9 not allowed');
    await page.getByRole('tab', { name: /Not allowed/ }).click();
    await text('A confirmed booking needs a site.').first().waitFor();

    await button('Run the first 5, then ask me').click();
    await button('Continue with 186').waitFor();
    await expect(() => equation()).toBecome('200 matched = 5 changed + 9 not allowed + 186 not yet');
    const first = page.getByRole('link', { name: 'B-0000076' });
    await first.waitFor();
    await expect(() => page.getByRole('tabpanel').getByRole('row').count()).toBecome(6);
    await first.click();
    await text('run by Sorrel Haldane: changed').waitFor();
    await text('Why: Spring round').waitFor();
    await button('Back').click();

    await button('Continue with 186').click();
    await text('191 records changed.').waitFor();
    await expect(() => equation()).toBecome('200 matched = 191 changed + 9 not allowed');

    await button('Undo…').click();
    await button('Preview the undo').click();
    await button('Undo all 191').click();
    await text('191 records restored.').waitFor();
    expect((await w.sql.query('select id, status, region from bookings order by id')).rows).toEqual(before);
    await page.getByRole('link', { name: 'Runs' }).click();
    await page.getByRole('cell', { name: 'Finished' }).nth(1).waitFor();
    expect(opened.errors).toEqual([]);
  });

  it('keeps an unfinished job and its picks across a reload, and across a session that ends in the middle', async () => {
    await page.goto(`${w.base}/records/bookings`);
    await setFilter(filter);
    await page.getByRole('checkbox', { name: 'Pick 76' }).click();
    await page.getByRole('checkbox', { name: 'Pick 301' }).click({ modifiers: ['Shift'] });
    await text('4 records picked').waitFor();
    await button('Change…').last().click();
    await chooseField('note');
    await page.getByLabel('Value for Note').fill('unfinished');
    await text('4 will change').waitFor();
    await untilKept(w, 'unfinished');
    await page.reload();
    await text('4 will change').waitFor();
    await expect(() => page.getByLabel('Value for Note').inputValue()).toBecome('unfinished');

    await page.getByLabel('Value for Note').fill('still here');
    await untilKept(w, 'still here');
    await w.sql.query(`delete from tantamos.session where kind = 'browser'`);
    // A session is taken as good for a second without asking again.
    const cookie = (await page.context().cookies()).map((c) => `${c.name}=${c.value}`).join('; ');
    const isOut = async () => (await fetch(`${w.base}/api/me`, { headers: { Cookie: cookie } })).status === 401;
    await until(isOut, 'the session has ended');
    // Whoever asks first hears of it: the click or, where the page asks by itself just before, that, and nothing is clicked any more.
    await button('Preview 4')
      .click({ timeout: 5000 })
      .catch(() => {});
    await text('Your session has ended. Sign in again; your work is still here.').waitFor();
    await page.getByRole('textbox', { name: 'Password' }).fill('meadow-admin');
    await button('Sign in').click();
    await text('4 will change').waitFor();
    await expect(() => page.getByLabel('Value for Note').inputValue()).toBecome('still here');
    await button('Preview 4').click();
    await text('On the 4 picked bookings').first().waitFor();
  });

  it('asks for the number to be typed where a whole type would change', async () => {
    await page.goto(`${w.base}/records/staff`);
    await button('Change these records').or(button('Fold the job away')).first().waitFor();
    if ((await button('Change these records').count()) > 0) {
      await button('Change these records').click();
      await search().waitFor();
    }
    await chooseField('active');
    await page.getByLabel('Value for Active').selectOption('false');
    await button('Preview 58').click();
    await button('Run all 58').click();
    const start = page.getByRole('dialog').getByRole('button', { name: 'Start' });
    await expect(() => start.isDisabled()).toBecome(true);
    await page.getByLabel('Type 58 to start').fill('59');
    await expect(() => start.isDisabled()).toBecome(true);
    await page.keyboard.press('Escape');
    expect((await w.sql.query('select count(*)::int as n from staff where active')).rows[0].n).toBe(58);
  });

  it('says which condition emptied the set, and takes it away in one click', async () => {
    await page.goto(`${w.base}/records/growers`);
    await setFilter("valley = 'north' AND name = 'No Such Grower'");
    await text('No growers match.').waitFor();
    await button(/match without name = 'No Such Grower'/).click();
    await page.getByRole('list', { name: 'Selection' }).getByText('500', { exact: true }).waitFor();
  });

  it('shows records that cannot be changed, and says why', async () => {
    await w.sql.query('create view early as select distinct * from placements');
    w.services.catalogs.refresh();
    await page.goto(`${w.base}/records/early`);
    await text('is a view that the database itself cannot change: its records can be read and not changed').waitFor();
    await expect(() => button('Change these records').count()).toBecome(0);
  });

  it('changes records with a key of two fields, and takes it back', async () => {
    const before = (await w.sql.query('select * from placements order by 1, 2')).rows;
    const { booking, hive } = before[0] as { booking: number; hive: number };
    await page.goto(`${w.base}/records/placements`);
    await page.getByRole('checkbox', { name: `Pick ${booking} · ${hive}` }).click();
    await button('Change…').last().click();
    await chooseField('placed on');
    await page.getByLabel('Value for Placed on').pressSequentially('2026-04-01');
    await button('Preview 1').click();
    await button('Run all 1').click();
    await text('1 record changed.').waitFor();
    await page.getByRole('link', { name: `${booking} · ${hive}` }).click();
    await text('run by Sorrel Haldane: changed').waitFor();
    await button('Back').click();
    await button('Undo…').click();
    await button('Preview the undo').click();
    await button('Undo all 1').click();
    await text('1 record restored.').waitFor();
    expect((await w.sql.query('select * from placements order by 1, 2')).rows).toEqual(before);
  });

  it('can be worked by keyboard alone', async () => {
    await page.goto(`${w.base}/records/bookings`);
    await page.getByRole('button', { name: 'Type of record' }).focus();
    await page.keyboard.press('Enter');
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await page.keyboard.type('hiv');
    await page.keyboard.press('Enter');
    await page.waitForURL(/records\/hives/);
    await page.getByRole('button', { name: 'Strength', exact: true }).focus();
    await page.keyboard.press('Enter');
    await page.locator('th[aria-sort="ascending"]').waitFor();
    await page.keyboard.press('Space');
    await page.locator('th[aria-sort="descending"]').waitFor();
  });

  it('holds to WCAG 2.1 AA on every page, in both themes', async () => {
    const run = await done(w.admin, onBookings([151, 152], [{ kind: 'set', field: 'status', value: 'confirmed' }]));
    const places = [
      '/records/bookings',
      `/previews/${run.preview}`,
      `/runs/${run.id}`,
      '/runs',
      '/records/bookings/76',
    ];
    for (const theme of ['light', 'dark']) {
      await page.evaluate((t) => localStorage.setItem('tantamos.theme', t), theme);
      for (const place of places) {
        await page.goto(w.base + place);
        await page.locator('td, dd').first().waitFor();
        expect([theme, place, await accessibilityTroubles(page)]).toEqual([theme, place, []]);
      }
    }
    await page.evaluate(() => localStorage.setItem('tantamos.theme', 'light'));
  });

  it('offers an editor no more than an editor may', async () => {
    const other = await openBrowser();
    const theirs = await other.context.newPage();
    await signIn(theirs, w.base, 'piers', 'meadow-editor');
    const mine = (await w.admin.previews()).find((p) => p.kind === 'edit')!;
    await theirs.goto(`${w.base}/previews/${mine.id}`);
    await theirs.getByRole('button', { name: /^Run all/ }).click();
    await theirs
      .getByText('Only the person who made a preview, or an administrator')
      .or(theirs.getByRole('dialog'))
      .first()
      .waitFor();
    await other.close();
  });
});
