import { createHash } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Client } from 'pg';
import { copyText, isEmpty } from './load';
import { leftAlone, meadowline, priceList } from './meadowline';

const hashOf = (seed: number): string => {
  const hash = createHash('sha256');
  for (const table of meadowline(1, seed)) for (const chunk of copyText(table)) hash.update(chunk);
  return hash.digest('hex');
};

describe('the demo data', () => {
  let db: Client;
  beforeAll(async () => {
    db = new Client({ connectionString: `${process.env.TANTAMOS_TEST_SERVER}meadowline_read` });
    await db.connect();
  });
  afterAll(() => db.end());
  const one = async (text: string): Promise<Record<string, number>> =>
    (await db.query(text)).rows[0] as Record<string, number>;

  it('is the same bytes from the same seed, and others from another', () => {
    const first = hashOf(1);
    expect(hashOf(1)).toBe(first);
    expect(hashOf(2)).not.toBe(first);
  });

  it('is about 106,000 records, and ten times as many at size ten', () => {
    const count = (size: number): number =>
      meadowline(size).reduce((sum, t) => (t.rows === undefined ? sum : sum + rowsOf(t.rows())), 0);
    expect(count(1)).toBe(106_466);
    // Staff, listings and certificates stay as many as they are.
    expect(count(2)).toBe(106_466 * 2 - 60 - 150 - 6);
  });

  it.each([
    [
      'a person who leaves owns records of four types',
      `select count(distinct t)::int as n from (select 'b' t from bookings where owner = 2 union all select 'g' from growers where owner = 2 union all select 'h' from hives where owner = 2 union all select 'i' from invoices where owner = 2) x`,
      4,
    ],
    ['two people have one name', `select count(*)::int as n from staff where name = 'Marta Quill'`, 2],
    [
      'the frame size is blank on older hives only',
      `select count(*)::int as n from hives where frame_size is null and built_on >= '2026-03-02'`,
      0,
    ],
    [
      '240 drafts are in the north valley',
      `select count(*)::int as n from bookings where valley = 'north' and status = 'draft'`,
      240,
    ],
    [
      '200 of them are one person’s',
      `select count(*)::int as n from bookings where valley = 'north' and status = 'draft' and owner = 1`,
      200,
    ],
    [
      'every waiting inspection says why',
      `select count(*)::int as n from inspections where state = 'waiting' and waiting_reason is null`,
      0,
    ],
    [
      'only overdue invoices have a dunning level',
      `select count(*)::int as n from invoices where (dunning_level > 0) <> (state = 'overdue')`,
      0,
    ],
    [
      'every task has exactly one parent',
      `select count(*)::int as n from tasks where num_nonnulls(grower, contact, site, hive, booking, inspection, invoice) <> 1`,
      0,
    ],
    ['one page a crop and valley', 'select count(*)::int as n from listings', 150],
  ])('%s', async (_what, text, n) => expect((await one(text)).n).toBe(n));

  it.each([
    [
      'records of people who left',
      `select count(*)::int as n from growers g join staff s on s.id = g.owner where not s.active`,
    ],
    ['contacts without a source', 'select count(*)::int as n from contacts where source is null'],
    [
      'one promotion code, typed in three ways',
      `select count(*)::int as n from bookings where upper(regexp_replace(promotion_code, '[ -]', '', 'g')) = 'SPRING26' and promotion_code <> 'SPRING26'`,
    ],
    [
      'codes whose discount was forgotten',
      `select count(*)::int as n from bookings where promotion_code is not null and discount_percent is null`,
    ],
    ['bookings without a region', 'select count(*)::int as n from bookings where region is null'],
    ['double spaces in names', `select count(*)::int as n from sites where name like '%  %'`],
    [
      'an old mail flag beside no preference',
      'select count(*)::int as n from contacts where wants_mail and mail_preference is null',
    ],
    [
      'addresses shared by two contacts',
      'select count(*)::int as n from (select email from contacts group by 1 having count(*) > 1) x',
    ],
    [
      'members of co-operatives that are resellers',
      `select count(*)::int as n from growers where parent is not null and kind = 'reseller'`,
    ],
    [
      'old records that break a newer rule',
      `select count(*)::int as n from bookings where status = 'confirmed' and site is null`,
    ],
  ])('there are %s', async (_what, text) => expect((await one(text)).n).toBeGreaterThan(10));

  it('holds the list of people to leave alone: repeats, strangers, shared addresses', async () => {
    const file = readFileSync(join(__dirname, '..', 'left-alone.txt'), 'utf8');
    expect(file).toBe(leftAlone());
    const mails = [...new Set(file.toLowerCase().match(/[\w.-]+@[\w.]+/g))];
    expect(mails).toHaveLength(247);
    const { rows } = await db.query('select email from contacts where email = any($1)', [mails]);
    expect(new Set(rows.map((r: { email: string }) => r.email)).size).toBe(221);
    expect(rows.length).toBeGreaterThan(221);
  });

  it('holds a price list with a line for each crop', async () => {
    const file = readFileSync(join(__dirname, '..', 'price-list.csv'), 'utf8');
    expect(file).toBe(priceList());
    const { rows } = await db.query('select distinct crop::text as crop from bookings order by 1');
    const listed = file
      .trim()
      .split('\n')
      .slice(1)
      .map((line) => line.split(',')[0]);
    expect(listed.sort()).toEqual(rows.map((r: { crop: string }) => r.crop));
  });

  it('is not loaded over something else', async () => expect(await isEmpty(db)).toBe(false));
});

function rowsOf(rows: Iterable<unknown>): number {
  let n = 0;
  for (const _ of rows) n++;
  return n;
}
