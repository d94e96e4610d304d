import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Page } from 'playwright-core';
import type { Workspace } from '../../service/src/testing/workspace';
import { openConsole, type OpenConsole } from './testing/browser';
import { counted } from './testing/counted';

/** The jobs of the guide whose values come from a file, each done as a person would, and counted. */
describe('jobs with a file of values, in the console', () => {
  let w: Workspace;
  let page: Page;
  let opened: OpenConsole;
  const folder = mkdtempSync(join(tmpdir(), 'file-jobs-'));
  beforeAll(async () => {
    opened = await openConsole();
    ({ w, page } = opened);
  });
  afterAll(async () => {
    rmSync(folder, { recursive: true });
    await opened.close();
    expect(opened.errors).toEqual([]);
  });
  const acts = counted(() => page);
  const { click, pick, choose, fill } = acts;
  /** From the page of a type to a file that has been read. */
  const begin = async (typeId: string, name: string, text: string): Promise<void> => {
    const path = join(folder, name);
    writeFileSync(path, text);
    await page.goto(`${w.base}/records/${typeId}`);
    await page.getByRole('gridcell').first().waitFor();
    acts.reset();
    await click('Values from a file');
    acts.also();
    await page.getByLabel('File of values').setInputFiles(path);
    await page.getByText('The first row names the columns').waitFor();
  };
  const run = async (count: string): Promise<void> => {
    await click(new RegExp(`^Preview ${count}$`));
    await page.waitForURL('**/previews/*');
    await click(/^Run all [\d,]+$/);
    await page.getByText('Finished').first().waitFor();
  };
  const rows = async <R>(statement: string): Promise<R[]> => (await w.sql.query(statement)).rows as R[];

  it('people who asked to be left alone', async () => {
    const people = await rows<{ email: string }>(
      `select email from contacts where email is not null and mail_preference is distinct from 'none' order by id limit 40`,
    );
    const lines = [
      ...people.map((p) => `${p.email.toUpperCase()};None`),
      'stranger@nowhere.example;None',
      `${people[0]!.email};None`,
    ];
    await begin('contacts', 'unsubscribed.csv', `E-mail;Preference\n${lines.join('\n')}\n`);
    await page.getByRole('button', { name: 'Field for Preference: Mail preference' }).waitFor();
    await choose('Rows that fit several', 'all');
    await choose('Rows that fit none of the contacts', 'skip');
    await page.getByText('1 fit no record').waitFor();
    await run('[\\d,]+');
    expect(acts.count()).toBeLessThanOrEqual(6);
    const left = await rows(
      `select from contacts where email = any(array['${people.map((p) => p.email).join("','")}']) and mail_preference is distinct from 'none'`,
    );
    expect(left).toEqual([]);
  });

  it('prices out of a supplier’s list, with what is added, and none below what is asked today', async () => {
    await begin('bookings', 'prices.csv', 'Crop;price per hive\nApple;60,00\nPlum;1,50\n');
    await click('Work something out of columns');
    await fill('Worked out of columns', 'MAX(price_per_hive, ROUND(file."price per hive" * 1.05, 2))');
    await pick('Field for what is worked out: Choose a field', 'Price per hive');
    await pick(/^Column to find by/, 'Crop');
    await choose('Rows that fit several', 'all');
    const before = await rows<{ id: number; price: string; crop: string }>(
      `select id, price_per_hive::text as price, crop from bookings where crop in ('apple', 'plum') and status = 'draft' order by id limit 50`,
    );
    await run('[\\d,]+');
    expect(acts.count()).toBeLessThanOrEqual(13);
    const after = new Map(
      (await rows<{ id: number; price: string }>('select id, price_per_hive::text as price from bookings')).map((r) => [
        r.id,
        r.price,
      ]),
    );
    for (const { id, price, crop } of before)
      expect(after.get(id)).toBe(crop === 'apple' && Number(price) < 63 ? '63.00' : price);
  });

  it('titles by code, new codes left out', async () => {
    const sites = await rows<{ code: string }>('select code from sites order by id limit 2');
    await begin(
      'sites',
      'titles.csv',
      `Code,Title\n${sites[0]!.code},North bank\n${sites[1]!.code},Old pears\nS-NEW-1,New one\n`,
    );
    await pick('Field for Title: not taken', 'Name');
    await choose('Rows that fit none of the sites', 'skip');
    await page.getByText('2 → 2 records').waitFor();
    await run('2');
    expect(acts.count()).toBeLessThanOrEqual(8);
    expect(
      await rows(`select name from sites where code in ('${sites[0]!.code}', '${sites[1]!.code}') order by id`),
    ).toEqual([{ name: 'North bank' }, { name: 'Old pears' }]);
  });

  it('a spreadsheet that turned dates round, brought back', async () => {
    const answer = await w.admin.files.exportRecords('bookings', {
      format: 'csv',
      filter: 'id < 40',
      columns: ['reference', 'start_on', 'note'],
      signed: true,
    });
    const text = (await answer.text()).replace(
      /(\d{4})-(\d\d)-(\d\d)/g,
      (_, y: string, m: string, d: string) => `${Number(d)}/${Number(m)}/${y}`,
    );
    const [header, first, ...others] = text.trim().split('\r\n');
    const at = header!.split(',').indexOf('note');
    const cells = first!.split(',');
    cells[at] = 'Gate code 71';
    await begin('bookings', 'back.csv', [header, cells.join(','), ...others].join('\r\n'));
    await page.getByText('1 → 1 record').waitFor();
    await run('1');
    expect(acts.count()).toBeLessThanOrEqual(4);
    expect(await rows(`select count(*)::int as n from bookings where note = 'Gate code 71'`)).toEqual([{ n: 1 }]);
  });
});
