import type { Page } from 'playwright-core';
import type { Workspace } from '../../service/src/testing/workspace';
import { onBookings, previewed, ran } from '../../service/src/testing/jobs';
import { accessibilityTroubles, openConsole, until, type OpenConsole } from './testing/browser';

describe('the console as it is met', () => {
  let w: Workspace;
  let page: Page;
  let opened: OpenConsole;
  let run: string;
  beforeAll(async () => {
    opened = await openConsole();
    ({ w, page } = opened);
    const job = onBookings([1, 2, 3, 76], [{ kind: 'set', field: 'note', value: 'A longer remark about the spring' }]);
    const p = await previewed(w.admin, job);
    run = (await ran(w.admin, p.id, { askAfter: 1 })).id;
  });
  afterAll(() => opened.close());
  const button = (name: string | RegExp) => page.getByRole('button', { name });
  const search = () => page.getByRole('combobox', { name: /search/ });

  it('reads a first page of 200 KB of scripts at most', async () => {
    await page.goto(`${w.base}/records/bookings`);
    await page.getByRole('gridcell').first().waitFor();
    const bytes = await page.evaluate(() =>
      (performance.getEntriesByType('resource') as PerformanceResourceTiming[])
        .filter((r) => r.name.endsWith('.js'))
        .reduce((sum, r) => sum + r.encodedBodySize, 0),
    );
    expect(bytes).toBeGreaterThan(50_000);
    expect(bytes).toBeLessThanOrEqual(200 * 1024);
  });

  it('opens the list of fields with the cursor in it where a condition or an edit is added', async () => {
    await button('Add a condition').click();
    await search().waitFor();
    await page.keyboard.type('region');
    await page.keyboard.press('Enter');
    await page.getByLabel('Operator of Region').selectOption({ label: 'is not (nor blank)' });
    await expect(() => button('Remove this row').count()).toBecome(1);
    // The panel that is unfolded asks for a field, and so does a card that is added.
    await button('Change these records').click();
    await search().waitFor();
    await page.keyboard.press('Escape');
    await button('Add an edit').click();
    await search().waitFor();
    await page.keyboard.type('note');
    await page.keyboard.press('Enter');
    await page.getByLabel('Value for Note').fill('x');
    await button('Fold the job away').click();
  });

  it('says what a filter leaves out for being blank, in rows and text alike, and takes it in', async () => {
    await page.getByRole('radio', { name: 'Text' }).click();
    await page.getByRole('textbox', { name: 'Filter' }).fill("region <> 'Northern Hills'");
    await button('Apply').click();
    await page.getByText('8,086 whose region is blank are left out.').waitFor();
    await page.getByRole('radio', { name: 'Rows' }).click();
    await expect(() => page.getByLabel('Operator of Region').locator('option:checked').innerText()).toBecome(
      'is not (nor blank)',
    );
    // The preview says so, too, and makes another with them in it.
    await button('Change these records').click();
    await page.getByText('will change').first().waitFor();
    await button('Preview').click();
    await page.getByText('Before you run').waitFor();
    await page.getByText('8,086 whose region is blank are left out.').waitFor();
    await button('Take them in').click();
    await page
      .getByTestId('since')
      .getByText(/8,08\d more/)
      .waitFor();
    await expect(() => page.getByText('are left out').count()).toBecome(0);
    // So does the unfinished job.
    await page.getByRole('link', { name: 'Records' }).click();
    await page.getByRole('gridcell').first().waitFor();
    await expect(() => page.getByLabel('Operator of Region').locator('option:checked').innerText()).toBecome(
      'is not, or is blank',
    );
    await until(async () => (await page.getByText('are left out').count()) === 0, 'nothing is left out any more');
    await button('Clear all').click();
  });

  it('goes anywhere from Ctrl K, and tells its keys on ?', async () => {
    await page.keyboard.press('Control+k');
    const box = page.getByRole('combobox', { name: 'Go to, or do' });
    await box.waitFor();
    await page.keyboard.type('invoices');
    await page.keyboard.press('Enter');
    await page.waitForURL('**/records/invoices');
    await page.keyboard.press('Control+k');
    await box.waitFor();
    await page.keyboard.type('longer remark');
    await page.keyboard.press('Enter');
    await page.waitForURL(`**/runs/${run}`);
    await page.keyboard.press('?');
    await page.getByRole('dialog', { name: 'Keys' }).waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.keyboard.press('Escape');
    await page.getByRole('dialog', { name: 'Keys' }).waitFor({ state: 'detached' });
    // Where somebody types it is a letter.
    await page.goto(`${w.base}/records/bookings`);
    await button('Change these records').or(button('Fold the job away')).first().waitFor();
    if ((await button('Change these records').count()) > 0) await button('Change these records').click();
    await page.getByPlaceholder('A note that stays with the run').fill('');
    await page.getByPlaceholder('A note that stays with the run').press('?');
    await expect(() => page.getByRole('dialog', { name: 'Keys' }).count()).toBecome(0);
    await button('Fold the job away').click();
  });

  it('shows numbers, days and moments as the person reads them, and the exact value on hover', async () => {
    await page.goto(`${w.base}/records/bookings/50`);
    const exact = (await w.sql.query(`select total::text, start_on::text from bookings where id = 50`)).rows[0];
    await page.getByTitle('2026-02-01 06:00:00+00').waitFor();
    const shown = async (title: string) => (await page.getByTitle(title, { exact: true }).innerText()).trim();
    await expect(() => shown('2026-02-01 06:00:00+00')).toBecome('Feb 1, 2026 06:00 AM');
    await expect(() => shown(exact.total)).toBecome(
      Number(exact.total).toLocaleString('en-US', { minimumFractionDigits: 2 }),
    );
    // What is copied is what is stored.
    const copied = () =>
      page.evaluate(() => {
        const clipboardData = new DataTransfer();
        const event = new ClipboardEvent('copy', { clipboardData, bubbles: true, cancelable: true });
        (document.activeElement ?? document).dispatchEvent(event);
        return clipboardData.getData('text/plain');
      });
    await page.keyboard.press('Control+a');
    await expect(() => copied()).toBecome(expect.stringContaining(exact.total));
    await expect(() => copied()).toBecome(expect.stringContaining('2026-02-01 06:00:00+00'));
    await expect(() => copied()).toBecome(expect.stringContaining('B-0000050'));
    await page.goto(`${w.base}/records/bookings`);
    await page
      .getByRole('gridcell', { name: /^Dec|^Jan|^Feb|^Mar|^Apr|^May/ })
      .first()
      .click();
    const [{ day }] = (await w.sql.query('select start_on::text as day from bookings where id = 1')).rows;
    await expect(() => copied()).toBecome(day);
    await page.goto(`${w.base}/account`);
    await page.getByLabel('As in').selectOption('de-DE');
    await page.getByText('-1.234.567,50').waitFor();
    await page.goto(`${w.base}/records/bookings/50`);
    await page.getByTitle('2026-02-01 06:00:00+00').waitFor();
    await expect(() => shown(exact.total)).toBecome(
      Number(exact.total).toLocaleString('de-DE', { minimumFractionDigits: 2 }),
    );
    await expect(() => shown('2026-02-01 06:00:00+00')).toBecome('1. Feb. 2026 06:00');
    await page.goto(`${w.base}/account`);
    await page.getByLabel('As in').selectOption('');
    await page.getByText('-1,234,567.50').waitFor();
  });

  it('fits windows down to a phone, where a run can be read, continued and stopped', async () => {
    for (const theme of ['light', 'dark'])
      for (const [width, height] of [
        [1280, 800],
        [1024, 768],
        [700, 900],
        [390, 844],
      ] as const) {
        await page.setViewportSize({ width, height });
        await page.evaluate((t) => localStorage.setItem('tantamos.theme', t), theme);
        for (const path of ['/records/bookings', '/runs', `/runs/${run}`]) {
          await page.goto(w.base + path);
          await page.getByRole('main').waitFor();
          const wide = await page.evaluate(() => document.documentElement.scrollWidth - innerWidth);
          expect([path, width, wide > 0]).toEqual([path, width, false]);
        }
        for (const verb of [/^Continue with/, 'Stop here']) {
          const box = (await button(verb).boundingBox())!;
          expect([width, verb, box.x >= 0 && box.x + box.width <= width]).toEqual([width, verb, true]);
        }
        expect(await accessibilityTroubles(page)).toEqual([]);
        await page.goto(`${w.base}/records/bookings`);
        const picker = (await button(/^Type of record/).boundingBox())!;
        expect([width, picker.width >= 150]).toEqual([width, true]);
        const isFolded = width < 900;
        // The job lies over the records where there is no room beside them.
        if ((await button('Fold the job away').count()) > 0) await button('Fold the job away').click();
        expect([width, await page.getByRole('button', { name: 'More', exact: true }).isVisible()]).toEqual([
          width,
          isFolded,
        ]);
        if (isFolded) await page.getByRole('button', { name: 'More', exact: true }).click();
        await button('Download').click();
        const save = (await button('Save the file').boundingBox())!;
        expect([width, save.x >= 0 && save.x + save.width <= width]).toEqual([width, true]);
        await page.keyboard.press('Escape');
      }
    await page.keyboard.press('Escape');
    await button(/^Pages/).click();
    await page.getByRole('menuitem', { name: 'Runs' }).click();
    await page
      .getByRole('link', { name: /A longer remark/ })
      .first()
      .click();
    await button('Stop here').click();
    await page.getByText('Stopped').first().waitFor();
    await page.setViewportSize({ width: 1280, height: 800 });
    expect(opened.errors).toEqual([]);
  });

  it('keeps three hundred columns, long names and long choices legible, and says what a list leaves out', async () => {
    const columns = Array.from({ length: 297 }, (_, i) => `reading_of_the_gauge_in_the_upper_valley_${i} integer`);
    await w.sql.query(`create table measurements (id integer primary key, name text,
      state text check (state in ('waiting_for_the_second_signature_of_all', 'ok')), ${columns.join(', ')})`);
    await w.sql.query(`comment on table measurements is ''`);
    await w.sql.query(`insert into measurements (id, name, state)
      select n, 'Gauge beside the second old bridge ' || n, 'waiting_for_the_second_signature_of_all' from generate_series(1, 3) n`);
    w.services.catalogs.refresh();
    await page.goto(`${w.base}/records/measurements`);
    const state = page.getByRole('gridcell', { name: 'Waiting for the second' }).first();
    expect((await state.boundingBox())!.width).toBeGreaterThan(250);
    await button('Columns').click();
    await page.getByRole('textbox', { name: 'Search columns' }).fill('valley 296');
    const last = page.getByRole('checkbox', { name: 'Reading of the gauge in the upper valley 296' });
    await expect(() => last.isChecked()).toBecome(false);
    await page.keyboard.press('Escape');
    if ((await button('Change these records').count()) > 0) await button('Change these records').click();
    else await button('Add an edit').click();
    await search().waitFor();
    await page.getByText(/^(99|100) more\. Type part of the name\.$/).waitFor();
    await page.keyboard.type('valley 296');
    await page.keyboard.press('Enter');
    await page.getByLabel('Value for Reading of the gauge in the upper valley 296').fill('7');
    const sentence = page.getByText('Change nothing if more than');
    expect((await sentence.boundingBox())!.height).toBeLessThan(40);
    await page.getByText('3 will change').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    expect(opened.errors).toEqual([]);
  });
});
