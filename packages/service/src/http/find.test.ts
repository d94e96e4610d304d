import { openWorkspace, type Workspace } from '../testing/workspace';

describe('finding records', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const all = async (type: string, filter: string | undefined, sort: string[], limit: number): Promise<string[]> => {
    const keys: string[] = [];
    let after: string | undefined;
    do {
      const page = await w.admin.search(type, { filter, columns: ['id'], sort, limit, after });
      keys.push(...page.records.map((r) => r.key!));
      after = page.next ?? undefined;
    } while (after !== undefined);
    return keys;
  };

  it.each([
    ['growers', undefined, [], 'true', 'id'],
    ['growers', undefined, ['-priority'], 'true', 'priority desc, id desc'],
    ['growers', undefined, ['region', 'name'], 'true', 'region, name, id'],
    [
      'growers',
      undefined,
      ['owner.name', '-credit_limit'],
      'true',
      '(select s.name from staff s where s.id = growers.owner), credit_limit desc, id desc',
    ],
    [
      'contacts',
      'mail_preference IS NULL AND wants_mail',
      ['email'],
      'mail_preference is null and wants_mail',
      'email, id',
    ],
  ] as const)('%s %s by %j: every page together is the whole, in order', async (type, filter, sort, where, order) => {
    const expected = (
      await w.sql.query(`select id::text as key from ${type} where ${where} order by ${order}`)
    ).rows.map((r) => r.key as string);
    expect(await all(type, filter, [...sort], 137)).toEqual(expected);
  });

  it.each([
    ["status = 'draft' AND valley IN ('north', 'south')", "status = 'draft' and valley in ('north', 'south')"],
    ["NOT (status = 'draft' OR status = 'placed')", "not (status = 'draft' or status = 'placed')"],
    ['hives BETWEEN 10 AND 20', 'hives between 10 and 20'],
    ['price_per_hive >= 40.5', 'price_per_hive >= 40.5'],
    [
      "start_on > DATE('2026-01-01') AND end_on <= DATE('2026-12-31')",
      "start_on > '2026-01-01' and end_on <= '2026-12-31'",
    ],
    ["updated_at < TIMESTAMP('2026-02-01T06:00:01Z')", "updated_at < '2026-02-01T06:00:01Z'"],
    ['region IS NULL AND note IS NOT NULL', 'region is null and note is not null'],
    ["reference LIKE 'B-00001%'", "reference like 'B-00001%'"],
    ["note LIKE '%100\\%%'", "note like '%100\\%%'"],
    ['wants_water = FALSE', 'not wants_water'],
    ['NOT wants_water', 'not wants_water'],
    [
      "grower.name LIKE '%Orchards' AND grower.owner.name = 'Tobias Fenwick'",
      "grower in (select id from growers where name like '%Orchards' and owner in (select id from staff where name = 'Tobias Fenwick'))",
    ],
    ['owner = 2', 'owner = 2'],
    ["owner = 'Tobias Fenwick'", 'owner = 2'],
    ["owner IN ('Tobias Fenwick', 'Ines Calloway', 3)", 'owner in (1, 2, 3)'],
    ["owner <> 'Ines Calloway'", 'owner <> 1'],
    ['site.grower = grower', 'grower = (select s.grower from sites s where s.id = bookings.site)'],
    ['start_on = end_on', 'start_on = end_on'],
    ["crop = 'Field bean'", "crop = 'field_bean'"],
    ['hives > 99999999999999999999', 'hives > 99999999999999999999'],
    ['"hives" > 1e1', 'hives > 10'],
  ])('counts %s as the same SQL by hand does', async (filter, where) => {
    const expected = (await w.sql.query(`select count(*)::int as n from bookings where ${where}`)).rows[0].n;
    const found = await w.admin.search('bookings', { filter, limit: 0, count: 'exact' });
    expect(found.numberMatched).toBe(expected);
  });

  it('shows columns of related records, with names for references and labels for choices', async () => {
    const { columns, records } = await w.admin.search('bookings', {
      columns: ['grower.owner.name', 'crop', 'owner', 'hives', 'wants_water'],
      filter: 'id = 76',
    });
    expect(columns.map((c) => c.label)).toEqual(['Grower › Owner › Name', 'Crop', 'Owner', 'Hives', 'Wants water']);
    expect(records[0]!.values[1]).toEqual({ value: 'almond', label: 'Almond' });
    expect(records[0]!.values[2]).toEqual({ value: '1', label: 'Ines Calloway' });
    expect(records[0]!.values[4]).toEqual({ value: 'false', label: 'No' });
  });

  it('answers a GET as it answers a POST', async () => {
    const query = new URLSearchParams({
      filter: "status = 'draft'",
      'filter-lang': 'cql2-text',
      columns: 'reference,grower.name',
      sort: '-hives',
      limit: '3',
      count: 'exact',
    });
    const got = await fetch(`${w.base}/api/types/bookings/records?${query}`, {
      headers: { Authorization: `Bearer ${w.adminToken}` },
    });
    const posted = await w.admin.search('bookings', {
      filter: "status = 'draft'",
      columns: ['reference', 'grower.name'],
      sort: ['-hives'],
      limit: 3,
      count: 'exact',
    });
    expect(await got.json()).toEqual(posted);
    expect(posted).toMatchObject({ numberReturned: 3, numberMatched: 1200 });
  });

  it('gives one record by its key', async () => {
    const record = await w.admin.record('bookings', '76');
    expect(record.name).toBe('B-0000076');
    expect(record.fields.find((f) => f.name === 'owner')!.value).toEqual({ value: '1', label: 'Ines Calloway' });
  });

  it('says what a job would do before anything is frozen', async () => {
    const job = {
      selection: { type: 'bookings', filter: "status = 'draft' AND valley = 'north'" },
      edits: [{ kind: 'set' as const, field: 'status', value: 'confirmed' }],
    };
    const sample = await w.admin.sample({ job, keys: ['76', '151', '2'] });
    expect(sample).toMatchObject({
      matched: 240,
      counts: { willChange: 229, alreadyRight: 0, notAllowed: 11 },
      problems: [],
    });
    expect(sample.rows.map((r) => [r.key, r.outcome])).toEqual([
      ['76', 'will_change'],
      ['151', 'not_allowed'],
    ]);
    const unfinished = await w.admin.sample({
      job: { ...job, edits: [{ kind: 'set', field: 'status', value: 'nope' }] },
    });
    expect(unfinished).toMatchObject({
      matched: 240,
      counts: null,
      problems: [{ code: 'unknown_choice', where: 'edits[0].value' }],
    });
    expect((await w.admin.previews()).length).toBe(0);
  });

  it('describes itself as OpenAPI 3.1, and as a page', async () => {
    const headers = { Authorization: `Bearer ${w.adminToken}` };
    const document = (await (await fetch(`${w.base}/api/openapi.json`, { headers })).json()) as {
      openapi: string;
      paths: Record<string, Record<string, unknown>>;
      components: { schemas: Record<string, { properties: object }> };
    };
    expect(document.openapi).toBe('3.1.0');
    expect(Object.keys(document.paths['/api/types/{type}/records']!)).toEqual(['get']);
    expect(Object.keys(document.components.schemas.JobBody!.properties).sort()).toEqual([
      'act',
      'after',
      'also',
      'edits',
      'from',
      'safety',
      'selection',
      'then',
      'why',
      'writeAgain',
    ]);
    expect(JSON.stringify(document)).toContain('Idempotency-Key');
    const refs = [...JSON.stringify(document).matchAll(/#\/components\/schemas\/(\w+)/g)].map((m) => m[1]!);
    for (const ref of refs) expect(document.components.schemas[ref]).toBeDefined();
    const page = await (await fetch(`${w.base}/api/reference`, { headers })).text();
    expect(page).toContain('POST /api/previews');
  });
});
