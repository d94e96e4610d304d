import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium, type BrowserContext, type Page } from 'playwright-core';
import { openWorkspace, type Workspace } from '../../../service/src/testing/workspace';

/** What a page comes to it has come to within so long, in ms, however busy the machine is. */
const patience = 60_000;

/** Debian's Chromium, headless, with nothing that reaches for the network. */
export async function openBrowser(): Promise<{ context: BrowserContext; close: () => Promise<void> }> {
  const profile = mkdtempSync(join(tmpdir(), 'tantamos-browser-'));
  const context = await chromium.launchPersistentContext(profile, {
    executablePath: process.env.TANTAMOS_CHROMIUM ?? '/usr/bin/chromium',
    headless: true,
    viewport: { width: 1280, height: 800 },
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
  return {
    context,
    close: async () => {
      await context.close();
      rmSync(profile, { recursive: true, force: true });
    },
  };
}

export async function signIn(page: Page, base: string, login = 'sorrel', password = 'meadow-admin'): Promise<void> {
  await page.goto(base);
  await page.getByLabel('Login').fill(login);
  await page.getByLabel('Password').fill(password);
  await page.getByRole('button', { name: 'Sign in' }).click();
  await page.getByRole('navigation', { name: 'Pages' }).waitFor();
}

/** The console of a workspace of its own, open in a browser and signed in to as its administrator. */
export interface OpenConsole {
  readonly w: Workspace;
  readonly page: Page;
  /** What scripts of the page have thrown. */
  readonly errors: readonly string[];
  close(): Promise<void>;
}

export async function openConsole(options: Parameters<typeof openWorkspace>[0] = {}): Promise<OpenConsole> {
  const w = await openWorkspace({ ...options, consoleFolder });
  const browser = await openBrowser();
  const page = await browser.context.newPage();
  page.setDefaultTimeout(patience);
  const errors: string[] = [];
  page.on('pageerror', (error) => errors.push(error.message));
  await signIn(page, w.base);
  return {
    w,
    page,
    errors,
    async close() {
      await browser.close();
      await w.close();
    },
  };
}

/** Waits until it is so, looking again and again; fails when it does not come to be. */
export async function until(isSo: () => Promise<boolean>, what: string): Promise<void> {
  for (const end = Date.now() + patience; !(await isSo());) {
    if (Date.now() > end) throw new Error(`It did not come to be: ${what}`);
    await new Promise((resolve) => setTimeout(resolve, 40));
  }
}

declare global {
  // eslint-disable-next-line @typescript-eslint/no-namespace -- how Jest's own types are added to
  namespace jest {
    interface Matchers<R> {
      /** What a page says, asked again and again until it is this: a page that is busy says it a moment later. */
      toBecome(expected: unknown): Promise<R>;
    }
  }
}

expect.extend({
  async toBecome(ask: () => Promise<unknown>, expected: unknown) {
    const isSo = async () => {
      const said = await ask();
      return { said, pass: this.equals(said, expected) };
    };
    let last = await isSo();
    for (const end = Date.now() + patience; !last.pass && Date.now() < end; last = await isSo()) {
      await new Promise((resolve) => setTimeout(resolve, 40));
    }
    const message = () =>
      `It did not become ${this.utils.printExpected(expected)}: ${this.utils.printReceived(last.said)}`;
    return { pass: last.pass, message };
  },
});

/** Waits until the service has kept an unfinished job that holds this text. */
export function untilKept({ sql }: Workspace, text: string): Promise<void> {
  const isKept = async (): Promise<boolean> => {
    const { rows } = await sql.query<{ job: object }>('select job from tantamos.draft');
    return JSON.stringify(rows).includes(text);
  };
  return until(isKept, `an unfinished job with ${text} is kept`);
}

interface Violation {
  readonly id: string;
  readonly nodes: readonly { readonly html: string }[];
}

/** What axe-core finds wrong on the page as it stands (WCAG 2.1 A and AA). */
export async function accessibilityTroubles(page: Page): Promise<string[]> {
  // The page's own policy forbids added scripts; evaluated in the page it is not an added script.
  await page.evaluate(readFileSync(require.resolve('axe-core/axe.min.js'), 'utf8'));
  const found = await page.evaluate(async () => {
    const axe = (globalThis as unknown as { axe: { run: (options: object) => Promise<{ violations: Violation[] }> } })
      .axe;
    return (await axe.run({ runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'] })).violations;
  });
  return found.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`);
}

export const consoleFolder = join(__dirname, '../../dist');
if (!existsSync(consoleFolder)) throw new Error('The console is not built; npm test builds it.');
