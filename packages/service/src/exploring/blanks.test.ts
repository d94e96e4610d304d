import { openWorkspace, type Workspace } from '../testing/workspace';
import { previewed } from '../testing/jobs';

describe('what filters leave out for being blank', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());
  const found = (filter: string, more: object = {}) =>
    w.admin.search('bookings', { filter, count: 'exact', limit: 1, ...more });
  const count = async (where: string) =>
    (await w.sql.query(`select count(*)::int as n from bookings where ${where}`)).rows[0].n as number;

  it('is counted with the filter that takes it in, by what is blank', async () => {
    const { blanks, numberMatched } = await found("region <> 'Northern Hills' AND note <> 'x'");
    expect(blanks).toMatchObject({
      count: (await count(`region is distinct from 'Northern Hills' and note is distinct from 'x'`)) - numberMatched!,
      filter: "(region <> 'Northern Hills' OR region IS NULL) AND (note <> 'x' OR note IS NULL)",
    });
    expect(blanks!.parts.map((p) => p.words)).toEqual(['region is blank', 'note is blank']);
    expect(blanks!.sentence).toMatch(
      /^[\d,]+ are left out for being blank: [\d,]+ whose region is blank and [\d,]+ whose note/,
    );
    const taken = await found(blanks!.filter);
    expect(taken.numberMatched).toBe(numberMatched! + blanks!.count);
    expect(taken.blanks).toBeNull();
  });

  it('is none where nothing is denied, blank, or asked to be counted', async () => {
    for (const filter of ["region = 'Northern Hills'", "status <> 'draft'", 'region IS NOT NULL', 'TRUE'])
      expect([filter, (await found(filter)).blanks]).toEqual([filter, null]);
    expect((await found("region <> 'x'", { count: 'none' })).blanks).toBeNull();
    expect((await found("region <> 'x'", { keys: ['1'] })).blanks).toBeNull();
  });

  it('follows paths, names and relatives', async () => {
    const other = await found("NOT grower.owner.name = 'Ines Calloway'");
    expect(other.blanks === null || other.blanks.parts[0]!.words.includes('owner')).toBe(true);
    const of = { of: { type: 'growers', filter: "valley = 'north'" }, how: 'pointing_at' as const, field: 'grower' };
    const within = await found("region <> 'Northern Hills'", { related: of });
    const all = await found("region <> 'Northern Hills'");
    expect(within.blanks!.count).toBeLessThan(all.blanks!.count);
  });

  it('is told of records that are left out for what points at them being blank', async () => {
    const filter = "has(bookings, region <> 'Northern Hills')";
    const { blanks } = await w.admin.search('growers', { filter, count: 'exact', limit: 1 });
    const { rows } = await w.sql.query<{ n: number }>(`select count(*)::int as n from growers g
      where exists (select from bookings b where b.grower = g.id and b.region is null)
        and not exists (select from bookings b where b.grower = g.id and b.region <> 'Northern Hills')`);
    expect(blanks).toMatchObject({
      count: rows[0]!.n,
      sentence: `${rows[0]!.n} are left out for being blank, or what points at them being so`,
      parts: [],
    });
    expect(await w.admin.search('growers', { filter: blanks!.filter, count: 'exact', limit: 1 })).toMatchObject({
      blanks: null,
    });
  });

  it('is told of a preview, in its sentence and among what to know before it runs', async () => {
    const p = await previewed(w.admin, {
      selection: { type: 'bookings', filter: "region <> 'Northern Hills' AND id < 100" },
      edits: [{ kind: 'set', field: 'note', value: 'x' }],
    });
    expect(p.sentence).toContain('region is not “Northern Hills” (nor blank)');
    expect(p.notes).toEqual([
      expect.objectContaining({
        code: 'blanks_left_out',
        mend: { words: 'Take them in', filter: "(region <> 'Northern Hills' OR region IS NULL) AND id < 100" },
      }),
    ]);
  });

  it('is not worked out of a filter that is as long as one may be', async () => {
    const long = Array.from({ length: 1400 }, () => "region <> 'x'").join(' AND ');
    expect((await found(long)).numberMatched).toBeGreaterThan(0);
  });
});

describe('a filter of very many conditions', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  it('is explained by the first of them and the rest together', async () => {
    // Counting each with each of 1,400 others once took all the memory of the service.
    const filter = Array.from({ length: 1400 }, (_, i) => `hives <> ${i + 1000}`).join(' AND ');
    const { conditions, matched } = await w.admin.explain('bookings', { filter });
    expect(conditions).toHaveLength(40);
    expect(conditions.at(-1)!.text.split(' AND ')).toHaveLength(1361);
    expect([conditions.at(-1)!.after, matched]).toEqual([18_000, 18_000]);
  });
});
