import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

/** What people want done, the words for it, and a question to the database whose answer is the number not done yet. */
const jobs: readonly { want: string; words: readonly string[]; sentence: string; left: string }[] = [
  {
    want: 'fill a new field from an old flag',
    words: [
      'contacts',
      '-f',
      'wants_mail IS NOT NULL',
      '--map',
      'mail_preference from=wants_mail pairs=true:all,false:none',
      '--only-where',
      'mail_preference IS NULL',
    ],
    sentence:
      'On the 4,494 contacts where wants mail is not blank: map mail preference by wants mail: yes → All, no → None (only where mail preference is blank).',
    left: 'select count(*)::int as n from contacts where wants_mail is not null and mail_preference is null',
  },
  {
    want: 'shift due dates to the next Monday',
    words: [
      'tasks',
      '-f',
      "state = 'open' AND due_on IS NOT NULL AND WEEKDAY(due_on, 2) <> 1",
      '--shift',
      'due_on next=monday',
    ],
    sentence: 'shift due on to the next Monday.',
    left: `select count(*)::int as n from tasks where state = 'open' and extract(isodow from due_on) <> 1`,
  },
  {
    want: 'copy the note of the grower',
    words: [
      'bookings',
      '-f',
      "status = 'draft' AND grower.note IS NOT NULL AND (status <> 'confirmed' OR site IS NOT NULL)",
      '--copy',
      'note from=grower.note',
    ],
    sentence: 'copy grower’s note to note.',
    left: `select count(*)::int as n from bookings b join growers g on g.id = b.grower
      where b.status = 'draft' and g.note <> '' and b.note is distinct from g.note`,
  },
  {
    want: 'a title out of crop and valley',
    words: ['listings', '--set', 'headline={crop} hives, {valley} valley'],
    sentence: 'set headline to “{crop} hives, {valley} valley”.',
    left: `select count(*)::int as n from listings where lower(headline) <> replace(crop::text, '_', ' ') || ' hives, ' || valley || ' valley'`,
  },
  {
    want: 'a running code for each site of a crop',
    words: ['sites', '--number', "access_note prefix='{crop}-' width=5 per=crop order=name"],
    sentence: 'number access note from {crop}-00001 by name for each crop.',
    left: `select count(*)::int as n from (select access_note, crop, row_number() over (partition by crop order by name, id) as n from sites) s
      where lower(access_note) <> replace(crop::text, '_', ' ') || '-' || lpad(n::text, 5, '0')`,
  },
  {
    want: 'hand the leaver’s growers out evenly',
    words: ['growers', '-f', "owner = 'Tobias Fenwick'", '--split', "owner among='Ines Calloway',5,'Verity Rushwater'"],
    sentence: 'split owner evenly among Ines Calloway, Sorrel Haldane and Verity Rushwater.',
    left: 'select count(*)::int as n from growers where owner = 2',
  },
];

