import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import type { Workspace } from '../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, type OpenConsole } from './testing/browser';

describe('values from files, and new records, in the console', () => {
  let w: Workspace;
  let page: Page;
  let opened: OpenConsole;
  const folder = mkdtempSync(join(tmpdir(), 'values-'));
  beforeAll(async () => {
    opened = await openConsole();
    ({ w, page } = opened);
  });
  afterAll(async () => {
    rmSync(folder, { recursive: true });
    await opened.close();
    expect(opened.errors).toEqual([]);
  });
  const button = (name: string | RegExp) => page.getByRole('button', { name, exact: typeof name === 'string' });
  const search = () => page.getByRole('combobox', { name: /search/ });
  const pick = async (opener: string | RegExp, words: string): Promise<void> => {
    await button(opener).click();
    await search().waitFor();
    await page.keyboard.type(words);
    await page
      .getByRole('option', { name: new RegExp(words, 'i') })
      .first()
      .waitFor();
    await page.keyboard.press('Enter');
    await search().waitFor({ state: 'detached' });
  };
  const fileOf = (name: string, text: string): string => {
    const path = join(folder, name);
    writeFileSync(path, text);
    return path;
  };

  it('says what is in a file, asks which way round its dates are, counts every row once and previews the rest', async () => {
    await page.goto(`${w.base}/records/bookings`);
    await button('Values from a file').click();
    const path = fileOf(
      'supplier.csv',
      'Reference;List price;Starts\nB-0000001;1.012,50;3/4/2026\nb-0000002;40,00;12/5/2026\nB-0000003;abc;1/2/2026\nB-0999999;3;1/1/2026\n',
    );
    await page.getByLabel('File of values').setInputFiles(path);
    await page.getByText('The first row names the columns').waitFor();
    await pick('Field for List price: not taken', 'Price per hive');
    await pick('Field for Starts: not taken', 'Start on');
    await page.getByText('Say how the dates in “Starts” are to be read').waitFor();
    await page.getByLabel(/^dates/).selectOption('dmy');
    await page.getByText('1 row fits no record of bookings').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.getByLabel('Rows that fit none of the bookings').selectOption('skip');
    await page.getByText('2 → 2 records').waitFor();
    await button('1 do not fit').click();
    await page.getByText('Price per hive: “List price” is no number.').waitFor();
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('link', { name: 'Download the 2 that are not taken' }).click(),
    ]);
    expect(download.suggestedFilename()).toBe('rows-left.csv');
    await button('Preview 2').click();
    await page.getByText('File: 4 rows = 2 taken + 1 fit no record + 1 do not fit').waitFor();
    await button('Run all 2').click();
    await page.getByText('Finished').first().waitFor();
    const now = await w.sql.query(
      'select price_per_hive::text as p, start_on::text as d from bookings where id <= 2 order by id',
    );
    expect(now.rows).toEqual([
      { p: '1012.50', d: '2026-04-03' },
      { p: '40.00', d: '2026-05-12' },
    ]);
  });

  it('a file that cannot be read, and a plan that is wrong, are told where they are', async () => {
    await page.goto(`${w.base}/records/bookings`);
    await button('Values from a file').click();
    await page.getByLabel('File of values').setInputFiles(fileOf('empty.csv', ''));
    await page.getByText('The file is empty.').waitFor();
    await page.getByLabel('File of values').setInputFiles(fileOf('x.csv', 'Reference,Words\nB-0000001,many\n'));
    await button('Work something out of columns').click();
    await page.getByLabel('Worked out of columns').fill('file.Words * 2');
    await pick('Field for what is worked out: Choose a field', 'Hives');
    await page.getByText('only numbers are multiplied').waitFor();
    await page.getByLabel('Worked out of columns').fill('LEN(file.Words) * 2');
    await page.getByText('1 → 1 record').waitFor();
  });

  it('a download that was edited comes back: only its edits, and none over what somebody else edited since', async () => {
    await page.goto(`${w.base}/records/bookings`);
    await page.getByRole('radio', { name: 'Text' }).click();
    await page.getByRole('textbox', { name: 'Filter' }).fill("reference IN ('B-0000011', 'B-0000012', 'B-0000013')");
    await button('Apply').click();
    await page.getByRole('gridcell', { name: 'B-0000011' }).waitFor();
    await button('Download').click();
    await page.getByLabel('to be edited and brought back').check();
    const [download] = await Promise.all([page.waitForEvent('download'), button('Save the file').click()]);
    const path = join(folder, 'out.csv');
    await download.saveAs(path);
    const [header, ...rows] = readFileSync(path, 'utf8')
      .trim()
      .split('\r\n')
      .map((line) => line.split(','));
    expect(rows).toHaveLength(3);
    const hives = header!.indexOf('hives');
    for (const r of rows.slice(0, 2)) r[hives] = '77';
    await w.sql.query(`update bookings set hives = 55 where reference = 'B-0000012'`);
    await page.keyboard.press('Escape');
    await button('Values from a file').click();
    await page
      .getByLabel('File of values')
      .setInputFiles(fileOf('back.csv', [header!, ...rows].map((r) => r.join(',')).join('\r\n')));
    await page.getByText('1 → 1 record').waitFor();
    await button('1 not edited').waitFor();
    await button('1 edited by others since').click();
    await page.getByText(/is “55” now, the file says “77”/).waitFor();
    await button('Preview 1').click();
    await button('Run all 1').click();
    await page.getByText('Finished').first().waitFor();
    const now = await w.sql.query(
      `select hives from bookings where reference in ('B-0000011', 'B-0000012') order by reference`,
    );
    expect(now.rows).toEqual([{ hives: 77 }, { hives: 55 }]);
  });

  it('a new record by a form, with what is kept under a name; undone in one click', async () => {
    await page.goto(`${w.base}/records/tasks`);
    await button('New').click();
    await page.getByText('Still needed: subject').waitFor();
    expect(await button('Make it').isDisabled()).toBe(true);
    await page.getByLabel('Value for Subject').fill('Count the frames');
    await button('Keep these values…').click();
    await page.getByLabel('Name to keep these values under').fill('frames');
    await page.keyboard.press('Enter');
    await button(/^Values kept under a name/).waitFor();
    // A task belongs to exactly one record.
    await button('Make it').click();
    await page.getByText('A task belongs to exactly one record.').waitFor();
    await pick(/^Value for Grower/, 'Church Acre');
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Make it').click();
    await page.getByText('It is made.').waitFor();
    const made = await w.sql.query(`select state from tasks where subject = 'Count the frames'`);
    expect(made.rows).toEqual([{ state: 'open' }]);
    await button('Undo').click();
    await button('Make it').waitFor();
    expect((await w.sql.query(`select from tasks where subject = 'Count the frames'`)).rowCount).toBe(0);
  });

  it('adds entries of a table of links', async () => {
    await page.goto(`${w.base}/records/growers`);
    await button('Change these records').click();
    await search().waitFor();
    await page.keyboard.type('certificates');
    await page.keyboard.press('Enter');
    await pick(/^Value for Grower certificates/, 'Wild margins');
    await page.getByText('add “Wild margins” to grower certificates').waitFor();
    await button(/^Preview [\d,]+$/).click();
    await page.getByText('Make grower certificates, one for each of the growers').waitFor();
  });

  it('rows that fit none go into the job as well, as new records of a part of their own', async () => {
    const { rows: known } = await w.sql.query<{ email: string; grower: number }>(
      'select email, grower from contacts where email is not null order by id limit 1',
    );
    await page.goto(`${w.base}/records/contacts`);
    await button('Values from a file').click();
    const { email, grower } = known[0]!;
    const text = `email,name,grower\n${email},Fern Aldous,${grower}\nfern.new@example.test,Fern Newcomb,${grower}\n`;
    await page.getByLabel('File of values').setInputFiles(fileOf('people.csv', text));
    await page.getByLabel('Rows that fit none of the contacts').selectOption('create');
    await button('1 new').waitFor();
    await button('Put into the job…').click();
    const made = page.getByRole('group', { name: 'And then' });
    await made.getByText('And then make contacts of the rows of the file that fit none').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    // As it is after the page was left and opened again, too.
    await page.reload();
    await made.getByText('And then make contacts of the rows').waitFor();
    await button(/^Preview/).click();
    await page.waitForURL('**/previews/*');
    await page
      .getByText(/\d will be created/)
      .first()
      .waitFor();
    await page.goto(`${w.base}/records/contacts`);
    await made.getByRole('button', { name: 'Without this part' }).click();
    await made.waitFor({ state: 'detached' });
  });
});
