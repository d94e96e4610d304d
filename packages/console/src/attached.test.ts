import type { Page } from 'playwright-core';
import { Client as Postgres } from 'pg';
import { serverUrl, testPassword, type Workspace } from '../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, type OpenConsole } from './testing/browser';

const role = `clerk_${process.pid}`;
const schema = () => `create role ${role} login password '${testPassword()}'; grant create on schema public to ${role};
  create table prefs (id integer primary key, name text, data jsonb not null);
  insert into prefs values (1, 'First', '{"size": 1.50, "columns": ["name", {"owner": true}], "none": []}');
  create table wages (id integer primary key, name text);
  create table people (id integer primary key, name text, salary integer, phone text);
  insert into people values (1, 'Ines', 1, '0');
  grant select, update on prefs to ${role}; grant select (id, name, phone) on people to ${role};
  do $$ begin execute format('grant create, temporary on database %I to ${role}', current_database()); end $$`;

describe('the console of a database that may be read in part', () => {
  let opened: OpenConsole;
  let w: Workspace;
  let page: Page;
  beforeAll(async () => {
    opened = await openConsole({ template: 'template1', role, before: (sql) => sql.query(schema()) });
    ({ w, page } = opened);
  });
  afterAll(async () => {
    await opened.close();
    const server = new Postgres({ connectionString: serverUrl('postgres') });
    await server.connect();
    await server.query(`drop role ${role}`);
    await server.end();
  });

  it('lists a type that cannot be read with the reason, and does not open it', async () => {
    await page.goto(`${w.base}/records/people`);
    await page.getByRole('button', { name: /Type of record/ }).click();
    await page.getByRole('combobox', { name: /search/ }).fill('wages');
    const option = page.getByRole('option');
    await option.getByText('may not read it').waitFor();
    await expect(() => option.getAttribute('aria-disabled')).toBecome('true');
    await page.keyboard.press('Enter');
    expect(page.url()).toMatch(/people$/);
    await page.keyboard.press('Escape');
  });

  it('names the fields that cannot be read where columns are chosen', async () => {
    await page.getByRole('button', { name: 'Columns' }).click();
    await page.getByText(/Not to be had, since the account .* may not read them: Salary\./).waitFor();
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.keyboard.press('Escape');
  });

  it('shows JSON in lines, and sets it to another', async () => {
    await page.goto(`${w.base}/records/prefs/1`);
    const lines = await page.locator('pre').innerText();
    expect(lines).toBe(
      '{\n  "none": [],\n  "size": 1.50,\n  "columns": [\n    "name",\n    {\n      "owner": true\n    }\n  ]\n}',
    );
    await page.goto(`${w.base}/records/prefs`);
    await page.getByRole('button', { name: 'Change these records' }).click();
    await page.getByRole('combobox', { name: /search/ }).fill('data');
    await page.keyboard.press('Enter');
    await page.getByLabel('Value for Data').fill('{"size": ');
    await page.getByText(/is JSON, such as/).waitFor();
    await page.getByLabel('Value for Data').fill('{"size": 2.0}');
    await page.getByRole('button', { name: 'Preview 1' }).click();
    await page.getByText('{"size": 2.0}').first().waitFor();
    expect(opened.errors).toEqual([]);
  });
});
