import type { Page } from 'playwright-core';
import type { Workspace } from '../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, until, type OpenConsole } from './testing/browser';

describe('whole records in the console', () => {
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
  const filtered = async (type: string, filter: string): Promise<void> => {
    // As in a new window: with a job of its own.
    await page.evaluate(() => sessionStorage.clear());
    await page.goto(`${w.base}/records/${type}`);
    await page.getByRole('radio', { name: 'Text' }).click();
    await page.locator('[aria-label="Filter"]').click();
    await page.keyboard.press('Control+A');
    await page.keyboard.type(filter);
    await page.keyboard.press('Escape');
    await page.keyboard.press('Control+Enter');
    await page.getByRole('heading', { name: 'Change' }).waitFor();
    // Where the panel is unfolded a field is looked for.
    if (await search().isVisible()) await page.keyboard.press('Escape');
    await search().waitFor({ state: 'detached' });
  };
  const count = async (from: string): Promise<number> => {
    const { rows } = await w.sql.query(`select count(*)::int as n from ${from}`);
    return (rows[0] as { n: number }).n;
  };
  const over = async (): Promise<void> => {
    await page.getByText('Finished').first().waitFor();
  };

  it('makes a task for each owner of the bookings found', async () => {
    const before = await count('tasks');
    await filtered('bookings', "valley = 'north' AND status = 'draft' AND id < 2000");
    await button('Also create…').click();
    await pick('Tasks');
    await page.getByText('Subject of new tasks is required').waitFor();
    await page.getByLabel('one for').selectOption({ label: 'each owner of them' });
    await page.getByLabel('the first of the bookings in its').selectOption({ label: 'Booking' });
    await page.getByLabel('Value for Subject').fill('Call about drafts, {name}');
    await page.getByText('6 will change').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Preview 6').click();
    await page.getByText('Make tasks, one for each of the staff').waitFor();
    await page.getByText('tasks, one for each of staff').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Run all 6').click();
    await over();
    expect(await count('tasks')).toBe(before + 6);
  });

  it('does two parts in one job: bookings follow their growers', async () => {
    await filtered('growers', "owner = 'Tobias Fenwick' AND valley = 'north'");
    await button('Choose a field').click();
    await pick('Owner');
    await button(/^Value for Owner/).click();
    await pick('Ines Calloway');
    await button('And then on…').click();
    await pick('the bookings whose grower is one of those growers');
    await button('Field to change').click();
    await page.keyboard.type('owner compute');
    await page.keyboard.press('Enter');
    const formula = page.getByLabel('Formula for Owner');
    await formula.click();
    await page.keyboard.type('planned(grower.owner)');
    await page.getByText(/then on the bookings whose grower is among/).waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Preview').click();
    await page.getByRole('table', { name: 'Parts of the job' }).getByText('2. Change bookings').waitFor();
    await page.getByText('Owner of bookings: how many each has').waitFor();
    await page.goBack();
    // What was composed is still there.
    await page.getByText(/then on the bookings whose grower is among/).waitFor();
  });

  it('deletes with what goes with it once the number is typed, and brings all of it back', async () => {
    const [bookings, remarks] = [await count('bookings'), await count('remarks')];
    await filtered('bookings', 'id <= 60');
    await button('Delete them').click();
    await page.getByText('will be deleted').waitFor();
    await button('Rather keep them: set status to Cancelled').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button(/^Preview/).click();
    await page.getByText(/Remarks: \d+ will be deleted/).waitFor();
    await page.getByText('Inspections still point at it (booking).').waitFor();
    const all = button(/^Run all/);
    const n = Number(/\d+/.exec((await all.textContent())!)![0]);
    await all.click();
    await page.getByRole('dialog').getByText(`${n} records will be deleted`).waitFor();
    await page
      .getByRole('dialog')
      .getByText(/With them go/)
      .waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.getByLabel(/to start/).fill('999');
    expect(await button('Start').isDisabled()).toBe(true);
    await page.getByLabel(/to start/).fill(String(n));
    await button('Start').click();
    await over();
    expect(await count('bookings')).toBe(bookings - n);
    await button(/^Undo/).click();
    await button('Preview the undo').click();
    await button(/^Undo all/).click();
    await over();
    expect([await count('bookings'), await count('remarks')]).toEqual([bookings, remarks]);
  });

  it('hands over from a person, and shows what is left beside what there was', async () => {
    await page.goto(`${w.base}/handover`);
    await button(/^From whom/).click();
    await pick('Tobias Fenwick');
    const line = (what: string) => page.getByRole('row', { name: new RegExp(what) });
    await line('Growers by owner').waitFor();
    expect(await page.getByRole('checkbox', { name: 'Hand over Remarks: author' }).isChecked()).toBe(false);
    for (const what of ['Hives', 'Contacts', 'Tasks', 'Invoices'])
      await page.getByRole('checkbox', { name: `Hand over ${what}: owner` }).uncheck();
    await page.getByLabel('To whom Bookings: owner').selectOption({ label: 'whom their grower gets' });
    await page.getByText('Say to whom.').waitFor();
    await button(/^To whom/).click();
    await pick('Ines Calloway');
    await button('Another person').click();
    await button(/^To whom, number 2/).click();
    await pick('Verity Rushwater');
    await page.getByRole('radio', { name: 'by weights' }).check();
    await page.getByLabel('Weight of number 1').fill('2');
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button(/^Preview/).click();
    await page.getByRole('table', { name: 'Parts of the job' }).getByText('1. Change growers').waitFor();
    await button(/^Run all/).click();
    await over();
    await page.goto(`${w.base}/handover/staff/2`);
    await page
      .getByText(/closed, not asked for/)
      .first()
      .waitFor();
    await page.getByRole('columnheader', { name: 'Open before' }).waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
  });

  it('changes one record on its page, says what is not allowed, and takes it back', async () => {
    await page.goto(`${w.base}/records/bookings/9`);
    await button('Edit Hives').click();
    await page.getByLabel('Value for Hives').fill('0');
    await button('Change 1 field now').click();
    await page.getByText(/Not allowed:/).waitFor();
    await page.getByLabel('Value for Hives').fill('44');
    await button('Change 1 field now').click();
    await page.getByText('Changed.').waitFor();
    const [{ rows: changed }] = await Promise.all([w.sql.query('select hives from bookings where id = 9')]);
    expect(changed).toEqual([{ hives: 44 }]);
    expect(await accessibilityTroubles(page)).toEqual([]);
    await button('Undo').click();
    await page.getByText('Restored.').waitFor();
    const { rows } = await w.sql.query('select hives from bookings where id = 9');
    expect(rows).toEqual([{ hives: 120 }]);
    await button('All like this one…').click();
    await page
      .getByRole('list', { name: 'All with the same' })
      .getByRole('button', { name: /^Status/ })
      .click();
    await page
      .getByTestId('sentence')
      .getByText(/where status is/)
      .waitFor();
    await page.goto(`${w.base}/records/growers/1`);
    await button(/^only its open bookings/).click();
    await page
      .getByText(/status IN \('draft', 'confirmed', 'placed'\)/)
      .first()
      .waitFor();
  });
});
