import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

describe('values from files, and new records, on the command line', () => {
  let w: Workspace;
  let cli: Cli;
  const folder = mkdtempSync(join(tmpdir(), 'values-'));
  beforeAll(async () => {
    w = await openWorkspace();
    cli = await openCli(w.base);
  });
  afterAll(async () => {
    cli.remove();
    rmSync(folder, { recursive: true });
    await w.close();
  });
  const fileOf = (name: string, text: string): string => {
    const path = join(folder, name);
    writeFileSync(path, text);
    return path;
  };

  it('reads a file, says what becomes of each row, and stops where some fit no record', async () => {
    const path = fileOf('prices.csv', 'Ref;Price\nB-0000001;1.012,50\nB-0000002;abc\nB-0999999;3\n');
    const read = await cli([
      'file',
      'read',
      path,
      'bookings',
      '--match',
      'Ref=reference',
      '--take',
      'Price=price_per_hive',
    ]);
    expect(read.code).toBe(1);
    expect(read.err).toContain('prices.csv: CSV, utf-8, cells parted by ;, 3 rows');
    expect(read.err).toContain('3 rows = 1 taken + 1 fit no record + 1 do not fit; 1 → 1 record of bookings');
    expect(read.err).toContain('1 row fits no record of bookings');
    expect(read.err).toContain('say --unknown skip or --unknown create');
    const rows = await cli(['file', 'rows']);
    expect(rows.out).toMatch(/3 +B-0000002 +abc +unfit +Price per hive: “Price” is no number\./);
    const csv = await cli(['file', 'rows', '--of', 'unknown', '--format', 'csv']);
    expect(csv.out).toBe('Ref,Price,reason\r\nB-0999999,3,no record fits\r\n');
  });

  it('previews and runs what a file says, worked out of its columns', async () => {
    const path = fileOf('list.csv', 'reference,list price\nB-0000001,100\nB-0000002,200\n');
    const made = await cli([
      'preview',
      'bookings',
      '--values',
      path,
      '--take-computed',
      'price_per_hive = file."list price" * 1.05',
    ]);
    expect(made.code).toBe(0);
    expect(made.out).toContain('On the 2 bookings in the file “list.csv”: put 2 values');
    expect((await cli(['run', 'last', '--expect', '2', '--no-ask'])).code).toBe(0);
    const now = await w.sql.query('select price_per_hive::text as p from bookings where id <= 2 order by id');
    expect(now.rows).toEqual([{ p: '105.00' }, { p: '210.00' }]);
  });

  it('works columns out beside fields of the record, and says what is wrong with a formula where it stands', async () => {
    const path = fileOf('least.csv', 'reference,least\nB-0000001,1\nB-0000002,999\n');
    const computed = (formula: string) =>
      cli(['preview', 'bookings', '--values', path, '--take-computed', `price_per_hive = ${formula}`]);
    const wrong = await computed('MAX(price_per_hiv, file.least)');
    expect([wrong.code, wrong.err]).toEqual([1, expect.stringMatching(/price_per_hiv.*\n.*price_per_hive/s)]);
    expect((await computed('least * 2')).err).toContain('reads its columns: file.reference');
    const made = await computed('MAX(price_per_hive, file.least)');
    expect(made.out).toContain('2 matched = 1 will change + 1 already right');
  });

  it('asks which way round dates are, and makes what is new', async () => {
    const path = fileOf(
      'new.jsonl',
      '{"email":"a@mill.example","name":"A","grower":"Church Acre Co-operative","created_on":"3/4/2026"}\n',
    );
    const asked = await cli(['preview', 'contacts', '--values', path, '--unknown', 'create']);
    expect(asked.code).toBe(1);
    expect(asked.err).toMatch(/can be read in two ways.*\(--dates\)/);
    const made = await cli(['preview', 'contacts', '--values', path, '--unknown', 'create', '--dates', 'dmy']);
    expect(made.out).toContain('Make 1 record of contacts of the rows of “new.jsonl” that fit none.');
    expect((await cli(['run', 'last', '--expect', '1', '--no-ask'])).code).toBe(0);
    const now = await w.sql.query(`select created_on::text as d from contacts where email = 'a@mill.example'`);
    expect(now.rows).toEqual([{ d: '2026-04-03' }]);
  });

  it.each([
    [['preview', 'bookings', '--values', '/nowhere.csv'], 2, 'cannot be read'],
    [['preview', '--values', '/nowhere.csv'], 2, 'Say of which type'],
    [['preview', 'bookings', '--values', '/tmp', '--list', 'x'], 2, 'not both'],
    [['file', 'read', '/tmp', 'bookings'], 2, 'is no file'],
    [['create', 'contacts'], 2, 'Say what the new record gets'],
    [['create', 'contacts', '--with', 'name=x', '-f', 'id = 1'], 2, 'Say --for TYPE'],
    [['create', 'contacts', '--with', 'name=x'], 1, 'Grower of new contacts is required'],
    [['preset', 'forget', 'nothing'], 2, 'Nothing is kept as'],
  ])('%j is a clear answer', async (words, code, said) => {
    const answer = await cli(words);
    expect([answer.code, answer.err]).toEqual([code, expect.stringContaining(said)]);
  });

  it('makes new records of what is said, and of what is kept under a name', async () => {
    await cli(['preset', 'keep', 'call', 'tasks', '--with', 'subject=Call {name}', '--with', 'owner=Ines Calloway']);
    const listed = await cli(['preset']);
    expect(listed.out).toMatch(/call +tasks +subject to “Call \{name\}” and owner to Ines Calloway/);
    const made = await cli([
      'create',
      'tasks',
      '--for',
      'growers',
      '-f',
      'id <= 3',
      '--preset',
      'Call',
      '--with',
      'owner=Marta Quill',
    ]);
    expect(made.err).toContain('2 are called “Marta Quill”');
    const other = await cli([
      'create',
      'tasks',
      '--for',
      'growers',
      '-f',
      'id <= 3',
      '--preset',
      'call',
      '--with',
      'state=done',
    ]);
    expect(other.out).toContain('3 matched = 3 will be created');
    const plain = await cli(['create', 'tasks', '--with', 'subject=x', '--with', 'grower=1', '--count', '2']);
    expect(plain.out).toContain('Make 2 tasks: set subject to “x”');
    expect((await cli(['preset', 'forget', 'call'])).code).toBe(0);
  });
});
