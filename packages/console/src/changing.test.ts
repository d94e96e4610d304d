import type { Page } from 'playwright-core';
import type { Workspace } from '../../service/src/testing/workspace';
import { accessibilityTroubles, openConsole, until, type OpenConsole } from './testing/browser';
import { counted } from './testing/counted';

describe('changing records in the console', () => {
  let w: Workspace;
  let page: Page;
  let opened: OpenConsole;
  beforeAll(async () => {
    opened = await openConsole();
    ({ w, page } = opened);
  });
  afterAll(() => opened.close());

  const button = (name: string | RegExp) => page.getByRole('button', { name });
  const acts = counted(() => page);
  const { click, press, pick, pickHere, fill, choose, writeInto } = acts;
  /** Who writes a filter as text finds the box for it, the next time, as it was left. */
  const begin = async (typeId: string, filter = ''): Promise<void> => {
    // A page that is open keeps its unfinished job, and would keep it anew where it has been dropped.
    await page.goto('about:blank');
    for (const { id } of await w.admin.drafts()) await w.admin.dropDraft(id);
    await page.goto(`${w.base}/records/${typeId}`);
    await page.getByRole('gridcell').first().waitFor();
    await page.getByRole('radio', { name: 'Text' }).click();
    acts.reset();
    if (filter === '') await click('Change these records');
    else {
      await writeInto('Filter', filter);
      await press('Control+Enter');
    }
    await button('Add an edit').waitFor();
  };
  /** A field and what to do with it, in one go: unfolded, the panel asks for it. */
  const edit = async (words: string): Promise<void> => pick(null, words);
  const sentence = () => page.getByTestId('sentence').innerText();
  /** Waits for the counts of the job, then makes the preview; what it says will change. */
  const preview = async (words: string): Promise<number> => {
    await until(async () => (await sentence()).includes(words), `the sentence says: ${words}`);
    const ready = button(/^Preview [\d,]+$/);
    await until(async () => (await ready.count()) > 0 && (await ready.isEnabled()), 'the counts are there');
    const count = Number((await ready.innerText()).replace(/\D/g, ''));
    await click(/^Preview [\d,]+$/);
    await page.waitForURL('**/previews/*');
    await page.getByText('Before you run').waitFor();
    return count;
  };
  const count = async (where: string): Promise<number> =>
    (await w.sql.query<{ n: number }>(`select count(*)::int as n from ${where}`)).rows[0]!.n;

  it('fills a new field from an old flag, by a map of what occurs', async () => {
    await begin('contacts', 'mail_preference IS NULL AND wants_mail IS NOT NULL');
    await edit('mail preference translate');
    // Its first question has the cursor; what is typed is looked for.
    await pickHere('wants mail');
    // What occurs in it is filled in by itself.
    await page.getByLabel('Old value, line 2').waitFor();
    for (const line of [1, 2]) {
      const left = page.getByLabel(`Old value, line ${line}`);
      await until(async () => (await left.inputValue()) !== '', `line ${line} is filled in`);
      const old = await left.inputValue();
      acts.also();
      await page
        .getByLabel('Value for Mail preference')
        .nth(line - 1)
        .selectOption(/true|yes/i.test(old) ? 'all' : 'none');
    }
    const made = await preview('map mail preference by wants mail: yes → All, no → None');
    expect(made).toBe(await count('contacts where mail_preference is null and wants_mail is not null'));
    expect(acts.count()).toBeLessThanOrEqual(32 / 3);
  });

  it('shifts due dates to the next Monday', async () => {
    await begin('tasks', "state = 'open'");
    await edit('due on postpone');
    await choose('To the next', 'monday');
    const made = await preview('shift due on to the next Monday');
    expect(made).toBe(await count("tasks where state = 'open' and due_on is not null"));
    expect(acts.count()).toBeLessThanOrEqual(32 / 3);
  });

  it('copies the note of the grower', async () => {
    await begin('bookings', "status = 'draft'");
    await edit('note inherit');
    await pickHere('grower note');
    const made = await preview('copy grower’s note to note');
    expect(made).toBe(
      await count(
        "bookings b join growers g on g.id = b.grower where b.status = 'draft' and g.note <> '' and b.note is distinct from g.note",
      ),
    );
    expect(acts.count()).toBeLessThanOrEqual(43 / 3);
  });

  it('writes a title out of crop and valley', async () => {
    await begin('listings');
    await edit('headline');
    await fill('Value for Headline', '{crop} hives, {valley} valley');
    expect(await preview('set headline to “{crop} hives, {valley} valley”')).toBe(150);
    await page.getByText('Apple hives, North valley').first().waitFor();
    expect(acts.count()).toBeLessThanOrEqual(39 / 3);
  });

  it('gives each site a running code', async () => {
    await begin('sites');
    await edit('access note running number');
    await fill('Before it', '{crop}-');
    await fill('Digits', '5');
    await pick(/^Anew for each/, 'Crop');
    expect(await preview('number access note from {crop}-00001 for each crop')).toBe(4000);
    await page.getByText('Almond-00001').first().waitFor();
    expect(acts.count()).toBeLessThanOrEqual(33 / 3);
  });

  it('hands the growers of one who leaves out evenly', async () => {
    await begin('growers', "owner = 'Tobias Fenwick'");
    await edit('owner hand out');
    for (const [i, person] of ['Ines Calloway', 'Verity Rushwater'].entries()) {
      acts.also();
      await button(/^Value for Owner/)
        .nth(i)
        .click();
      await pick(null, person);
    }
    const made = await preview('split owner evenly among Ines Calloway and Verity Rushwater');
    expect(made).toBe(await count('growers where owner = 2'));
    expect(acts.count()).toBeLessThanOrEqual(38 / 3);
  });

  it('hands tasks to whoever has fewest, leaves two out, and says what differs', async () => {
    await begin('tasks', "state = 'open' AND owner = 28");
    await edit('owner hand out');
    await choose('How', 'level');
    await fill('Counting those', "state = 'open'");
    // Two who have nearly the same.
    const { rows } = await w.sql.query<{ name: string }>(
      `select min(s.name) as name from tasks t join staff s on s.id = t.owner where t.state = 'open' and s.id <> 28
       group by s.id having (select count(*) from staff x where x.name = min(s.name)) = 1 order by count(*) desc, s.id limit 2`,
    );
    const [one, other] = rows.map((r) => r.name) as [string, string];
    for (const [i, person] of [one, other].entries()) {
      await button(/^Value for Owner/)
        .nth(i)
        .click();
      await pick(null, person);
    }
    const made = await preview(
      `split owner among ${one} and ${other}, levelled by present load (tasks where state is Open)`,
    );
    expect(made).toBe(await count("tasks where state = 'open' and owner = 28"));
    await button('One of each').click();
    await page.getByRole('heading', { name: 'Owner: one of each' }).waitFor();
    await expect(() =>
      page
        .getByRole('row')
        .filter({ has: page.getByRole('checkbox') })
        .count(),
    ).toBecome(2);
    await button('All records').click();
    await page.getByRole('checkbox').nth(0).click();
    await page.getByRole('checkbox').nth(1).click();
    await button('Leave them out and preview again').click();
    await page.getByTestId('since').getByText('2 no longer').waitFor();
    await expect(() => page.getByRole('tab', { name: /^Will change/ }).innerText()).toBecome(
      expect.stringContaining(String(made - 2)),
    );
    await page.getByTestId('since').getByRole('button').first().click();
    await expect(() => page.getByRole('dialog').getByRole('row').count()).toBecome(3);
    expect(await accessibilityTroubles(page)).toEqual([]);
    await page.keyboard.press('Escape');
    // What was left out stays so when the job is changed.
    await page.goto(`${w.base}/records/tasks`);
    await until(async () => (await sentence()).includes('without 2 dropped by hand'), 'they are still left out');
  });

  it('shows what a formula gives for the records in sight, and why it gives nothing', async () => {
    await begin('bookings');
    await edit('Hives formula');
    await writeInto('Formula for Hives', 'hives / (hives - 68)');
    const results = page.getByLabel('What comes out');
    await results.getByText('division by zero').waitFor();
    await page.getByText('Hives is a whole number').first().waitFor();
    await click('Step by step');
    const steps = page.getByRole('table', { name: 'The formula, step by step' });
    await expect(() => steps.getByRole('row').allInnerTexts()).toBecome([
      expect.stringMatching(/^hives\s+68$/),
      expect.stringMatching(/^hives - 68\s+0$/),
      expect.stringMatching(/^hives \/ \(hives - 68\)\s+blank$/),
    ]);
    await page.getByLabel('Record that it is worked out for').selectOption({ index: 1 });
    await expect(() => steps.getByRole('row').nth(1).innerText()).toBecome(expect.not.stringMatching(/\s0$/));
    expect(await accessibilityTroubles(page)).toEqual([]);
    await click('Close');
    await page.getByRole('textbox', { name: 'Formula for Hives' }).fill('hives + hivs');
    await page.getByText('have no field “hivs”').waitFor();
    await page.getByText('Mend the job first').waitFor();
    await page.getByRole('button', { name: 'hives', exact: true }).last().click();
    await results.getByText('68').first().waitFor();
    await results.getByText('136').waitFor();
    await click('Only where…');
    await writeInto('Only where, for Hives', 'hives > 100');
    await until(async () => (await sentence()).includes('(only where hives is over 100)'), 'the condition is said');
    expect(await accessibilityTroubles(page)).toEqual([]);
    await click('Everywhere, for Hives');
    await until(async () => !(await sentence()).includes('only where'), 'the condition is gone');
    expect(opened.errors).toEqual([]);
  });

  it('says what a formula comes to before the service does, and just what it then says', async () => {
    await begin('bookings');
    await edit('Price per hive formula');
    await writeInto('Formula for Price per hive', 'price_per_hive * 1.05');
    const results = page.getByLabel('What comes out');
    await results.getByText('→').first().waitFor();
    // The service does not answer any more.
    await page.route('**/api/jobs/sample', () => undefined);
    const box = page.getByRole('textbox', { name: 'Formula for Price per hive' });
    const said: Record<string, string[]> = {};
    const formulas = [
      'price_per_hive / 3 + hives',
      'IF(hives > 50, 1.005, price_per_hive * 2)',
      '10 / (hives - 68)',
      'LEN(note) / 7',
    ];
    for (const formula of formulas) {
      await box.fill(formula);
      let last = '';
      await until(async () => {
        const now = (await results.count()) > 0 ? await results.innerText() : '';
        const isSettled = now !== '' && now === last && !Object.values(said).some(([text]) => text === now);
        last = now;
        return isSettled;
      }, `${formula} is worked out here`).catch(() => undefined);
      said[formula] = [last];
    }
    await page.unroute('**/api/jobs/sample');
    expect(said['10 / (hives - 68)']![0]).toContain('division by zero');
    for (const formula of formulas) {
      const { rows } = await w.admin.sample({
        job: { selection: { type: 'bookings' }, edits: [{ kind: 'compute', field: 'price_per_hive', formula }] },
        keys: ['1', '2', '3'],
      });
      for (const row of rows) {
        const told = row.changes.find((c) => c.field === 'price_per_hive')!;
        expect([formula, said[formula]![0]]).toEqual([
          formula,
          expect.stringContaining(row.outcome === 'not_allowed' ? row.cause! : told.new.value!),
        ]);
      }
    }
  });

  it('computes only where there is a result, in one click', async () => {
    await begin('bookings');
    await edit('Note formula');
    await writeInto('Formula for Note', '100 / (hives - 68)');
    const results = page.getByLabel('What comes out');
    await results.getByText('division by zero').waitFor();
    await click('Only where there is a result');
    await until(async () => (await sentence()).includes('(only where'), 'the condition is said');
    await expect(() => results.getByText('division by zero').count()).toBecome(0);
    await expect(() => page.getByRole('status').filter({ hasText: 'will change' }).innerText()).toBecome(
      expect.not.stringContaining('…'),
    );
  });

  it('takes the lines of a map out of a spreadsheet or a file, by labels too, and gives one value to the rest', async () => {
    await begin('growers');
    await edit('Note translate');
    await pick(/^Old values of/, 'kind');
    await click('Paste or read a file…');
    const lines = page.getByLabel(/^Lines of old and new/);
    await lines.fill('Kind\tnew\ncooperative\tmany, with one voice\norchard\tone of many');
    await click('Take 2 lines');
    await expect(() => page.getByLabel('Old value, line 2').inputValue()).toBecome('orchard');
    await click('Paste or read a file…');
    await page.getByLabel('or a CSV file').setInputFiles({
      name: 'kinds.csv',
      mimeType: 'text/csv',
      buffer: Buffer.from('orchard;"one; of many"\nalone\nnursery;a nursery'),
    });
    await page.getByText('1 line has no second column').waitFor();
    await click('Take 2 lines');
    await choose('All others', 'give');
    await until(async () => (await button(/^Preview [\d,]+$/).count()) === 0, 'a value is missing yet');
    await page.getByRole('textbox', { name: 'Value for Note' }).last().fill('none of these');
    await until(
      async () => (await sentence()).includes('map note by kind: Cooperative → “many, with one voice”,'),
      'the lines are said',
    );
    await until(async () => (await sentence()).includes('all others to “none of these”'), 'the rest is said');
    expect(await accessibilityTroubles(page)).toEqual([]);
    // A long file does not make a long form.
    await click('Paste or read a file…');
    await lines.fill(Array.from({ length: 400 }, (_, i) => `kind ${i}\tnote ${i}`).join('\n'));
    await click('Take 400 lines');
    await page.getByText('and 353 more').waitFor();
    await click('Take out all 403');
    await expect(() => page.getByLabel(/^Old value, line/).count()).toBecome(1);
  });

  it('takes a map of more lines than one request holds out of a file', async () => {
    await begin('sites');
    await edit('Access note translate');
    await pick(/^Old values of/, 'grower code');
    await click('Paste or read a file…');
    const lines = Array.from({ length: 12_000 }, (_, i) => `G-${String(i + 1).padStart(6, '0')},note ${i + 1}`);
    const file = (text: readonly string[]) => ({
      name: 'notes.csv',
      mimeType: 'text/csv',
      buffer: Buffer.from(text.join('\n')),
    });
    await page.getByLabel('or a CSV file').setInputFiles(file(lines));
    await click('Take 12,000 lines');
    await page.getByText('12,000 old values and what becomes of each').waitFor();
    const made = await preview('map access note by grower’s code: 12,000 values');
    expect(made).toBe(
      await count("sites s join growers g on g.id = s.grower where access_note is distinct from 'note ' || g.id"),
    );
  });

  it('maps by ranges, each beginning where the last one ends', async () => {
    await begin('bookings', 'site IS NOT NULL');
    await edit('Note translate');
    await pick(/^Old values of/, 'hives');
    await choose('By', 'ranges');
    await fill('Below, line 1', '20');
    await page.getByRole('textbox', { name: 'Value for Note' }).nth(0).fill('small');
    await click('One more');
    await expect(() => page.getByLabel('From, line 2').inputValue()).toBecome('20');
    await page.getByRole('textbox', { name: 'Value for Note' }).nth(1).fill('large');
    const made = await preview('map note by hives: 2 ranges');
    expect(made).toBe(
      await count(
        "bookings where site is not null and note is distinct from case when hives < 20 then 'small' else 'large' end",
      ),
    );
    await page.getByText('small').first().waitFor();
  });

  it('invents choices by weight, and shuffles what is there', async () => {
    await begin('growers');
    await edit('Kind mask');
    await choose('What', 'choice');
    await fill('Weight of the 1.', '3');
    await choose('Alike', 'record');
    await until(async () => (await sentence()).includes('invent choices for kind (one for each record)'), 'it is said');
    await choose('What', 'shuffle');
    await pick(/^Within each/, 'valley');
    const kinds = async (): Promise<unknown> =>
      (await w.sql.query('select kind, count(*)::int as n from growers group by 1 order by 1')).rows;
    const before = await kinds();
    await preview('shuffle kind among the records within each valley');
    expect(await kinds()).toEqual(before);
    expect(opened.errors).toEqual([]);
  });

  it('levels by what people have of other types too', async () => {
    await begin('bookings');
    await edit('owner hand out');
    await choose('How', 'level');
    await choose('Also count', 'Tasks');
    await fill('And tasks', "state = 'open'");
    await button(/^Value for Owner/)
      .nth(0)
      .click();
    await pick(null, 'Ines Calloway');
    await until(
      async () => (await sentence()).includes('levelled by present load (bookings and tasks where state is Open)'),
      'both are counted',
    );
    expect(await accessibilityTroubles(page)).toEqual([]);
    await click('Do not count tasks');
    await until(async () => (await sentence()).includes('present load (bookings)'), 'one is counted');
  });

  it('keeps every form complete and legible', async () => {
    await begin('growers');
    await page.keyboard.press('Escape');
    const forms: [string, string, string][] = [
      ['Note', 'append', 'Entries'],
      ['Note', 'typo', 'Find'],
      ['Note', 'merge', 'If Note is filled'],
      ['Tags', 'untag', 'Entries'],
      ['Credit limit', 'increase', 'By percent'],
      ['Customer since', 'add days', 'Counted in'],
    ];
    for (const [field, words, label] of forms) {
      await pick(/^Field/, field);
      await pick(new RegExp(`^Action of ${field}`), words);
      await page.getByLabel(label, { exact: true }).waitFor();
      expect([field, await accessibilityTroubles(page)]).toEqual([field, []]);
    }
    await pick(/^Field/, 'Note');
    await pick(/^Action of Note/, 'clean');
    await page.getByRole('checkbox', { name: 'No idle spaces' }).check();
    await page.getByRole('checkbox', { name: 'CAPITALS' }).check();
    await until(
      async () => (await sentence()).includes('tidy note: without idle spaces and in capitals'),
      'it is said',
    );
    expect(opened.errors).toEqual([]);
  });
});
