// npm run screenshots [-- terminal|console]: docs/screenshots from fresh demo data, each checked before it is saved.
import { spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { install, needBuild, needChromium, needPackages, needPostgres, root } from './lib/packages.mjs';
import { runChild } from './lib/processes.mjs';
import { main, say, Trouble } from './lib/say.mjs';
import { withTemporaryCluster } from './lib/temporary-cluster.mjs';

const port = 7488;
const base = `http://127.0.0.1:${port}`;
const folder = join(root, 'docs/screenshots');
/** Printed, unseen, on a terminal when all commands have ended. */
const allSaid = 'all-has-been-said';
/** Words that each picture shows. */
const expected = {
  'command-line': [
    "did you mean 'Ines Calloway'?",
    '200 matched = 191 will change + 9 not allowed',
    'Waiting for you',
    'Finished: 191 records changed 200 matched = 191 changed + 9 not allowed',
  ],
  'command-line-selecting': ['221 found + 26 unknown', '22 entries fit several contacts', "status = 'draft' 1,200"],
  records: ['18,000', "status = 'draft' 1,200", 'ROUND(total, -3) > 2000 199'],
  selecting: ["valley = 'north' 3,600", '300 lines'],
  job: ["owner = 'Ines Calloway' 200", 'Draft→Confirmed', 'not allowed'],
  preview: ['200 matched = 191 will change + 9 not allowed', 'Run all 191'],
  'run-waiting': [
    'Waiting for you: first 5 done, 186 not yet.',
    '200 matched = 5 changed + 9 not allowed + 186 not yet',
  ],
  result: ['Finished: 191 records changed.', '200 matched = 191 changed + 9 not allowed'],
  runs: ['Show all runs', 'B-0000076'],
  formula: ["owner = 'Ines Calloway' 197", 'hives for Lavender, North valley'],
  rules: ['An active grower is no reseller.', 'A booking goes forward, never back.'],
  jobs: ['postpone what is open', 'owner is ‹leaver›'],
  start: ['Waits for you', 'Ran lately', '188 restored of 191 matched'],
  'whole-records': ["valley = 'north' 3,600", '24'],
  delete: ['60 matched = 34 will be deleted + 26 not allowed', 'Placements: 34 will be deleted'],
  handover: ['Everything that points at a person', 'Tobias Fenwick', 'not asked for'],
  files: ['3 → 3 records', 'edited by others since'],
  grid: ['Far Terrace Co-operative', 'instead of G-000003'],
  settings: ['What Wren Aldous may do', 'may not administer: no line allows it'],
};
const filter = "status = 'draft' AND valley = 'north' AND owner = 'Ines Calloway'";

await main(async () => {
  needPackages();
  needPostgres();
  const chromium = needChromium();
  needBuild();
  await withTemporaryCluster('pictures', { throwaway: true }, async (cluster, work) => {
    mkdirSync(folder, { recursive: true });
    // Each from fresh demo data: what one shows has changed what another would.
    const only = process.argv[2];
    if (only !== 'console') await onFreshData(cluster, 'terminal_pictures', async () => terminal(work));
    if (only !== 'terminal') await onFreshData(cluster, 'console_pictures', (sql) => pages(chromium, sql));
  });
});

/** Starts the service on a database of its own with the demo data, does `work(sql)` and stops it. */
async function onFreshData(cluster, database, work) {
  cluster.needDatabase(database);
  const env = { ...cluster.serviceEnvironment(database), TANTAMOS_PORT: String(port) };
  const program = join(root, 'packages/service/dist/main.js');
  const service = runChild(process.execPath, [program], env, ['ignore', 'ignore', 'inherit', 'ipc']);
  try {
    await answered();
    await work((text) => cluster.sql(database, text));
  } finally {
    service.child.kill('SIGTERM');
    await service.done;
  }
}

/** Throws where a picture does not show what it is of (see `expected`); nothing is saved then. */
function mustShow(name, text) {
  const plain = text.replace(/\s+/g, ' ');
  if (process.env.TANTAMOS_PICTURE_TEXTS) writeFileSync(join(process.env.TANTAMOS_PICTURE_TEXTS, name), plain);
  for (const words of expected[name] ?? [])
    if (!plain.includes(words)) throw new Trouble(`${name}.png does not show “${words}”, but: ${plain.slice(0, 2000)}`);
  const wrong = /Something went wrong|does not answer|NaN|undefined|\[object/.exec(plain);
  if (wrong) throw new Trouble(`${name}.png shows “${wrong[0]}”.`);
}

async function answered() {
  for (let i = 0; i < 120; i++) {
    if (
      await fetch(`${base}/api/health`).then(
        (r) => r.ok,
        () => false,
      )
    )
      return;
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
  throw new Trouble('The service did not start.');
}

async function pages(executablePath, sql) {
  const { chromium } = await import('playwright-core');
  const args = [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ];
  const browser = await chromium.launch({ executablePath, args });
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.setDefaultTimeout(15_000);
  const button = (name) => page.getByRole('button', { name });
  const shot = async (name) => {
    await page.waitForLoadState('networkidle');
    await page.mouse.move(640, 799);
    await page.waitForTimeout(400);
    mustShow(name, await shownText());
    await page.screenshot({ path: join(folder, `${name}.png`) });
    say(`${name}.png`);
  };
  /** Everything that the page says, with what stands in its inputs. */
  const shownText = () =>
    page.evaluate(() => {
      const inputs = [...document.querySelectorAll('input, textarea, select')];
      return [document.body.innerText, ...inputs.map((i) => i.selectedOptions?.[0]?.text ?? i.value)].join(' ');
    });
  const pictured = async () => ({ text: await shownText(), image: (await page.screenshot()).toString('base64') });
  /** A picture of two or three: one above the other. */
  const half = async () => {
    await page.waitForLoadState('networkidle');
    await page.mouse.move(640, 799);
    await page.waitForTimeout(400);
    return pictured();
  };
  /** The same of a page that goes on listening. */
  const now = async () => {
    await page.mouse.move(640, 799);
    await page.waitForTimeout(800);
    return pictured();
  };
  const pair = async (name, ...halves) => {
    const height = halves.length * 812 - 12;
    const sheet = await browser.newPage({ viewport: { width: 1280, height } });
    mustShow(name, halves.map((h) => h.text).join(' '));
    const images = halves.map((h) => `<img src="data:image/png;base64,${h.image}" style="display:block;width:1280px">`);
    await sheet.setContent(
      `<body style="margin:0;background:#6B7280">${images.join('<div style="height:12px"></div>')}`,
    );
    await sheet.screenshot({ path: join(folder, `${name}.png`) });
    await sheet.close();
    say(`${name}.png`);
  };
  const open = async (type) => {
    await page.goto(`${base}/records/${type}`);
    await page.getByRole('list', { name: 'Selection' }).filter({ hasNotText: '…' }).waitFor();
  };
  const find = async (text) => {
    await page.getByRole('radio', { name: 'Text' }).click();
    await page.getByRole('textbox', { name: 'Filter' }).fill(text);
    await button('Apply').click();
    await page.getByRole('list', { name: 'Selection' }).filter({ hasNotText: '…' }).waitFor();
  };
  const field = async (name) => {
    // A row just added has its list open; the first one may not.
    const search = page.getByRole('combobox', { name: /search/ });
    if ((await search.count()) === 0) await button('Field to change').last().click();
    await search.fill(name);
    await page.keyboard.press('Enter');
  };
  const action = async (of, words) => {
    await button(new RegExp(`^Action of ${of}`)).click();
    await page.getByRole('combobox', { name: /search/ }).fill(words);
    await page.keyboard.press('Enter');
  };
  await page.goto(base);
  await page.getByLabel('Login').fill('sorrel');
  await page.getByLabel('Password').fill('meadow-admin');
  await button('Sign in').click();
  await page.waitForURL('**/start');
  const newcomer = await half();
  await open('bookings');
  await find(
    "status = 'draft' AND grower.owner.valley IN ('north', 'south') AND (hives > 60 OR region IS NULL) AND ROUND(total, -3) > 2000",
  );
  await page.getByRole('radio', { name: 'Rows' }).click();
  await shot('records');
  await find("valley = 'north'");
  await button('Values of Owner').click();
  await page.getByRole('checkbox', { name: /Ines Calloway/ }).check();
  const values = await half();
  await page.keyboard.press('Escape');
  await open('contacts');
  await button('Paste a list').click();
  await page.getByLabel('The list').fill(readFileSync(join(root, 'packages/demo/left-alone.txt'), 'utf8'));
  await page.getByText('26 unknown').first().waitFor();
  await page.getByRole('button', { name: /entries fit several/ }).click();
  await page.getByRole('dialog').getByRole('checkbox').nth(2).waitFor();
  await pair('selecting', values, await half());
  await page.keyboard.press('Escape');
  await open('bookings');
  await find(filter);
  await button('Change these records').click();
  await page.getByRole('combobox', { name: /search/ }).waitFor();
  await field('status');
  await page.getByLabel('Value for Status').selectOption('confirmed');
  await button('Add an edit').click();
  await field('region');
  await action('Region', 'default');
  await page.getByLabel('Value for Region').fill('Northern Hills');
  await page.getByRole('textbox', { name: 'Why' }).fill('Spring round');
  await button('More…').click();
  await page.getByLabel('Batches of').fill('100');
  await page.getByText('191 will change').waitFor();
  await page.getByRole('heading', { name: 'Which' }).scrollIntoViewIfNeeded();
  await shot('job');
  await button('Preview 191').click();
  await page.getByText('9 records will be left alone').waitFor();
  await shot('preview');
  await button('Run the first 5, then ask me').click();
  await button('Continue with 186').waitFor();
  const waiting = await half();
  await button('Continue with 186').click();
  await page.getByText('191 records changed.').waitFor();
  const finished = await half();
  const itsRun = page.url();
  // Runs that a limit stops, that are under way, and what is done after them.
  const ask = (method, path, sent) =>
    page.evaluate(
      async (asked) => {
        const headers = { 'content-type': 'application/json' };
        const body = asked.sent && JSON.stringify(asked.sent);
        return (await fetch(asked.path, { method: asked.method, headers, body })).json();
      },
      { method, path, sent },
    );
  /** The run of a job; `meanwhile`: what somebody does between preview and run. */
  const started = async (job, meanwhile) => {
    let p = await ask('POST', '/api/previews', job);
    for (; p.state === 'working'; p = await ask('GET', `/api/previews/${p.id}`)) await page.waitForTimeout(100);
    if (meanwhile) sql(meanwhile);
    const expect = p.totals.will_change;
    return (await ask('POST', '/api/runs', { preview: p.id, askAfter: null, expect })).id;
  };
  sql(`create function closed_season() returns trigger language plpgsql as $$ begin
      if new.note like 'Called%' and new.id % 97 = 0 then raise exception 'Bookings of a closed season stay as they are.'; end if;
      return new; end $$;
    create trigger closed_season before update on bookings for each row execute function closed_season()`);
  const stopped = await started(
    {
      selection: { type: 'bookings', filter: "status = 'draft'" },
      edits: [{ kind: 'set', field: 'note', value: 'Called for the spring round' }],
      safety: { batchSize: 10, perSecond: 300, atOnce: 2, stopIf: { failures: 4 } },
      why: 'Spring round: every draft was called',
    },
    `update bookings set note = 'Calls back on Monday' where id in (select id from bookings where status = 'draft' order by id desc limit 3)`,
  );
  await page.goto(`${base}/runs/${stopped}`);
  await page.getByText('A limit of this job was reached').waitFor();
  const limit = await now();
  await button(/^Continue anyway with/).click();
  await page.getByText('Finished', { exact: true }).waitFor({ timeout: 30_000 });
  const problems = await now();
  const wide = await started({
    selection: { type: 'bookings' },
    edits: [{ kind: 'fill', field: 'region', value: 'Not said' }],
    safety: { batchSize: 50, perSecond: 1200, atOnce: 2 },
    why: 'No blank regions',
  });
  await page.goto(`${base}/runs/${wide}`);
  await page.getByRole('img', { name: /Records a second/ }).waitFor({ timeout: 30_000 });
  await page.waitForTimeout(2500);
  const underWay = await now();
  await pair('run-waiting', waiting, underWay, limit);
  await page
    .getByText(/records changed/)
    .first()
    .waitFor({ timeout: 60_000 });
  sql("update bookings set status = 'placed' where id in (76, 226, 301)");
  await page.goto(itsRun);
  await button('Recheck…').click();
  await page.getByText(/stand as written/).waitFor();
  const recheck = await half();
  await page.keyboard.press('Escape');
  await button('Undo…').click();
  await page.getByLabel('Only those where').check();
  await page.getByRole('textbox', { name: 'Only those where' }).fill("crop = 'apple'");
  await page.getByLabel('Region').uncheck();
  await pair('result', finished, problems, recheck, await half());
  await page.getByRole('radio', { name: /^All/ }).check();
  await page.getByLabel('Region').check();
  await button('Preview the undo').click();
  await button(/^Undo all/).click();
  await page.getByText(/records restored/).waitFor();
  await page.goto(`${base}/records/bookings/76`);
  await page.getByText('run by Sorrel Haldane').first().waitFor();
  await button('Edit Hives').click();
  await page.getByLabel('Value for Hives').fill('44');
  await button('Edit Note').click();
  await page.getByLabel('Value for Note').fill('More hives than last year');
  const record = await half();
  await button('Leave it as it is').click();
  await page.getByRole('link', { name: 'Runs' }).click();
  await button('Search changes').click();
  await page.getByLabel('Since').fill('today');
  await page.getByLabel('Type').selectOption('bookings');
  await page.getByLabel('Field', { exact: true }).selectOption('status');
  await page.getByLabel('To', { exact: true }).fill('Confirmed');
  await page.getByRole('columnheader', { name: 'Fitting' }).waitFor();
  await pair('runs', await half(), record);
  await open('bookings');
  await button('Change these records').or(button('Add an edit')).first().waitFor();
  if ((await button('Add an edit').count()) === 0) {
    await button('Change these records').click();
    await page.getByRole('combobox', { name: /search/ }).waitFor();
  }
  await field('price');
  await action('Price per hive', 'formula');
  await page.getByRole('textbox', { name: 'Formula for Price per hive' }).click();
  await page.keyboard.type('ROUND(price_per_hive * IF(hives > 60, 0.95, 1.02), 1)');
  await page.keyboard.press('Escape');
  await button('Add an edit').click();
  await field('note');
  await page.getByLabel('Value for Note').fill('{hives} hives for {crop}, {valley} valley');
  await page.getByLabel('What comes out').getByRole('insertion').first().waitFor();
  await page.evaluate(() => (document.documentElement.dataset.theme = 'dark'));
  const formula = await half();
  await page.evaluate(() => (document.documentElement.dataset.theme = 'light'));
  await open('growers');
  await find("owner = 'Tobias Fenwick'");
  await field('owner');
  await action('Owner', 'hand out');
  for (const [i, person] of ['Ines Calloway', 'Verity Rushwater'].entries()) {
    await button(/^Value for Owner/)
      .nth(i)
      .click();
    await page.getByRole('combobox', { name: /search/ }).fill(person);
    await page.keyboard.press('Enter');
  }
  await button('Preview 184').click();
  await page.getByText('how many each has').waitFor();
  await pair('formula', formula, await half());
  const tell = (path, body) =>
    page.evaluate(
      ([to, what]) =>
        fetch(to, { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(what) }),
      [path, body],
    );
  const edits = [{ kind: 'set', field: 'owner', value: 'Ines Calloway' }];
  for (const job of [
    { type: 'growers', filter: "status = 'dormant' AND owner = 'Piers Wickham'", edits },
    { type: 'tasks', filter: "due_on < TODAY() AND state = 'open'", edits: [{ kind: 'clear', field: 'due_on' }] },
    { type: 'contacts', picked: ['14', '15', '77'] },
  ])
    await tell('/api/drafts', { job });
  await tell('/api/rules', {
    name: 'active growers grow',
    type: 'growers',
    message: 'An active grower is no reseller.',
    where: "status = 'active'",
    holds: "kind <> 'reseller'",
    mend: [{ kind: 'set', field: 'kind', value: 'orchard' }],
    isOn: true,
  });
  await tell('/api/rules', {
    name: 'ways of a booking',
    type: 'bookings',
    message: 'A booking goes forward, never back.',
    transitions: { field: 'status', allowed: [{ from: 'confirmed', to: ['placed', 'cancelled'] }] },
    isOn: true,
  });
  await tell('/api/rules', {
    name: 'contacts can be written to',
    type: 'contacts',
    message: 'A contact has a mail address or a phone.',
    holds: 'email IS NOT NULL OR phone IS NOT NULL',
  });
  sql(`insert into tantamos.rule_count (rule, day, broken)
    select id, current_date - n, 271 + n * n * 3 from tantamos.rule, generate_series(1, 12) n where type = 'growers'`);
  await page.goto(`${base}/rules`);
  await button('Count all now').click();
  await button(/^Open the 271/).waitFor();
  const rules = await half();
  await button(/^Mend/).first().click();
  await page.getByText('271 will change').waitFor();
  await pair('rules', rules, await half());
  const split = { kind: 'split', field: 'owner', among: [{ to: 'Ines Calloway' }, { to: 'Verity Rushwater' }] };
  await tell('/api/saved-jobs', {
    name: 'leaver',
    folder: 'People',
    open: true,
    job: { selection: { type: 'growers', filter: "owner = 'Tobias Fenwick'" }, edits: [split], why: 'Somebody leaves' },
    inputs: [{ name: 'leaver', label: 'owner', spots: [{ at: '/selection/filter', literal: 0 }] }],
  });
  await tell('/api/saved-jobs', {
    name: 'leaver',
    job: {
      selection: { type: 'growers', filter: "owner = 'Tobias Fenwick' AND status <> 'closed'" },
      edits: [{ ...split, among: [{ to: 'Ines Calloway', weight: 2 }, { to: 'Verity Rushwater' }] }],
      why: 'Somebody leaves',
    },
    inputs: [{ name: 'leaver', label: 'owner', spots: [{ at: '/selection/filter', literal: 0 }] }],
    why: 'Closed ones stay, and Ines takes more',
    version: 1,
  });
  await tell('/api/saved-jobs', {
    name: 'postpone what is open',
    job: {
      selection: { type: 'tasks', filter: "state = 'open' AND due_on < DATE('2026-12-01')" },
      edits: [{ kind: 'set', field: 'due_on', value: '2026-12-07' }],
    },
    inputs: [{ name: 'due', label: 'due on', spots: [{ at: '/edits/0/value' }], usual: 'TODAY() + 7' }],
  });
  await page.goto(`${base}/jobs`);
  await button(/^3 picked contacts/).waitFor();
  const jobs = await half();
  await button('Use leaver').click();
  await page.getByRole('dialog').getByRole('button', { name: 'Preview' }).waitFor();
  const used = await half();
  await page.keyboard.press('Escape');
  await button('Versions of leaver').click();
  await page.getByText('Closed ones stay').waitFor();
  await pair('jobs', jobs, used, await half());
  await page.keyboard.press('Escape');
  await page.goto(`${base}/start`);
  await page.getByRole('heading', { name: 'Waits for you' }).waitFor();
  const busy = await half();
  await pair('start', busy, newcomer);
  await wholeRecords();
  for (const line of [
    { effect: 'allow', acts: ['change'], fields: ['note', 'status'], filter: "owner = 'Ines Calloway'" },
    { effect: 'deny', acts: ['see'], fields: ['price_per_hive'] },
  ])
    await tell('/api/rights', { login: 'wren', types: ['bookings'], ...line });
  await tell('/api/rights', { role: 'reader', effect: 'deny', acts: ['see'], types: ['listings'] });
  await page.goto(`${base}/settings/rights/wren`);
  await button(/^Bookings: partly, may change/).click();
  const rights = await half();
  await page.goto(`${base}/settings/types/growers`);
  await page.getByLabel('Protect credit_limit').waitFor();
  await pair('settings', await half(), rights);
  await browser.close();

  /** Several types in one job, what is made along, what is deleted, and a hand over before and after. */
  /** Cells edited in the grid, one of them changed by somebody else meanwhile; and a form for several records. */
  async function grid() {
    await open('growers');
    const at = async (row, label) => {
      const heads = (await page.locator('th').allInnerTexts()).map((h) => h.trim());
      return page.locator(`[data-cell="${row}:${heads.indexOf(label) - heads.indexOf('Id')}"]`);
    };
    const put = async (row, label, text) => {
      await (await at(row, label)).dblclick();
      await page.getByLabel(`Value for ${label}`).fill(text);
      await page.keyboard.press('Enter');
    };
    await (await at(1, 'Kind')).dblclick();
    await page.getByLabel('Value for Kind').selectOption('orchard');
    await page.keyboard.press('Enter');
    await put(2, 'Code', 'G-000003B');
    await put(4, 'Code', 'G-000005B');
    sql("update growers set code = 'G-OTHER' where id = 5");
    await button('Show them').click();
    await page.getByRole('button', { name: /^Changed by somebody else/ }).waitFor({ timeout: 20_000 });
    // Names and what was edited side by side.
    await page.getByRole('grid').evaluate((table) => table.parentElement.scrollTo({ left: 130 }));
    const pending = await half();
    await button('Withdraw all').click();
    await open('inspections');
    for (const id of [1, 2, 3])
      await page
        .getByRole('checkbox', { name: `Pick ${id}` })
        .first()
        .check();
    await button('Edit fields…').click();
    await button('Edit State').click();
    await page.getByLabel('Value for State').selectOption('waiting');
    await page.getByText(/Say waiting reason too/).waitFor();
    await pair('grid', pending, await half());
    await page.keyboard.press('Escape');
  }

  async function wholeRecords() {
    const panel = async () => {
      await page
        .getByRole('heading', { name: 'Change', exact: true })
        .or(button('Change these records'))
        .first()
        .waitFor();
      if ((await button('Change these records').count()) > 0) await button('Change these records').click();
      await page.getByRole('button', { name: 'Also create…' }).waitFor();
      await page.keyboard.press('Escape');
    };
    const pick = async (words) => {
      await page.getByRole('combobox', { name: /search/ }).fill(words);
      await page
        .getByRole('option', { name: new RegExp(words) })
        .first()
        .waitFor();
      await page.keyboard.press('Enter');
    };
    await open('bookings');
    await find("valley = 'north' AND status = 'draft' AND id < 2000");
    await panel();
    await button('Also create…').click();
    await pick('Tasks');
    await page.getByLabel('one for').selectOption({ label: 'each owner of them' });
    await page.getByLabel('the first of the bookings in its').selectOption({ label: 'Booking' });
    await page.getByLabel('Value for Subject').fill('Call about drafts, {name}');
    await page.getByText('6 will change').waitFor();
    const also = await half();
    await open('growers');
    await find("owner = 'Tobias Fenwick' AND valley = 'north'");
    await panel();
    await field('owner');
    await button(/^Value for Owner/).click();
    await pick('Ines Calloway');
    await button('And then on…').click();
    await pick('the bookings whose grower is one of those growers');
    await button('Field to change').click();
    await pick('Owner ▸ Compute').catch(() => {});
    await page.getByRole('textbox', { name: 'Formula for Owner' }).click();
    await page.keyboard.type('planned(grower.owner)');
    await page.keyboard.press('Escape');
    await page.getByText(/then on the bookings whose grower/).waitFor();
    await button('Preview').click();
    await page.getByText('2. Change bookings').waitFor();
    await pair('whole-records', also, await half());
    await open('bookings');
    await find('id <= 60');
    await panel();
    await button('Delete them').click();
    await button(/^Preview [0-9]/).click();
    await button(/^Run all/).click();
    await page.getByLabel(/to start/).waitFor();
    await shot('delete');
    await page.keyboard.press('Escape');
    await page.goto(`${base}/handover/staff/2`);
    await page.getByRole('row', { name: /Growers by owner/ }).waitFor();
    await page.getByLabel('To whom Bookings: owner').selectOption({ label: 'whom their grower gets' });
    await button(/^To whom/).click();
    await pick('Ines Calloway');
    const before = await half();
    await button(/^Preview/).click();
    await button(/^Run all/).click();
    const typed = page.getByLabel(/to start/);
    await typed.or(page.getByText('Finished').first()).first().waitFor();
    await page.getByText('Finished').first().waitFor();
    await page.goto(`${base}/handover/staff/2`);
    await page.getByText('not asked for').first().waitFor();
    await pair('handover', before, await half());
    // Values from a file, and an export that comes back after somebody else has edited, too.
    const files = mkdtempSync(join(tmpdir(), 'tantamos-files-'));
    const file = (name, text) => {
      writeFileSync(join(files, name), text);
      return join(files, name);
    };
    await open('bookings');
    await button('Values from a file').click();
    await page
      .getByLabel('File of values')
      .setInputFiles(
        file(
          'supplier.csv',
          'Reference;List price;Starts;Remark\nB-0000201;1.012,50;3/4/2027;agreed by phone\nb-0000202 ;40,00;12/5/2027;\nB-0000203;forty;1/2/2027;see mail\nB-0999999;30;1/1/2027;new one\nB-0000205;9;1/3/2027;\nB-0000205;10;1/3/2027;\nB-0000206;55,5;9/3/2027;\nB-0000206;55,5;9/3/2027;\n',
        ),
      );
    await button('Field for List price').click();
    await page.getByRole('combobox', { name: /search/ }).fill('price per');
    await page.keyboard.press('Enter');
    await button('Field for Starts').click();
    await page.getByRole('combobox', { name: /search/ }).fill('start on');
    await page.keyboard.press('Enter');
    await page.getByLabel(/^dates/).selectOption('dmy');
    await page.getByLabel('Rows that fit none of the bookings').selectOption('skip');
    await page.getByText('3 → 3 records').waitFor();
    const mapped = await half();
    await page.keyboard.press('Escape');
    const signed = await page.evaluate(async () => {
      const columns = ['reference', 'price_per_hive', 'start_on', 'note'];
      const body = { format: 'csv', filter: 'id BETWEEN 301 AND 308', columns, sort: ['id'], signed: true };
      const answer = await fetch('/api/types/bookings/export', {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify(body),
      });
      return answer.text();
    });
    const lines = signed
      .trim()
      .split('\r\n')
      .map((line) => line.split(','));
    for (const [n, note] of [
      [1, 'Gate code 71'],
      [3, 'Narrow lane'],
      [6, 'Ask for Ada'],
    ])
      lines[n][3] = note;
    sql("update bookings set note = 'Locked from May on' where id = 303");
    await button('Values from a file').click();
    await page.getByLabel('File of values').setInputFiles(file('drafts.csv', lines.map((l) => l.join(',')).join('\n')));
    await page.getByText('edited by others since').first().waitFor();
    await pair('files', mapped, await half());
    rmSync(files, { recursive: true });
    await page.keyboard.press('Escape');
    await grid();
  }
}

/** The same job on a terminal, photographed in a real terminal window on a screen of its own. */
function terminal(work) {
  if (!existsSync('/usr/bin/xterm') || !existsSync('/usr/bin/Xvfb') || !existsSync('/usr/bin/import'))
    install('a terminal window', ['xterm', 'xvfb', 'xauth', 'imagemagick', 'fonts-dejavu-core']);
  const cli = `node ${join(root, 'packages/cli/bin/tantamos.js')}`;
  const colours = join(work, 'colours');
  const env = { ...process.env, HOME: work, XDG_CONFIG_HOME: work, TANTAMOS_SERVICE: base, XENVIRONMENT: colours };
  spawnSync('sh', ['-c', `echo meadow-admin | ${cli} sign-in --login sorrel --password-stdin`], { env });
  // What only asks comes first.
  picture('command-line-selecting', [
    `tantamos match packages/demo/left-alone.txt --in contacts.email --show several --limit 3`,
    `tantamos find bookings --related "grower of growers: status = 'dormant'" --first 3 --by -total --show reference,grower.name,total`,
    `tantamos values bookings status -f "count(invoices, state = 'overdue') > 0"`,
    `tantamos cross growers status kind`,
    `tantamos explain bookings -f "status = 'draft' AND grower.name = 'Marlowgate Estat'"`,
  ]);
  picture('command-line', [
    `tantamos find bookings -f "${filter.replace('Calloway', 'Caloway')}"`,
    `tantamos preview bookings -f "${filter}" \\\n    --set status=confirmed --fill "region=Northern Hills" --batch-size 100 --ask-after 5 --why "Spring round"`,
    'tantamos run last --expect 191',
    'tantamos continue last',
  ]);

  function picture(name, told) {
    const script = told
      .map((t) => `printf '\\033[1m$ %s\\033[0m\\n' ${quote(t)}; ${t.replace(/^tantamos/, cli)}; echo`)
      .join('\n');
    writeFileSync(
      join(work, 'show.sh'),
      `cd ${root}\n${script}\nprintf '\\033[?25l\\033[8m${allSaid}\\033[0m'\nsleep 60\n`,
    );
    writeFileSync(colours, 'XTerm*color1: #B3382C\nXTerm*color2: #1E7F74\nXTerm*color3: #8F5B10\n');
    const said = join(work, 'said');
    rmSync(said, { force: true });
    writeFileSync(said, '');
    // A terminal of its own, whose output is kept as well; the picture is taken once all has been said.
    const shown = `script -qfec 'bash ${join(work, 'show.sh')}' ${said}`;
    const file = join(work, `${name}.png`);
    const window = `xterm -fa 'DejaVu Sans Mono' -fs 9 -bg '#FBFAF7' -fg '#1F2430' -geometry 178x52+0+0 -e ${quote(shown)} &
      for i in $(seq 400); do grep -q '${allSaid}' ${said} && break; sleep 0.1; done; sleep 0.5
      import -window root -crop 1270x780+0+0 ${file}; kill %1`;
    spawnSync('xvfb-run', ['-a', '-s', '-screen 0 1280x800x24', 'bash', '-c', window], { env, timeout: 60_000 });
    mustShow(name, readFileSync(said, 'utf8').replace(/\x1b\[[\d;?]*[a-zA-Z]/g, ''));
    copyFileSync(file, join(folder, `${name}.png`));
    say(`${name}.png`);
  }
}

function quote(text) {
  return `'${text.replaceAll("'", `'\\''`)}'`;
}
