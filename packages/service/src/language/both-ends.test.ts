import {
  asPlainText,
  canonicalSql,
  checkExpression,
  evaluateTame,
  functions,
  join,
  noContext,
  parse,
  raw,
  render,
  Scope,
  sql,
  type Checked,
  type Context,
  type FieldPath,
  type Readable,
  type RecordType,
} from '@tantamos/core';
import fc from 'fast-check';
import { sampleRecords, typed } from '../testing/expressions';
import { openWorkspace, type Workspace } from '../testing/workspace';

/** Rounds of a dozen expressions for each type of value; more of them for a long look. */
const rounds = Number(process.env.TANTAMOS_ROUNDS ?? 45);

/**
 * The two back ends of the language are one: random well-typed expressions over records full of blanks, odd texts,
 * great numbers and far dates give the same from PostgreSQL and from the evaluator.
 */
describe('an expression in the database and in memory', () => {
  const seed = jest.getSeed();
  let w: Workspace;
  let type: RecordType;
  let rows: Record<string, string | null>[];
  const contexts: Record<string, Context> = Object.fromEntries(
    ['UTC', 'Europe/Berlin', 'America/New_York', 'Asia/Kathmandu'].map((timeZone) => [
      timeZone,
      { ...noContext, env: { timeZone, now: 1_795_434_123_456_789n } },
    ]),
  );

  beforeAll(async () => {
    w = await openWorkspace();
    await w.sql.query(`create table samples (
      id integer primary key, t varchar(80), u text, n numeric(14,3), i integer, big bigint, f double precision,
      g real, w numeric,
      b boolean, d date, e date, m timestamptz, c timestamp, tags text[], short varchar(20)[], nums integer[],
      choice text check (choice in ('red', 'green', 'Blue')), parent integer references samples)`);
    await w.sql.query(
      `insert into samples select (r.value ->> 'id')::int, r.value ->> 't', r.value ->> 'u', (r.value ->> 'n')::numeric,
         (r.value ->> 'i')::int, (r.value ->> 'big')::bigint, (r.value ->> 'f')::float8, (r.value ->> 'g')::real,
         (r.value ->> 'w')::numeric, (r.value ->> 'b')::boolean,
         (r.value ->> 'd')::date, (r.value ->> 'e')::date, (r.value ->> 'm')::timestamptz, (r.value ->> 'c')::timestamp,
         (r.value ->> 'tags')::text[], (r.value ->> 'short')::varchar[], (r.value ->> 'nums')::int[], r.value ->> 'choice', (r.value ->> 'parent')::int
       from jsonb_array_elements($1::jsonb) r`,
      [JSON.stringify(sampleRecords(seed))],
    );
    w.services.catalogs.refresh();
    type = (await w.services.catalogs.get()).type('samples');
    const columns = type.fields.map((f) => `"${f.name}"::text as "${f.name}"`).join(', ');
    rows = await w.services.database.rows<(typeof rows)[number]>(`select ${columns} from samples order by samples.id`);
  });
  afterAll(() => w.close());

  const readable = (row: Record<string, string | null>): Readable => ({
    read(path: FieldPath) {
      let here: Record<string, string | null> | undefined = row;
      for (const step of path.through) {
        const key: string | null = here[step.field.name] ?? null;
        here = rows.find((r) => r.id === key);
        if (!here) return null;
      }
      return here[path.field.name] ?? null;
    },
    children: (relation) => rows.filter((r) => r[relation.field.name] === row.id).map(readable),
    selected: () => null,
  });

  const checked = async (text: string, zone: string): Promise<Checked> =>
    checkExpression(parse(text), await w.services.catalogs.get(), type, contexts[zone]!);

  /** What both say for every record, as texts. */
  const bothSay = async (texts: readonly string[], zone: string) => {
    const context = contexts[zone]!;
    const trees = await Promise.all(texts.map((t) => checked(t, zone)));
    const scope = new Scope(type, context.env);
    const columns = trees.map((t, i) => sql`tantamos.as_text(${canonicalSql(t, scope)}) as ${raw(`x${i}`)}`);
    const { text, values } = render(sql`select ${join(columns, ', ')} from ${scope.from()} order by ${scope.root}.id`);
    const found = await w.services.database.rows<Record<string, string | null>>(text, values);
    return trees.map((tree, i) => ({
      text: texts[i]!,
      database: found.map((r) => r[`x${i}`] ?? null),
      memory: rows.map((row) => {
        const v = evaluateTame(tree, readable(row), context.env);
        return v === null ? null : asPlainText(v);
      }),
    }));
  };

  const agree = async (texts: readonly string[], zone: string): Promise<void> => {
    for (const { text, database, memory } of await bothSay(texts, zone))
      database.forEach((said, i) => {
        if (said !== memory[i])
          throw new Error(
            `${text} in ${zone}, seed ${seed}, record ${JSON.stringify(rows[i])}: ${said} in the database, ${memory[i]} in memory`,
          );
      });
  };

  it.each([...Object.entries(typed)])('agrees on %s expressions', async (_, arbitrary) => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(arbitrary, { minLength: 12, maxLength: 12 }),
        fc.constantFrom(...Object.keys(contexts)),
        (texts, zone) => agree(texts, zone),
      ),
      { numRuns: rounds, endOnFailure: false, seed },
    );
  });

  it('agrees on what a zone makes of the first and the last days', async () => {
    const days = ['0001-01-01', '0001-01-02', '0001-01-03', '9999-12-29', '9999-12-30', '9999-12-31'];
    const texts = days.flatMap((day) => [
      `with_clock(DATE('${day}'), m)`,
      `with_clock(DATE('${day}'), TIMESTAMP('2026-03-29T00:30:00Z'))`,
      `DATE('${day}') < m`,
      `IF(DATE('${day}') = m, m, m)`,
    ]);
    for (const zone of Object.keys(contexts)) await agree(texts, zone);
  });

  it('agrees on the example of every function, and none is left out of the random ones', async () => {
    const all = Object.values(typed)
      .flatMap((a) => fc.sample(a, { numRuns: 1500, seed: 1 }))
      .join(' ');
    const missing = functions.map((f) => f.name).filter((name) => !new RegExp(`\\b${name}\\(`, 'i').test(all));
    expect(missing).toEqual([]);
    const bookings = (await w.services.catalogs.get()).type('bookings');
    const context = { ...contexts.UTC!, me: { type: 'staff', key: '1' } };
    for (const { example } of functions) {
      const tree = checkExpression(parse(example), await w.services.catalogs.get(), bookings, context);
      const scope = new Scope(bookings, context.env);
      const { text, values } = render(sql`select ${canonicalSql(tree, scope)} from ${scope.from()} limit 3`);
      expect(await w.services.database.rows(text, values)).toHaveLength(3);
    }
  });

  it('works where the database works in parallel', async () => {
    const bookings = (await w.services.catalogs.get()).type('bookings');
    const context = { ...contexts.UTC!, me: { type: 'staff', key: '1' } };
    await w.sql.query('begin');
    for (const setting of ['min_parallel_table_scan_size = 0', 'parallel_setup_cost = 0', 'parallel_tuple_cost = 0'])
      await w.sql.query(`set local ${setting}`);
    let inParallel = 0;
    // Also where what is said fits nothing, and what is named several times is long.
    const examples = [
      ...functions.map((f) => f.example),
      'VALUE(note)',
      'DATEVALUE(reference)',
      "DATEVALUE('2027-02-29')",
    ];
    for (const example of [...examples, 'VALUE(TEXT(VALUE(TEXT(VALUE(TEXT(hives))))))', 'ROUND(hives, hives) ^ 2']) {
      const tree = checkExpression(parse(example), await w.services.catalogs.get(), bookings, context);
      const scope = new Scope(bookings, context.env);
      const { text, values } = render(sql`select count(${canonicalSql(tree, scope)}) from ${scope.from()}`);
      const plan = await w.sql.query(`explain ${text}`, values);
      if (JSON.stringify(plan.rows).includes('Gather')) inParallel++;
      await w.sql.query(text, values);
    }
    await w.sql.query('commit');
    expect(inParallel).toBeGreaterThan(functions.length * 0.8);
  });

  it.each([
    ['1 / 3', '0.3333333333333333'],
    ['2 / 3', '0.6666666666666667'],
    ['-2 / 3', '-0.6666666666666667'],
    ['0.1 + 0.2', '0.3'],
    ['1 / 0', null],
    ['7 div -2', '-3'],
    ['-7 % 3', '-1'],
    ['MOD(-7, 3)', '2'],
    ['10 ^ 99 * 10', null],
    ['2 ^ -2', '0.25'],
    ['2 ^ 0.5', null],
    ['ROUND(-2.5)', '-3'],
    ['ROUND(1234.5, -2)', '1200'],
    ['ROUNDUP(-1.21, 1)', '-1.3'],
    ['ROUNDDOWN(-1.29, 1)', '-1.2'],
    ['INT(-1.5)', '-2'],
    ["VALUE('1.200,5')", null],
    ["VALUE(' 12.50 ')", '12.5'],
    ["DATEVALUE('2026-02-30')", null],
    ["DATE('9999-12-31') + 1", null],
    ["DATE('2026-05-10') - DATE('2026-05-01')", '9'],
    ["EDATE(DATE('2026-01-31'), 1)", '2026-02-28'],
    ["EOMONTH(DATE('2024-01-31'), 1)", '2024-02-29'],
    ["DATEDIF(DATE('2024-02-29'), DATE('2025-02-28'), 'y')", '0'],
    ["WEEKDAY(DATE('2026-11-23'))", '2'],
    ["WORKDAY(DATE('2026-04-30'), 1, (DATE('2026-05-01')))", '2026-05-04'],
    ["WORKDAY(DATE('2026-04-30'), 1000001)", null],
    ["WORKDAY(DATE('2026-04-30'), -1000001)", null],
    ['WORKDAY(d, 9e99)', null],
    ['EDATE(d, 9e99)', null],
    ["pad(t, 9e99, '0')", null],
    ['LEN(LEFT(CONCATENATE(t), 9e99)) >= 0', 'true'],
    ["NETWORKDAYS(DATE('2026-05-01'), DATE('2026-05-31'))", '21'],
    ["next_weekday(DATE('2026-11-23'), 'monday')", '2026-11-30'],
    ["start_of(DATE('2026-11-23'), 'quarter')", '2026-10-01'],
    ["PROPER('o''neil mc-donald ßen')", "O'Neil Mc-Donald SSen"],
    ["ACCENTI('Café Å')", 'Cafe A'],
    ["CASEI('ΑΣ')", 'ασ'],
    ["CASEI('ας')", 'ασ'],
    ["CASEI('Straße')", 'strasse'],
    ["CASEI('STRASSE')", 'strasse'],
    ["CASEI('ẞ')", 'ss'],
    ["CASEI('ﬁn')", 'fin'],
    ["CASEI('ŉ')", 'ʼn'],
    ["PROPER('don''t DO 2nd o''brien y’all i’ll')", "Don't Do 2nd O'Brien Y’All I’ll"],
    ["TEXT(VALUE('50%'))", '0.5'],
    ["TEXT(VALUE(' 12.5 % '))", '0.125'],
    ["CONCATENATE('a', 3, DATE('2026-05-01'), TRUE)", 'a32026-05-01true'],
    ["IF(3, 'some', 'none')", 'some'],
    ["IF(0, 'some', 'none')", 'none'],
    ["pad('7', 3, '0')", '007'],
    ["SUBSTITUTE('aaa', 'a', 'b', 2)", 'aba'],
    ["MID('🐝bee', 2, 2)", 'be'],
    ["LEN('🐝')", '1'],
    ["T_MEETS(INTERVAL('..', '2026-05-01'), INTERVAL('2026-05-01', '..'))", 'true'],
    ["T_DURING(TIMESTAMP('2026-05-01T12:00:00Z'), DATE('2026-05-01'))", 'true'],
    ["A_EQUALS(('a', 'b', 'a'), ('b', 'a'))", 'true'],
    ["TRIM('  a   b ')", 'a b'],
    ['IF(NULL, 1, 2)', '2'],
    ['MIN(3, NULL, 2)', '2'],
  ])('%s is %s in both', async (text, expected) => {
    const [said] = await bothSay([text], 'UTC');
    expect([said!.database[0], said!.memory[0]]).toEqual([expected, expected]);
  });

  it.each([
    ['f = n', 'false'],
    ['f > 0', 'true'],
    ['g < f', 'false'],
    ['f + 0 = 0', 'true'],
    ['w = ROUND(w, 30)', 'false'],
  ])('%s, with more digits than are calculated with, is %s in both', async (text, expected) => {
    const [said] = await bothSay([text], 'UTC');
    expect([said!.database.at(-6), said!.memory.at(-6)]).toEqual([expected, expected]);
  });

  /** Of the five records that hold what no calculation gives: see `sampleRecords`. */
  it.each([
    ['TEXT(g)', ['16777216', '0.1', '300000000000000000000000000000000000000', '-5', '7']],
    ['TEXT(f)', [null, null, null, '-5', '16777217']],
    ['g = 16777216', ['true', 'false', 'false', 'false', 'false']],
    ['f > 1e50', ['true', 'false', 'true', 'false', 'false']],
    ['n > 3.5', ['true', 'false', 'false', 'false', 'true']],
    ['w > f - f', [null, null, null, 'false', 'true']],
    ['ISBLANK(w + 0)', ['true', 'true', 'true', 'false', 'false']],
    ['w IS NULL', ['false', 'false', 'false', 'false', 'false']],
    ["d > DATE('2026-04-30')", ['true', 'false', 'true', 'false', 'true']],
    ["NOT d > DATE('2026-04-30')", ['false', 'true', 'false', 'true', 'false']],
    ["d BETWEEN DATE('0001-01-01') AND DATE('9999-12-31')", ['false', 'false', 'false', 'false', 'true']],
    ['d < TODAY() + 400', ['false', 'true', 'false', 'true', 'true']],
    ['YEAR(d)', [null, null, null, null, '2026']],
    ['EDATE(d, 1)', [null, null, null, null, '2026-06-01']],
    ["m >= DATE('2026-05-02')", ['true', 'false', 'true', 'false', 'false']],
    ["m = DATE('2026-05-01')", ['false', 'false', 'false', 'false', 'true']],
    ['m = d', ['true', 'true', 'false', 'false', 'true']],
    ['DAY(m)', [null, null, null, null, '1']],
    ["c < TIMESTAMP('1947-05-11T00:31:00Z')", ['false', 'true', 'false', 'true', 'true']],
    ["c < TIMESTAMP('1947-05-11T00:30:00Z')", ['false', 'true', 'false', 'true', 'false']],
    // Endless, both ways, beyond the year 9999, before the year 1, and in May.
    ["T_AFTER(d, DATE('2026-04-30'))", ['true', 'false', 'true', 'false', 'true']],
    ["T_DURING(d, INTERVAL('2026-04-30', '2026-05-31'))", ['false', 'false', 'false', 'false', 'true']],
    [
      "T_FINISHEDBY(INTERVAL('2026-04-01', d), INTERVAL('2026-04-02', '..'))",
      ['true', 'false', 'false', 'false', 'false'],
    ],
    ["T_STARTS(INTERVAL(d, '2026-06-01'), INTERVAL('..', '2026-06-02'))", ['false', 'true', 'false', 'false', 'false']],
    ["T_DISJOINT(m, DATE('2026-05-01'))", ['true', 'true', 'true', 'true', 'false']],
    ['T_EQUALS(m, d)', ['true', 'true', 'false', 'false', 'false']],
    ['A_OVERLAPS(short, tags)', ['true', 'true', 'true', 'true', 'true']],
    ["A_CONTAINS(short, ('a'))", ['true', 'true', 'true', 'true', 'true']],
    ["LEFT('abc', 0.99999999999999999)", ['', '', '', '', '']],
    ["MID('abc', 0.99999999999999999, 1)", [null, null, null, null, null]],
    ["EDATE(DATE('2026-05-01'), 0.99999999999999999)", Array(5).fill('2026-05-01')],
    ['ROUND(12.345, 1.99999999999999999)', Array(5).fill('12.3')],
  ])('%s of what no calculation gives', async (text, expected) => {
    // In the middle of the war and after it, these clocks were two hours ahead of their zone in summer.
    const [said] = await bothSay([text], 'Europe/Berlin');
    expect([said!.database.slice(-5), said!.memory.slice(-5)]).toEqual([expected, expected]);
  });

  it('takes a day for the whole of it where moments are compared, in the zone of the workspace', async () => {
    const day = "m = DATE('2026-03-29')";
    for (const zone of Object.keys(contexts))
      await agree([day, `NOT ${day}`, "m <= DATE('2026-03-29')", 'DAY(m)'], zone);
    const [utc] = await bothSay([day], 'UTC');
    const [kathmandu] = await bothSay([day], 'Asia/Kathmandu');
    expect(utc!.database).not.toEqual(kathmandu!.database);
  });
});
