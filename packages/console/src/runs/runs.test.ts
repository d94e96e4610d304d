import type { Page } from 'playwright-core';
import { onBookings, previewed, ran, done } from '../../../service/src/testing/jobs';
import type { Workspace } from '../../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, untilKept, type OpenConsole } from '../testing/browser';

describe('runs in the console', () => {
  let w: Workspace;
  let page: Page;
  let opened: OpenConsole;
  beforeAll(async () => {
    opened = await openConsole();
    ({ w, page } = opened);
    await w.sql.query(`create function no_tens() returns trigger language plpgsql as $$ begin
      if new.note like 'seen %' and new.id % 10 = 0 then raise exception 'No tens are wanted.'; end if; return new; end $$`);
    await w.sql.query('create trigger no_tens before update on bookings for each row execute function no_tens()');
  });
  afterAll(() => opened.close());

  const button = (name: string | RegExp) => page.getByRole('button', { name });
  const keys = (from: number, count: number): number[] => Array.from({ length: count }, (_, i) => from + i);
  const note = (from: number, count: number, text: string, safety = {}) =>
    onBookings(keys(from, count), [{ kind: 'set', field: 'note', value: text }], {
      safety: { pace: 100, batchSize: 10, ...safety },
    });
  const goTo = (path: string): Promise<unknown> => page.goto(`${w.base}${path}`);
  const status = (words: string | RegExp) => page.getByRole('status').filter({ hasText: words });

  it('a run that a limit stopped says which, with figures and causes, and goes on when told to', async () => {
    const p = await previewed(w.admin, note(1, 60, 'seen by all', { stopIf: { failures: 1 } }));
    const r = await ran(w.admin, p.id);
    await goTo(`/runs/${r.id}`);
    await status('20 not yet')
      .or(status(/\d+ not yet/))
      .first()
      .waitFor();
    const alert = page.getByRole('alert').filter({ hasText: 'A limit of this job was reached' });
    expect(await alert.textContent()).toContain('2 could not be changed, more than the 1 you allowed');
    const cause = page.getByRole('listitem').filter({ hasText: '2 records refused: No tens are wanted.' });
    await cause.getByText('A trigger of the database said so').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await cause.getByRole('button', { name: 'Show these 2' }).click();
    await page.getByText('Only: No tens are wanted.').waitFor();
    await page.getByRole('link', { name: 'B-0000020' }).waitFor();
    expect(await page.getByRole('link', { name: /^B-00000/ }).allTextContents()).toEqual(['B-0000010', 'B-0000020']);
    await button(/^Continue anyway with/).click();
    await status('54 records changed').waitFor();
    await page.getByRole('button', { name: 'What happened, in order' }).click();
    const events = page.getByRole('list').filter({ hasText: 'Started' });
    await events.getByText(/Told to go on/).waitFor();
    expect((await events.getByRole('listitem').allTextContents()).at(-1)).toContain('Finished');
    // The same edit, on those that were left for this reason, to which another is said.
    await page
      .getByRole('listitem')
      .filter({ hasText: 'No tens are wanted.' })
      .getByRole('button', { name: 'Mend by a further edit…' })
      .click();
    await page.waitForURL('**/records/bookings');
    await page
      .getByTestId('sentence')
      .filter({ hasText: /6 .*picked|picked.* 6/ })
      .waitFor();
    expect(await page.getByRole('gridcell', { name: /^B-00000/ }).allTextContents()).toHaveLength(6);
    await page.getByText('6 will change').waitFor();
  });

  it('the pace of a run is changed while it works', async () => {
    const p = await previewed(w.admin, note(101, 200, 'at a pace', { perSecond: 1 }));
    const { id } = await w.admin.startRun({ preview: p.id });
    await goTo(`/runs/${id}`);
    await button('Pace').click();
    await page.getByLabel('At most').fill('');
    await page.getByLabel('Batches at once').fill('3');
    await button('Go on so').click();
    await status('200 records changed').waitFor();
    expect(await w.admin.run(id)).toMatchObject({ perSecond: null, atOnce: 3 });
  });

  it('records that were picked in the preview are the first', async () => {
    const p = await previewed(w.admin, note(401, 30, 'picked first'));
    await goTo(`/previews/${p.id}`);
    for (const name of ['Pick B-0000403', 'Pick B-0000411']) await page.getByRole('checkbox', { name }).check();
    await button('Run these first, then ask me').click();
    await status(/first 2 done, 28 not yet/).waitFor();
    await page.getByRole('link', { name: 'B-0000411' }).waitFor();
    expect(await page.getByRole('link', { name: /^B-00004/ }).allTextContents()).toEqual(['B-0000403', 'B-0000411']);
    await button('Continue with 28').click();
    await status('30 records changed').waitFor();
  });

  it('a run is counted anew, and what it changed can be selected', async () => {
    const selection = { type: 'bookings', filter: 'id IN (501, 503)' };
    await w.admin.keepCounts({ name: 'notes of 501', selection, fields: ['note'] });
    const r = await done(w.admin, note(501, 20, 'to be counted'));
    await w.sql.query(`update bookings set note = 'by hand' where id in (503, 504)`);
    await goTo(`/runs/${r.id}`);
    await button('Recheck…').click();
    const sheet = page.getByRole('dialog');
    await sheet.getByText('20 changed = 18 stand as written + 2 changed since').waitFor();
    expect(await sheet.getByRole('row', { name: /by hand 0 0 2/ }).count()).toBe(1);
    await sheet.getByRole('row', { name: /B-0000503/ }).waitFor();
    await sheet.getByRole('heading', { name: /^Counts kept before: notes of 501/ }).waitFor();
    expect(await sheet.getByRole('row', { name: /by hand 0 1/ }).count()).toBe(1);
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.keyboard.press('Escape');
    await button('Select these records').click();
    await page.getByRole('gridcell', { name: 'B-0000501' }).waitFor();
    await page
      .getByRole('textbox', { name: 'Filter' })
      .getByText(`in_run('${r.id.slice(-8)}'`)
      .waitFor();
    expect(await page.getByRole('row', { name: /B-00005/ }).count()).toBe(20);
  });

  it('a count of a run that goes on meanwhile says that it is not all', async () => {
    const p = await previewed(w.admin, note(531, 25, 'counted too early', { askAfter: 5 }));
    const { id } = await w.admin.startRun({ preview: p.id });
    await goTo(`/runs/${id}`);
    await status(/first 5 done/).waitFor();
    await button('Recheck…').click();
    const sheet = page.getByRole('dialog');
    await sheet.getByText('5 changed = 5 stand as written').waitFor();
    expect(await sheet.getByText('more are changed by now').count()).toBe(0);
    await w.admin.continueRun(id);
    await sheet.getByText('20 more are changed by now. Count again.').waitFor();
    await sheet.getByRole('button', { name: 'Count again' }).click();
    await sheet.getByText('25 changed = 25 stand as written').waitFor();
    expect(await sheet.getByText('more are changed by now').count()).toBe(0);
    await page.keyboard.press('Escape');
  });

  it('a part of a run is undone: picked records, then those that a filter finds', async () => {
    const before = (await w.sql.query('select note from bookings where id between 601 and 610 order by id')).rows;
    const r = await done(w.admin, note(601, 9, 'to be undone'));
    await goTo(`/runs/${r.id}`);
    await page.getByRole('checkbox', { name: 'Pick B-0000602' }).check();
    await button('Undo it…').click();
    const sheet = page.getByRole('dialog');
    expect(await sheet.getByLabel('Only the 1 record picked').isChecked()).toBe(true);
    expect(await accessibilityTroubles(page)).toEqual([]);
    await sheet.getByRole('button', { name: 'Preview the undo' }).click();
    await button('Undo all 1').click();
    await status('1 record restored').waitFor();

    await goTo(`/runs/${r.id}`);
    await button('Undo…').click();
    await sheet.getByLabel('Only those where').check();
    await sheet.getByRole('textbox', { name: 'Only those where' }).fill('idd > 605');
    await sheet.getByRole('button', { name: 'Preview the undo' }).click();
    await sheet.getByText(/no field.*idd/i).waitFor();
    await sheet.getByRole('textbox', { name: 'Only those where' }).fill('id > 605');
    await sheet.getByRole('button', { name: 'Preview the undo' }).click();
    await page.getByText('(only where id > 605)').waitFor();
    await button('Undo all 4').click();
    await status('4 records restored').waitFor();
    const after = (await w.sql.query('select id, note from bookings where id between 601 and 610 order by id')).rows;
    expect(after.map((b) => (b.note === 'to be undone' ? 'undone' : b.note === before[b.id - 601]!.note))).toEqual(
      [601, 602, 603, 604, 605, 606, 607, 608, 609, 610].map((id) =>
        [601, 603, 604, 605].includes(id) ? 'undone' : true,
      ),
    );
  });

  it('changes are searched by type, field and value', async () => {
    const r = await done(w.admin, note(701, 3, 'found again'));
    await goTo('/runs');
    await button('Search changes').click();
    await page.getByLabel('Type').selectOption('bookings');
    await page.getByLabel('Field').selectOption('note');
    await page.getByLabel('To', { exact: true }).fill('found again');
    await page.getByRole('link', { name: 'B-0000702' }).waitFor();
    expect(await page.getByRole('link', { name: /set note to “found again”/ }).getAttribute('href')).toBe(
      `/runs/${r.id}`,
    );
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.getByLabel('To', { exact: true }).fill('nothing of the kind');
    await page.getByText('No run fits.').waitFor();
    await page.getByLabel('Since').fill('whenever');
    await page.getByText(/says no moment/).waitFor();
    await button('Show all runs').click();
    await page.getByRole('link', { name: /set note to “found again”/ }).waitFor();
  });

  it('a job says hours, goes and limits in its panel', async () => {
    await goTo('/records/bookings');
    await page.getByRole('gridcell').first().waitFor();
    await button('Change these records').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
    await page.keyboard.press('Escape');
    await button('More…').click();
    await page.getByLabel('At most').nth(1).fill('500');
    await page.getByLabel('Next go by itself after').fill('10');
    await button('Only at certain hours…').click();
    await page.getByLabel('Sunday').uncheck();
    const limits = page.getByRole('group', { name: 'Pause and ask if, while it works' });
    await limits.getByLabel('More than').first().fill('7');
    await limits.getByLabel('A small write takes').fill('3');
    await page.getByLabel('Another run is on these records').check();
    expect(await accessibilityTroubles(page)).toEqual([]);
    for (const part of [
      '"perGo":500',
      '"goEvery":10',
      '"days":[1,2,3,4,5,6]',
      '"failures":7',
      '"slowdown":3',
      '"alone":true',
    ])
      await untilKept(w, part);
  });
});
