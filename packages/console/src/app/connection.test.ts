import type { ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import type { Page } from 'playwright-core';
import { Client } from '../../../client/src';
import { demoAccounts } from '../../../service/src/accounts/demo-accounts';
import { onBookings, previewed } from '../../../service/src/testing/jobs';
import { startService } from '../../../service/src/testing/program';
import { openWorkspace, tokenOf, type Workspace } from '../../../service/src/testing/workspace';
import { accessibilityTroubles, openBrowser, signIn } from '../testing/browser';

describe('a service that stops answering', () => {
  let w: Workspace;
  let child: ChildProcess;
  let base: string;
  let page: Page;
  let closeBrowser: () => Promise<void>;
  beforeAll(async () => {
    w = await openWorkspace();
    await w.services.engine.close();
    ({ child, base } = await startService(w.url));
    const browser = await openBrowser();
    closeBrowser = browser.close;
    page = await browser.context.newPage();
    page.setDefaultTimeout(60_000);
    await signIn(page, base);
  });
  afterAll(async () => {
    child.kill('SIGKILL');
    await closeBrowser();
    await w.close();
  });

  const banner = () => page.getByRole('alert').filter({ hasText: 'The service does not answer.' });
  const isGrey = () => page.locator(':root[data-lost]').count();

  it('the page says so with the time of the last answer, greys its figures, and returns by itself', async () => {
    const client = new Client({ base, token: await tokenOf(base, demoAccounts[0].login, demoAccounts[0].password) });
    const keys = Array.from({ length: 400 }, (_, i) => i + 1);
    const p = await previewed(
      client,
      onBookings(keys, [{ kind: 'set', field: 'note', value: 'slowly' }], {
        safety: { batchSize: 10, pace: 100, perSecond: 2 },
      }),
    );
    const { id } = await client.startRun({ preview: p.id, askAfter: null, expect: 400 });
    await page.goto(`${base}/runs/${id}`);
    await page
      .getByRole('link', { name: /^B-0000/ })
      .first()
      .waitFor();

    // Frozen: its connections stay open, and nothing comes.
    child.kill('SIGSTOP');
    await banner().waitFor();
    expect(await banner().innerText()).toMatch(/The last answer came at \d\d?:\d\d:\d\d.*; what you see is from then/);
    expect(await isGrey()).toBe(1);
    expect(await accessibilityTroubles(page)).toEqual([]);
    child.kill('SIGCONT');
    await banner().waitFor({ state: 'detached' });
    expect(await isGrey()).toBe(0);

    // Dead, and started again: nobody reloads the page.
    const gone = once(child, 'exit');
    child.kill('SIGKILL');
    await gone;
    await banner().waitFor();
    await page.getByRole('button', { name: 'Try now' }).click();
    ({ child } = await startService(w.url, new URL(base).port));
    await banner().waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Stop', exact: true }).click();
    await page
      .getByRole('status')
      .filter({ hasText: /stopped by Sorrel Haldane/ })
      .waitFor();
    await page
      .getByRole('link', { name: /^B-0000/ })
      .first()
      .waitFor();
    expect(await page.getByText(/could not be read|does not answer/).count()).toBe(0);
  });
});
