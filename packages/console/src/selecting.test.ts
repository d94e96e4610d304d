import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import type { Workspace } from '../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, type OpenConsole, until, untilKept } from './testing/browser';

const leftAlone = readFileSync(join(__dirname, '../../demo/left-alone.txt'), 'utf8');

describe('selecting in the console, in Chromium', () => {
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
  const open = async (type: string) => {
    await page.goto(`${w.base}/records/${type}`);
    await page.getByRole('list', { name: 'Selection' }).filter({ hasNotText: '…' }).waitFor();
    if ((await button('Clear all').count()) > 0) await button('Clear all').click();
    if ((await button(/^Filter$/).count()) > 0) await button(/^Filter$/).click();
  };
  const selection = async (): Promise<string> => {
    const list = page.getByRole('list', { name: 'Selection' });
    await list.filter({ hasNotText: '…' }).waitFor();
    return (await list.innerText()).replace(/\s+/g, ' ').trim();
  };
  const becomes = async (expected: string): Promise<void> => {
    await expect(() => selection()).toBecome(expected);
  };
  const pick = async (label: string | RegExp, typed: string) => {
    const search = page.getByRole('combobox', { name: /search/ });
    // What was just added has its list open already.
    if (!(await search.isVisible())) await button(label).last().click();
    await search.waitFor();
    await page.keyboard.type(typed);
    await page
      .getByRole('option', { name: new RegExp(typed.split(/\W+/).join('.*'), 'i') })
      .first()
      .waitFor();
    await page.keyboard.press('Enter');
  };
  const as = (mode: 'Rows' | 'Text') => page.getByRole('radio', { name: mode }).click();
  const editor = () => page.getByRole('textbox', { name: 'Filter' });
  /** Takes what the list of completions offers; one that has only just opened does not take Enter yet. */
  const taken = (text: RegExp) =>
    until(async () => {
      if ((await page.getByRole('option').count()) > 0) await page.keyboard.press('Enter');
      return text.test(await editor().innerText());
    }, String(text));

  it('builds a filter from rows: a choice, a person through a reference, days, a group; and says it as text', async () => {
    await open('bookings');
    await as('Rows');
    await button('Add a condition').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await pick(/^Field:/, 'status');
    await page.getByLabel('Value of Status').selectOption('draft');
    await becomes("Bookings 18,000 status = 'draft' 1,200");
    await button('Add a condition').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await pick(/^Field:/, 'grower owner');
    await pick(/^Value of Grower › Owner/, 'calloway');
    await becomes("Bookings 18,000 status = 'draft' 1,200 grower.owner = 'Ines Calloway' 39");
    await button('Add a condition').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await pick(/^Field:/, 'start on');
    await page.getByLabel('Operator of Start on').selectOption('last');
    await page.getByRole('textbox', { name: 'Days' }).fill('4000');
    await page.keyboard.press('Enter');
    await button(/^Add a group/).click();
    await pick(/^Field:/, 'valley');
    await page.getByLabel('Value of Valley').selectOption('north');
    await button('Add a condition').first().click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await pick(/^Field:/, 'hives');
    await page.getByLabel('Operator of Hives').selectOption('more');
    await page.getByLabel('Value of Hives').fill('60');
    await page.keyboard.press('Enter');
    await page.getByRole('list', { name: 'Selection' }).getByText('hives > 60').waitFor();
    await as('Text');
    await expect(() => editor().innerText()).toBecome(
      "status = 'draft' AND grower.owner = 'Ines Calloway' AND start_on BETWEEN TODAY() - 4000 AND TODAY() AND (valley = 'north' OR hives > 60)",
    );
    await as('Rows');
    await expect(() => page.getByRole('textbox', { name: 'Days' }).inputValue()).toBecome('4000');
  });

  it('keeps as text what rows cannot show, says why, and loses nothing', async () => {
    await open('bookings');
    await as('Text');
    await editor().fill("ROUND(total, 0) > 5000 AND region IS NULL AND CASEI(reference) LIKE CASEI('b-00%')");
    await button('Apply').click();
    await as('Rows');
    await page.getByText('as text: it compares something worked out').waitFor();
    await expect(() => page.getByLabel('Operator of Reference').inputValue()).toBecome('starts');
    await page.getByLabel('Operator of Region').selectOption('not_blank');
    await as('Text');
    await expect(() => editor().innerText()).toBecome(
      "ROUND(total, 0) > 5000 AND region IS NOT NULL AND CASEI(reference) LIKE CASEI('b-00%')",
    );
  });

  it('completes fields and names in the editor, marks a mistake in place and mends it in one press', async () => {
    await open('bookings');
    await as('Text');
    await editor().pressSequentially('grower.sta');
    await page.getByRole('option', { name: /^grower.status/ }).waitFor();
    await taken(/grower\.status/);
    await editor().pressSequentially(" = 'activ' AND owner = 'Ines Callo");
    await page.getByRole('option', { name: /Ines Calloway/ }).waitFor();
    await taken(/'Ines Calloway'/);
    await page.keyboard.press('Enter');
    await page.getByText('“activ” is no choice of Status').waitFor();
    await expect(() => page.locator('.cm-lintRange-error').innerText()).toBecome("'activ'");
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button("'active'").click();
    await page.getByRole('list', { name: 'Selection' }).getByText("grower.status = 'active'").waitFor();
  });

  it('shows the values of a field: keeps some, pins them, takes a range, crosses two fields', async () => {
    await open('bookings');
    await button('Values of Valley').click();
    await page.getByRole('checkbox', { name: /North/ }).check();
    await page.getByRole('checkbox', { name: /South/ }).check();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Pin').click();
    await button(/^Keep 2/).click();
    await becomes("Bookings 18,000 valley IN ('north', 'south') 7,200".replace("'north', 'south'", await inOrder()));
    await page.getByRole('region', { name: 'Pinned values' }).getByRole('button', { name: /North/ }).click();
    await expect(() => selection()).toBecome(expect.stringContaining("valley = 'north' 3,600"));
    await button('Values of Hives').click();
    await button(/^10 to under 20/).click();
    await button(/^Keep 10 to under 20/).click();
    await expect(() => selection()).toBecome(expect.stringContaining('hives >= 10'));
    await button('Values of Status').click();
    await pick(/^Cross with/, 'crop');
    const cell = page
      .getByRole('dialog')
      .getByRole('button', { name: /^Draft and .*: \d+ records/ })
      .first();
    const count = /: (\d+) records/.exec((await cell.getAttribute('aria-label'))!)![1]!;
    expect(await accessibilityTroubles(page)).toEqual([]);
    await cell.click();
    expect((await selection()).endsWith(` ${count}`)).toBe(true);
    await button('Unpin Valley').click();
    await button('Clear all').click();
    await button('Values of Crop').click();
    await button('Keep these counts').click();
    await page.getByText('Kept.').waitFor();
    await w.sql.query(
      `update bookings set crop = 'lime' where id in (select id from bookings where crop = 'apple' order by id limit 3)`,
    );
    await button('Kept counts…').click();
    await page.getByRole('row', { name: /^Lime .*\+3$/ }).waitFor();
    await page.getByRole('row', { name: /^Apple .*−3$/ }).waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.keyboard.press('Escape');
  });

  const inOrder = async (): Promise<string> => /IN \((.*)\)/.exec(await selection())![1]!;

  it('keeps and leaves out the value of the cell in focus, by key and by button', async () => {
    await open('bookings');
    const cell = page.getByRole('gridcell', { name: 'Draft' }).first();
    await cell.click();
    await page.keyboard.press('=');
    await becomes("Bookings 18,000 status = 'draft' 1,200");
    await page.getByRole('gridcell', { name: 'North' }).first().click();
    await button('Leave out').click();
    await becomes("Bookings 18,000 status = 'draft' 1,200 valley <> 'north' 960");
    const isCell = () => page.evaluate(() => document.activeElement?.getAttribute('role') === 'gridcell');
    await until(isCell, 'a cell has the focus again');
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('!');
    await page
      .getByRole('list', { name: 'Selection' })
      .getByText(/^(region IS NOT NULL|\(region <> )/)
      .waitFor();
  });

  it('matches a pasted list: every number opens its lines, and the report goes on into the preview', async () => {
    await open('contacts');
    await button('Paste a list').click();
    await page.getByLabel('The list').fill(leftAlone);
    const report = page.getByTestId('list-report');
    await report.getByText('26 unknown').waitFor();
    await expect(async () => (await report.innerText()).replace(/\s+/g, ' ')).toBecome(
      '300 lines = 3 blank + 2 not addresses + 48 repeats + 247 different 247 = 221 found + 26 unknown 221 → 243 contacts (22 entries fit several)',
    );
    await expect(() => page.getByRole('cell', { name: 'unknown' }).count()).toBecome(26);
    await report.getByRole('button', { name: '2 not addresses' }).click();
    await page.getByRole('cell', { name: 'not an address' }).first().waitFor();
    await report.getByRole('button', { name: /entries fit several/ }).click();
    await page.getByRole('dialog').getByRole('checkbox').nth(1).waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.getByRole('dialog').getByRole('checkbox').nth(1).click();
    await button('Find these 242').waitFor();
    await page.getByRole('dialog').getByRole('checkbox').nth(1).click();
    const use = button('Find these 243');
    await use.waitFor();
    await expect(() => use.isDisabled()).toBecome(true);
    await page.getByLabel('Go on without the 26 unknown').check();
    await use.click();
    await becomes('Contacts 5,000 on the pasted list 243');
    await button('Change these records').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await pick('Field to change', 'preference');
    await page.getByLabel('Value for Mail preference').selectOption('none');
    await button(/^Preview \d/).click();
    await page.getByText('Pasted list: 300 lines = 3 blank').waitFor();
    await page.goBack();
    await button('Fold the job away').click();
  });

  it('picks by hand: a range, all that match, and drops single ones out of all', async () => {
    await open('bookings');
    await page.getByRole('checkbox', { name: 'Pick 3', exact: true }).click();
    await page.getByRole('checkbox', { name: 'Pick 7', exact: true }).click({ modifiers: ['Shift'] });
    await page.getByText('5 records picked').waitFor();
    await page.getByText('Only what is picked: 5 records.').waitFor();
    await button('Pick all 18,000 that match').click();
    await page.getByText('All that match are picked.').waitFor();
    await page.getByRole('checkbox', { name: 'Pick 5', exact: true }).click();
    await page.getByText('All that match, without 1 record dropped by hand.').waitFor();
    await becomes('Bookings 18,000 1 dropped 17,999');
    await button('Clear').last().click();
    await becomes('Bookings 18,000');
  });

  it('goes to relatives and takes a sample of them, saves it, and finds it again', async () => {
    await open('growers');
    await as('Text');
    await editor().fill("status = 'dormant' AND valley = 'north'");
    await button('Apply').click();
    const growers = Number(/(\d+)$/.exec(await selection())![1]);
    await button('Related').click();
    await page.getByRole('button', { name: /^Bookings by grower/ }).click();
    await page.waitForURL(/records\/bookings/);
    await expect(() => selection()).toBecome(
      expect.stringContaining("whose grower is one of growers where status = 'dormant' AND valley = 'north'"),
    );
    await button('First…').click();
    await page.getByLabel('How many').fill('12');
    await page.getByRole('radio', { name: /at random/ }).click();
    await button('Take these').click();
    expect((await selection()).endsWith('12 at random 12')).toBe(true);
    await button('Saved').click();
    await page.getByRole('textbox', { name: 'Name' }).fill('dozen of the dormant');
    await page.getByRole('button', { name: 'Save', exact: true }).click();
    await page.getByText('Saved “dozen of the dormant”, version 1.').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.keyboard.press('Escape');
    await button('Clear all').click();
    await becomes('Bookings 18,000');
    await button('Saved').click();
    await page.getByRole('button', { name: 'Only those in it' }).click();
    await becomes("Bookings 18,000 in_selection('dozen of the dormant') 12");
    await button('Saved').click();
    await page.getByRole('button', { name: 'dozen of the dormant', exact: true }).click();
    expect((await selection()).endsWith('12 at random 12')).toBe(true);
    expect(growers).toBeGreaterThan(0);
    await button('Saved').click();
    const text = await (await w.admin.files.selectionsFile()).text();
    const file = {
      name: 'more.json',
      mimeType: 'application/json',
      buffer: Buffer.from(text.replaceAll('dozen', 'dozens')),
    };
    await page.getByLabel('From a file').setInputFiles(file);
    await button('Take these').click();
    await page.getByText('Taken: dozens of the dormant.').waitFor();
    await page.keyboard.press('Escape');
  });

  it('leads from one record to everything that points at it', async () => {
    await page.goto(`${w.base}/records/growers/1`);
    const pointer = page.getByRole('region', { name: 'What points here' }).getByRole('button', { name: /^Bookings/ });
    const n = /(\d+)$/.exec((await pointer.innerText()).trim())![1];
    await pointer.click();
    await page.waitForURL(/records\/bookings/);
    await expect(() => selection()).toBecome(`Bookings 18,000 whose grower is one of growers 1 ${n}`);
  });

  it('says why nothing matched, and offers what does occur', async () => {
    await open('bookings');
    await as('Text');
    await editor().fill("status = 'draft' AND grower.name = 'Marlowgate Estat'");
    await button('Apply').click();
    await page.getByText('No bookings match.').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Marlowgate Estate').click();
    await expect(() => selection()).toBecome(expect.stringContaining("grower.name = 'Marlowgate Estate'"));
  });

  it('keeps columns, their order, widths and sort for the person and type', async () => {
    await open('hives');
    await button('Columns').click();
    await page.getByLabel('Search columns').fill('site valley');
    await page.getByRole('checkbox', { name: 'Site › Valley', exact: true }).check();
    await page.getByLabel('Search columns').fill('');
    for (let i = 0; i < 3; i++) await button('Site › Valley: further left').click();
    await page.keyboard.press('Escape');
    const edge = page.getByRole('separator', { name: 'Width of Code' });
    const before = Number(await edge.getAttribute('aria-valuenow'));
    await edge.press('ArrowRight');
    await page.getByRole('button', { name: 'Strength', exact: true }).click();
    await page.getByRole('button', { name: 'Built on', exact: true }).click({ modifiers: ['Shift'] });
    // Its name alone stands among the columns, too, which are kept before.
    await untilKept(w, '"sort":["strength","built_on"]');
    await page.reload();
    const headings = page.getByRole('columnheader');
    await headings.getByText('Site › Valley').waitFor();
    const labels = (await headings.allInnerTexts()).map((t) => t.trim());
    expect(labels.indexOf('Site › Valley')).toBe(labels.length - 4);
    await expect(() => edge.getAttribute('aria-valuenow')).toBecome(String(before + 16));
    await expect(() => page.locator('th[aria-sort="ascending"]').count()).toBecome(2);
  });

  const pasteAt = async (cell: string, text: string): Promise<void> => {
    // Beside the text: a press on it leads to the record.
    await page
      .getByRole('gridcell', { name: cell, exact: true })
      .first()
      .click({ position: { x: 4, y: 16 } });
    await page.evaluate((pasted) => {
      const data = new DataTransfer();
      data.setData('text/plain', pasted);
      document.activeElement!.dispatchEvent(new ClipboardEvent('paste', { clipboardData: data, bubbles: true }));
    }, text);
    await page.getByText('What are these lines?').waitFor();
  };

  it('asks what several pasted lines are: to be found', async () => {
    await open('bookings');
    await pasteAt('B-0000001', 'B-0000003\nB-0000004\n');
    await page.getByText('You pasted 2 lines.').waitFor();
    await expect(() => button(/^Put these values into Reference/).isEnabled()).toBecome(true);
    await button('Find these').click();
    await button('Find these 2').click();
    await becomes('Bookings 18,000 on the pasted list 2');
  });

  it('… or values for the rows from here on, each its own', async () => {
    await open('sites');
    const before = (await w.sql.query('select id, name from sites where id <= 4 order by id')).rows;
    await pasteAt(before[0].name as string, 'First Field\n\nThird Field\n');
    await button('Put these values into Name of rows 1 to 3').click();
    await page.getByText('2 pasted values, each for its own record').waitFor();
    await page.locator('ins', { hasText: 'First Field' }).or(page.getByText('First Field')).first().waitFor();
    await button('Preview 2').click();
    await page.getByText('put 2 values, one a record, into name').first().waitFor();
    await button('Run all 2').click();
    await page.getByText('2 records changed.').waitFor();
    const names = (await w.sql.query('select name from sites where id <= 4 order by id')).rows.map(
      (r) => r.name as string,
    );
    expect(names).toEqual(['First Field', before[1].name, 'Third Field', before[3].name]);
    await page.goto(`${w.base}/records/sites`);
    await button('Fold the job away').click();
  });

  it('takes the whole set away as a file, and lays it out for paper', async () => {
    await open('growers');
    await as('Text');
    await editor().fill("status = 'closed' AND valley = 'high'");
    await button('Apply').click();
    const n = Number(/(\d+)$/.exec(await selection())![1]);
    await button('Download').click();
    const [download] = await Promise.all([page.waitForEvent('download'), button('Save the file').click()]);
    const text = readFileSync(await download.path(), 'utf8');
    expect(text.trim().split('\r\n')).toHaveLength(n + 1);
    await page.getByText(`${n} records taken.`).waitFor();
    await page.getByRole('link', { name: 'Print view' }).click();
    await page.getByText(`Total: ${n}`).waitFor();
    await expect(() => page.getByRole('row').count()).toBecome(n + 1);
  });
});