describe('changing records from the command line', () => {
  let w: Workspace;
  let cli: Cli;
  beforeAll(async () => {
    w = await openWorkspace();
    cli = await openCli(w.base);
  });
  afterAll(async () => {
    cli.remove();
    await w.close();
  });

  const left = async (question: string): Promise<number> => (await w.sql.query<{ n: number }>(question)).rows[0]!.n;

  it.each(jobs)('$want: one preview, one run, and back', async ({ words, sentence, left: question }) => {
    const before = await left(question);
    expect(before).toBeGreaterThan(0);
    const made = await cli(['preview', ...words, '--pace', '100']);
    expect([made.code, made.err]).toEqual([0, expect.stringContaining('Run it:')]);
    expect(made.out).toContain(sentence);
    const count = /= ([\d,]+) will change/.exec(made.out)![1]!.replace(',', '');
    const run = await cli(['run', 'last', '--expect', count]);
    expect([run.code, run.out]).toEqual([
      0,
      expect.stringContaining(`${Number(count).toLocaleString('en-US')} changed`),
    ]);
    expect(await left(question)).toBe(0);
    expect((await cli(['undo', 'last', '--expect', count])).code).toBe(0);
    expect(await left(question)).toBe(before);
  });

  it('takes a formula apart for one record', async () => {
    const told = await cli(['steps', 'bookings', '12', 'hives / (hives - hives)']);
    expect(told.code).toBe(0);
    expect(told.out).toMatch(/hives - hives\s+0\n/);
    expect(told.out).toMatch(/hives \/ \(hives - hives\)\s+\(blank\)/);
    expect((await cli(['steps', 'bookings', 'none', 'hives'])).code).not.toBe(0);
    expect((await cli(['steps', 'growers', 'Church Acre Co-operative', 'LEN(name)'])).out).toMatch(/LEN\(name\)\s+24/);
  });

  it('deals out evenly, to the record', async () => {
    const { out } = await cli([
      'preview',
      'growers',
      '-f',
      "owner = 'Tobias Fenwick'",
      '--split',
      "owner among='Ines Calloway',5",
    ]);
    const shares = [...out.matchAll(/^owner +Tobias Fenwick → .*? +(\d+)$/gm)].map((m) => Number(m[1]));
    expect(shares).toHaveLength(2);
    expect(Math.abs(shares[0]! - shares[1]!)).toBeLessThanOrEqual(1);
    expect(shares[0]! + shares[1]!).toBe(await left('select count(*)::int as n from growers where owner = 2'));
  });

  it('takes edits from a file, and a map from a CSV', async () => {
    const [edits, pairs] = [join(cli.home, 'edits.json'), join(cli.home, 'pairs.csv')];
    writeFileSync(
      edits,
      JSON.stringify([
        { kind: 'shift', field: 'hectares', percent: '10' },
        { kind: 'clear', field: 'access_note' },
      ]),
    );
    writeFileSync(pairs, 'Valley,new valley\nnorth,south\n"south",north\n');
    const made = await cli(['preview', 'sites', '-f', 'id < 50', '--edit', edits, '--map', `valley pairs=@${pairs}`]);
    expect(made.out).toContain(
      'shift hectares by +10 %, clear access note and map valley: North → South, South → North.',
    );
    expect(made.code).toBe(0);
  });

  it('takes a price list as it is kept beside the service', async () => {
    const list = join(__dirname, '../../demo/price-list.csv');
    const words = [
      'bookings',
      '-f',
      "status = 'draft'",
      '--map',
      `price_per_hive from=crop pairs=@${list} rest=refuse`,
    ];
    const { code, out } = await cli(['preview', ...words]);
    expect([code, out]).toEqual([0, expect.stringContaining('1,200 matched = 1,200 will change')]);
    expect(out).toContain('map price per hive by crop');
  });

  it('sends a map of more lines than one request holds ahead, and tells of a wrong line before anything else', async () => {
    const file = join(cli.home, 'notes.csv');
    const lines = (wrong: number): string =>
      ['Code;note', ...Array.from({ length: 12_000 }, (_, i) => `${i + 1 === wrong ? 'x' : i + 1};note ${i + 1}`)].join(
        '\n',
      );
    const preview = () => cli(['preview', 'sites', '--map', `access_note from=grower.id pairs=@${file}`]);
    writeFileSync(file, lines(0).replace('Code', 'id'));
    const made = await preview();
    expect(made.err).toContain('sent 10,000 of 12,000 values\nsent 12,000 of 12,000 values\n');
    expect([made.code, made.out]).toEqual([
      0,
      expect.stringContaining('map access note by grower’s id: 12,000 values'),
    ]);
    expect(made.out).toContain('4,000 matched = 4,000 will change');
    writeFileSync(file, lines(10_007).replace('Code', 'grower'));
    const wrong = await preview();
    expect([wrong.code, wrong.out]).toEqual([1, '']);
    expect(wrong.err).toContain('Line 10,007: Id is a number; “x” is not. (--map)');
    writeFileSync(file, 'grower, note\n'.repeat(3));
    expect((await preview()).code).toBe(1);
  });

  it('makes a preview again with what it offers, without some records, and tells what differs', async () => {
    const first = await cli([
      'preview',
      'bookings',
      '-f',
      "status = 'draft' AND site IS NOT NULL AND id < 3000",
      ...['--set', 'region=Northen Hills', '--set', 'note=Seen.'],
    ]);
    const [, id, mend] = /tantamos preview --again (\w+) --mend (\w+)/.exec(first.out)!;
    expect(first.out).toContain('Write “Northern Hills” instead: ');
    const [, matched] = /^(\d+) matched/m.exec(first.out)!;
    const again = await cli([
      'preview',
      '--again',
      'last',
      '--mend',
      mend!,
      '--drop',
      '1,76',
      '--set',
      'note=Seen twice.',
    ]);
    expect(again.code).toBe(0);
    expect(again.out).toContain('set region to “Northern Hills” and set note to “Seen twice.”');
    expect(again.out).toContain(`${Number(matched) - 2} matched`);
    const differ = await cli(['look', 'last', '--against', id!, '--limit', '2']);
    expect(differ.out).toContain(`0 as before, 0 more, 2 no longer, ${Number(matched) - 2} otherwise`);
    expect(differ.out).toContain('Seen. → Seen twice.');
    const spread = await cli(['look', 'last', '--pick', 'spread', '--field', 'region', '--format', 'json']);
    expect((JSON.parse(spread.out) as unknown[]).length).toBeGreaterThan(1);
  });

  it.each<[string[], number, string[]]>([
    [['--mend', 'new_value'], 2, ['--mend goes with --again']],
    [['--split', 'owner among=1 level=tasks:owner:"stat = \'open\'"'], 1, ["  stat = 'open'", '  ^^^^']],
    [['--number', 'note go-on step=-1'], 1, ['goes up: say a step above 0. (--number)']],
    [['--copy', 'note from=name of=growers record=Nobody'], 1, ['Growers: none is called “Nobody”. (--copy)']],
    [['--invent', 'note what=mixing'], 1, ['must be one of name, mail, phone']],
    [['--compute', 'hives = new(hives)'], 1, ['worked out from itself']],
    [['--compute', 'hives'], 2, ["--compute takes 'FIELD = EXPRESSION'"]],
    [
      ['--compute', 'hives = note'],
      1,
      ['Hives is a number, but “note” is a text. (--compute)', '  note', '  ^^^^', 'did you mean VALUE(note)?'],
    ],
    [['--compute', 'hives = hivs + 1'], 1, ['have no field “hivs”', '  hivs + 1', '  ^^^^', 'did you mean hives?']],
    [['--set', 'note=For {crop'], 1, ['never closed', '  For {crop', '      ^']],
    [['--only-where', 'hives > 3'], 2, ['is of the edit before it']],
    [['--shift', 'hives by=2', '--only-where', 'hives >'], 1, ['(--shift)', '  hives >']],
    [['--shift', 'hives next=monday'], 1, ['“next” is of dates; Hives is none. (--shift)']],
    [['--split', "owner among='Nobody At All'"], 1, ['Staff: none is called “Nobody At All”. (--split)']],
    [['--map', 'valley pairs=nort:south'], 1, ['no choice of Valley', 'did you mean north']],
    [['--edit', '/nowhere.json'], 2, ['/nowhere.json cannot be read']],
    [['--set', 'hives=3', '--compute', 'hives = 4'], 1, ['hives is changed twice. (--compute)']],
  ])('%j is told at its option', async (words, code, told) => {
    const answer = await cli(['preview', 'bookings', ...words]);
    expect(answer.code).toBe(code);
    for (const text of told) expect(answer.err).toContain(text);
  });
});
