import type { Page } from 'playwright-core';
import { previewed, ran } from '../../../service/src/testing/jobs';
import type { Workspace } from '../../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, type OpenConsole } from '../testing/browser';

describe('the start page', () => {
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
  const part = (title: string) => page.locator('section', { has: page.getByRole('heading', { name: title }) });

  it('tells a new person what to try first, on the types that are there', async () => {
    await page.goto(w.base);
    await page.waitForURL('**/start');
    await page.getByRole('link', { name: 'Look at inspections' }).waitFor();
    await page.getByRole('link', { name: 'Say what must hold' }).waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
  });

  it('shows what waits, what ran, jobs and rules with their counts', async () => {
    const job = {
      selection: { type: 'bookings', filter: 'id < 30' },
      edits: [{ kind: 'set' as const, field: 'note', value: 'start' }],
      safety: { pace: 100 },
    };
    const asked = await previewed(w.admin, job);
    await ran(w.admin, asked.id, { askAfter: 5 });
    await ran(w.admin, (await previewed(w.admin, { ...job, selection: { type: 'bookings', keys: ['31'] } })).id);
    await previewed(w.admin, { ...job, selection: { type: 'bookings', keys: ['32'] } });
    await w.admin.saveJob({ name: 'spring notes', job });
    await w.admin.saveRule({
      name: 'active growers grow',
      type: 'growers',
      message: 'An active grower is no reseller.',
      where: "status = 'active'",
      holds: "kind <> 'reseller'",
      isOn: true,
    });
    await w.admin.countRule('active growers grow');
    await page.reload();
    const waits = part('Waits for you');
    await waits.getByText('Waiting for you').waitFor();
    await waits.getByText('Preview: 1 record will change').waitFor();
    await part('Ran lately').getByText('1 changed of 1 matched.').waitFor();
    await part('Rules').getByText('Growers: 271 break it').waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await part('Jobs').getByRole('link', { name: 'spring notes' }).click();
    await page.getByRole('dialog', { name: 'Use “spring notes”' }).getByRole('button', { name: 'Preview' }).waitFor();
  });
});
