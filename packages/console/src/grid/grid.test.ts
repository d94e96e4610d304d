import type { Page } from 'playwright-core';
import type { Workspace } from '../../../service/src/testing/workspace';
import { accessibilityTroubles, openBrowser, openConsole, signIn, until, type OpenConsole } from '../testing/browser';

describe('editing in the grid', () => {
  let w: Workspace;
  let page: Page;
  let opened: OpenConsole;
  beforeAll(async () => {
    opened = await openConsole();
    ({ w, page } = opened);
    await page.context().grantPermissions(['clipboard-read', 'clipboard-write'], { origin: w.base });
  });
  afterAll(async () => {
    await opened.close();
    expect(opened.errors).toEqual([]);
  });

  const button = (name: string | RegExp, of = page) =>
    of.getByRole('button', { name, exact: typeof name === 'string' });
  const bar = (of = page) => of.getByRole('region', { name: 'Edited cells' });
  const press = async (...keys: string[]): Promise<void> => {
    for (const key of keys) await page.keyboard.press(key);
  };
  const columnOf = async (label: string, of = page): Promise<number> => {
    const heads = (await of.locator('th').allInnerTexts()).map((h) => h.trim());
    return heads.indexOf(label) - heads.indexOf('Id');
  };
  /** The cell of a column in the row of a record, by places. */
  const cell = async (row: number, label: string, of = page) =>
    of.locator(`[data-cell="${row}:${await columnOf(label, of)}"]`);
  /** What was withdrawn before is kept so a moment later. */
  const nothingPending = (): Promise<void> =>
    until(
      async () => (await w.sql.query(`select from tantamos.draft where job -> 'cells' <> '{}'`)).rowCount === 0,
      'no cell is pending',
    );
  const goTo = async (type: string): Promise<void> => {
    await nothingPending();
    await page.goto(`${w.base}/records/${type}`);
    await page.locator('[data-cell="0:0"]').waitFor();
  };
  /** To a cell by the keyboard alone, from the first one. */
  const walkTo = async (row: number, label: string): Promise<void> => {
    await page.locator('[data-cell="0:0"]').focus();
    await press(
      'Home',
      ...Array<string>(row).fill('ArrowDown'),
      ...Array<string>(await columnOf(label)).fill('ArrowRight'),
    );
    await page.locator(`[data-cell="${row}:${await columnOf(label)}"]:focus`).waitFor();
  };
  const stored = async (column: string, ids: string): Promise<unknown[]> => {
    const { rows } = await w.sql.query<{ v: unknown }>(
      `select ${column} as v from growers where id in (${ids}) order by id`,
    );
    return rows.map((r) => r.v);
  };
  const clipboard = async (text: string): Promise<void> => {
    await page.evaluate((t) => navigator.clipboard.writeText(t), text);
  };

  it('edits cells by the keyboard alone, gathers them, writes them at once and takes them back', async () => {
    await goTo('growers');
    const before = await stored('region', '1, 2');
    await walkTo(0, 'Region');
    await page.keyboard.type('Far');
    await press('Enter');
    // Enter goes on downwards; a cell that is left by Escape stays as it was.
    await page.locator(`[data-cell="1:${await columnOf('Region')}"]:focus`).waitFor();
    await press('F2');
    await page.getByLabel('Value for Region').fill('nothing');
    await press('Escape');
    await page.locator(`[data-cell="1:${await columnOf('Region')}"]:focus`).waitFor();
    await press('Enter');
    await page.getByLabel('Value for Region').fill('Near');
    await press('Tab');
    await bar().getByText('2 cells in 2 records edited').waitFor();
    expect(await (await cell(0, 'Region')).innerText()).toContain('Far');
    expect(await accessibilityTroubles(page)).toEqual([]);
    expect(await stored('region', '1, 2')).toEqual(before);
    await button('Change 2 now').click();
    await bar().getByText('2 records changed.').waitFor();
    expect(await stored('region', '1, 2')).toEqual(['Far', 'Near']);
    await until(async () => (await (await cell(0, 'Region')).innerText()).trim() === 'Far', 'the grid shows it');
    await bar().getByRole('button', { name: 'Undo' }).click();
    await bar().getByText('Restored.').waitFor();
    expect(await stored('region', '1, 2')).toEqual(before);
  });

  it('says beneath the cell what does not fit, and why a cell cannot be edited', async () => {
    await goTo('growers');
    await walkTo(0, 'Priority');
    await page.keyboard.type('much');
    await press('Enter');
    await page
      .getByRole('alert')
      .getByText(/number/)
      .waitFor();
    await page.getByLabel('Value for Priority').fill('4');
    await press('Enter');
    await bar().getByText('1 cell in 1 record edited').waitFor();
    // A key is edited by nobody; a required field is not left blank.
    await walkTo(0, 'Id');
    expect(await button('Edit').count()).toBe(0);
    await press('Enter');
    expect(await page.getByLabel('Value for Id').count()).toBe(0);
    await walkTo(0, 'Code');
    await press('Delete');
    await bar().getByText('1 cell not taken: Code is required, so it cannot be blank.').waitFor();
    await button('Withdraw it').click();
    await until(async () => (await bar().count()) === 0 || !(await bar().innerText()).includes('edited,'), 'withdrawn');
  });

  it('asks whether what is typed is for this one or for all that are picked', async () => {
    await goTo('growers');
    await walkTo(0, 'Region');
    await press('Space', 'ArrowDown', 'Space', 'ArrowDown', 'Space');
    await page.getByText('3 records picked').waitFor();
    await page.keyboard.type('Hills');
    await press('Enter');
    await button('This one').waitFor();
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('Enter');
    await bar().getByText('3 cells in 3 records edited').waitFor();
    // Each can be withdrawn.
    await button('Show them').click();
    await bar()
      .getByRole('button', { name: /^Withdraw Region of/ })
      .first()
      .click();
    await bar().getByText('2 cells in 2 records edited').waitFor();
    await press('Escape');
    // What was edited is there again when the page is opened anew.
    await page.reload();
    await bar().getByText('2 cells in 2 records edited').waitFor();
    await button('Withdraw all').click();
    await button('Clear').click();
  });

  it('takes a block from a spreadsheet, fills down, clears and gives a block out again', async () => {
    await goTo('growers');
    await walkTo(0, 'Region');
    const from = await columnOf('Region');
    expect(await columnOf('Organic')).toBe(from + 1);
    await clipboard('"North\tend"\tyes\tx\r\nSouth end\tno\r\n');
    await press('Control+v');
    await bar()
      .getByText(/cells? in 2 records edited/)
      .waitFor();
    expect(await (await cell(0, 'Region')).innerText()).toContain('North\tend'.replace('\t', ' '));
    await bar()
      .getByText(/1 cell not taken: .*Priority/)
      .waitFor();
    await press('ArrowDown', 'Shift+ArrowDown', 'Shift+ArrowDown', 'Control+d');
    await until(async () => (await (await cell(3, 'Region')).innerText()).includes('South end'), 'filled down');
    await press('Control+c');
    const text = () => page.evaluate(() => navigator.clipboard.readText());
    expect(await text()).toBe('South end\nSouth end\nSouth end');
    await press('ArrowDown', 'ArrowUp', 'Control+c');
    expect(await text()).toBe('South end');
    await press('Delete');
    await until(async () => (await (await cell(3, 'Region')).innerText()).includes('blank'), 'cleared');
    await button('Withdraw all').click();
  });

  it('keeps the block of who types faster than the page is drawn', async () => {
    await goTo('growers');
    await walkTo(0, 'Region');
    await page.evaluate(async () => {
      for (const [key, shiftKey] of [['ArrowDown'], ['ArrowDown', true], ['ArrowDown', true]] as const) {
        document.activeElement!.dispatchEvent(new KeyboardEvent('keydown', { key, shiftKey, bubbles: true }));
        // What React does it does before the next frame.
        for (let i = 0; i < 20; i++) await Promise.resolve();
      }
      await new Promise((resolve) => requestAnimationFrame(() => requestAnimationFrame(resolve)));
    });
    await page.locator(`[data-cell="3:${await columnOf('Region')}"]:focus`).waitFor();
    await press('Control+c');
    const { rows } = await w.sql.query<{ region: string }>(
      'select region from growers where id in (2, 3, 4) order by id',
    );
    expect(await page.evaluate(() => navigator.clipboard.readText())).toBe(rows.map((r) => r.region).join('\n'));
  });

  it('leaves what somebody else has changed meanwhile, marks it, and asks', async () => {
    await goTo('growers');
    await walkTo(4, 'Region');
    await page.keyboard.type('Mine');
    await press('Enter');
    await bar().getByText('1 cell in 1 record edited').waitFor();
    await w.sql.query(`update growers set region = 'Theirs' where id = 5`);
    await button('Change 1 now').click();
    await bar().getByText('Nothing was written: somebody else has changed a cell').waitFor();
    expect(await stored('region', '5')).toEqual(['Theirs']);
    expect(await accessibilityTroubles(page)).toEqual([]);
    // The mark comes by itself; nothing jumps.
    await (
      await cell(4, 'Region')
    )
      .getByRole('button', { name: /Changed by somebody else since: now Theirs/ })
      .waitFor({ timeout: 30_000 });
    await bar().getByRole('button', { name: 'Mine all the same' }).click();
    await button('Change 1 now').click();
    await bar().getByText('1 record changed.').waitFor();
    expect(await stored('region', '5')).toEqual(['Mine']);
  });

  it('what is edited while the rest is being written is neither lost nor taken for written', async () => {
    await goTo('growers');
    await walkTo(9, 'Region');
    await page.keyboard.type('First');
    await press('Enter');
    await page.route('**/api/runs', async (route) => {
      await new Promise((resolve) => setTimeout(resolve, 2000));
      await route.continue();
    });
    await button('Change 1 now').click();
    await walkTo(10, 'Region');
    await page.keyboard.type('Second');
    await press('Enter');
    await until(async () => (await stored('region', '10'))[0] === 'First', 'written');
    await bar().getByText('1 record changed.').waitFor();
    await page.unroute('**/api/runs');
    await bar().getByText('1 cell in 1 record edited').waitFor();
    expect(await (await cell(10, 'Region')).innerText()).toContain('Second');
    expect(await stored('region', '11')).not.toEqual(['Second']);
    await button('Withdraw it').click();
  });

  it('two people editing the same rows: neither overwrites the other unseen', async () => {
    await goTo('growers');
    const other = await openBrowser();
    const theirs = await other.context.newPage();
    await signIn(theirs, w.base, 'piers', 'meadow-editor');
    await theirs.goto(`${w.base}/records/growers`);
    await theirs.locator('[data-cell="6:0"]').waitFor();
    await (await cell(6, 'Region', theirs)).dblclick();
    await theirs.getByLabel('Value for Region').fill('Theirs');
    await theirs.keyboard.press('Enter');
    await (await cell(6, 'Region')).dblclick();
    await page.getByLabel('Value for Region').fill('Mine');
    await press('Enter');
    await button('Change 1 now').click();
    await bar().getByText('1 record changed.').waitFor();
    await button('Change 1 now', theirs).click();
    await bar(theirs).getByText('Nothing was written').waitFor();
    await bar(theirs).getByRole('button', { name: 'Leave theirs' }).click();
    await until(async () => !(await theirs.content()).includes('Change 1 now'), 'withdrawn');
    expect(await stored('region', '7')).toEqual(['Mine']);

    // Nor is it overwritten by a preview that they would only have to start.
    await theirs.reload();
    await theirs.locator('[data-cell="7:0"]').waitFor();
    await (await cell(7, 'Region', theirs)).dblclick();
    await theirs.getByLabel('Value for Region').fill('Theirs');
    await theirs.keyboard.press('Enter');
    await w.sql.query(`update growers set region = 'Meanwhile' where id = 8`);
    await button('Preview 1', theirs).click();
    await bar(theirs).getByText('Nothing was written').waitFor();
    expect(theirs.url()).toContain('/records/growers');
    await bar(theirs).getByRole('button', { name: 'Mine all the same' }).click();
    await button('Preview 1', theirs).click();
    await theirs.waitForURL('**/previews/*');
    await theirs.goto(`${w.base}/records/growers`);
    await button('Withdraw it', theirs).click();
    await nothingPending();
    await other.close();
  });

  it('says that somebody else holds a record, and writes it when it is free', async () => {
    await goTo('growers');
    const holder = await w.sql.connect();
    await holder.query('begin; update growers set region = region where id = 10');
    await walkTo(9, 'Region');
    await page.keyboard.type('Waited');
    await press('Enter');
    await button('Change 1 now').click();
    await bar().getByText('somebody else holds it just now').waitFor();
    await bar().getByText('1 cell in 1 record edited').waitFor();
    await holder.query('rollback');
    holder.release();
    await button('Change 1 now').click();
    await bar().getByText('1 record changed.').waitFor();
    expect(await stored('region', '10')).toEqual(['Waited']);
    await nothingPending();
  });

  it('edits several fields of those that are picked in one form, which asks for what a rule needs', async () => {
    await w.admin.setField('inspections', 'waiting_reason', { leftOut: true });
    await goTo('inspections');
    const { rows } = await w.sql.query<{ state: string }>(
      'select state from inspections where id in (1, 2) order by id',
    );
    expect(new Set(rows.map((r) => r.state)).size).toBe(2);
    for (const id of [1, 2])
      await page
        .getByRole('checkbox', { name: `Pick ${id}`, exact: false })
        .first()
        .check();
    await button('Edit fields…').click();
    const form = page.getByRole('dialog');
    await form.getByText('several values').first().waitFor();
    // Left out by a setting, until a rule asks for it.
    expect(await form.getByRole('button', { name: 'Edit Waiting reason' }).count()).toBe(0);
    await form.getByRole('button', { name: 'Edit State' }).click();
    await form.getByLabel('Value for State').selectOption('waiting');
    await form.getByText('An inspection that waits needs a reason. Say waiting reason too.').waitFor();
    await form.getByRole('button', { name: 'Edit Waiting reason' }).click();
    await form.getByLabel('Value for Waiting reason').fill('snow');
    expect(await accessibilityTroubles(page)).toEqual([]);
    await form.getByRole('button', { name: 'Change 2 now' }).click();
    await bar()
      .getByText(/[12] records? changed/)
      .waitFor();
    const now = await w.sql.query(
      `select from inspections where id in (1, 2) and state = 'waiting' and waiting_reason = 'snow'`,
    );
    expect(now.rowCount).toBe(2);
    await bar().getByRole('button', { name: 'Undo' }).click();
    await bar().getByText('Restored.').waitFor();
  });
});
