import { readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

const filter = "status = 'draft' AND valley = 'north' AND owner = 'Ines Calloway'";

describe('the command line', () => {
  let w: Workspace;
  let cli: Cli;
  let home: string;
  beforeAll(async () => {
    w = await openWorkspace();
    cli = await openCli(w.base);
    ({ home } = cli);
  });
  afterAll(async () => {
    cli.remove();
    await w.close();
  });

  const idOf = (text: string, what: string): string => new RegExp(`${what} ([0-9a-f]{8})`).exec(text)![1]!;

  it('keeps the token where only its owner can read it', async () => {
    expect(statSync(join(home, '.config/tantamos/session.json')).mode & 0o777).toBe(0o600);
    expect(readFileSync(join(home, '.config/tantamos/session.json'), 'utf8')).not.toContain('meadow-admin');
    expect((await cli(['who'])).out).toBe(
      'Sorrel Haldane (sorrel, administrator) in Meadowline\nme() is Sorrel Haldane: staff 5\n',
    );
  });

  it('does the whole job: find, preview, run, look, continue, result, record, undo', async () => {
    const before = (await w.sql.query('select id, status, region from bookings order by id')).rows;
    const found = await cli([
      'find',
      'bookings',
      '--filter',
      filter,
      '--show',
      'reference,grower.name,owner',
      '--limit',
      '2',
    ]);
    expect(found.code).toBe(0);
    expect(found.out.split('\n').slice(0, 2)).toEqual([
      'reference  grower.name         owner',
      'B-0000076  Marlowgate Estate   Ines Calloway',
    ]);
    expect(found.err).toContain('200 matched, 2 shown');

    const preview = await cli([
      'preview',
      'bookings',
      '-f',
      filter,
      '--set',
      'status=confirmed',
      '--fill',
      'region=Northern Hills',
      '--batch-size',
      '100',
      '--ask-after',
      '5',
      '--pace',
      '100',
      '--why',
      'Spring round',
    ]);
    expect(preview.code).toBe(0);
    expect(preview.out).toContain('200 matched = 191 will change + 9 not allowed');
    expect(preview.out).toMatch(/status +Draft → Confirmed +191/);
    expect(preview.out).toContain('! 9 not allowed: A confirmed booking needs a site.');
    const id = idOf(preview.out, 'preview');

    const looked = await cli(['look', id, '--outcome', 'not_allowed', '--format', 'csv']);
    expect(looked.out.trim().split('\r\n')).toHaveLength(10);

    const unasked = await cli(['run', id]);
    expect(unasked).toMatchObject({ code: 2, err: expect.stringContaining('give the number: --expect 191') });
    expect(await cli(['run', id, '--expect', '190'])).toMatchObject({
      code: 5,
      err: expect.stringContaining('191 will change, not 190. Nothing was changed.'),
    });

    const asked = await cli(['run', id, '--expect', '191']);
    expect(asked).toMatchObject({ code: 4, out: expect.stringContaining('Waiting for you') });
    expect(asked.out).toContain('200 matched = 5 changed + 9 not allowed + 186 not yet');
    const run = idOf(asked.out, 'run');

    const rest = await cli(['continue', run]);
    expect(rest).toMatchObject({ code: 0, out: expect.stringContaining('200 matched = 191 changed + 9 not allowed') });

    const csv = await cli(['result', run, '--format', 'csv']);
    expect(csv.out.split('\r\n')[0]).toBe(
      'key,name,outcome,cause,status before,status after,region before,region after',
    );
    expect(csv.out.trim().split('\r\n')).toHaveLength(201);
    const json = JSON.parse((await cli(['runs', '--format', 'json'])).out) as { id: string; totals: object }[];
    expect(json[0]).toMatchObject({ totals: { matched: 200, changed: 191 } });

    const record = await cli(['record', 'bookings', '76']);
    expect(record.out).toContain(`run ${run} by Sorrel Haldane: changed`);
    expect(record.out).toContain('why: Spring round');
    expect(record.out).toContain('status: Draft → Confirmed');

    const undo = await cli(['undo', run, '--expect', '191']);
    expect(undo).toMatchObject({ code: 0, out: expect.stringContaining('191 matched = 191 restored') });
    expect((await w.sql.query('select id, status, region from bookings order by id')).rows).toEqual(before);
    expect(await cli(['undo', run])).toMatchObject({
      code: 3,
      err: expect.stringContaining('has been undone already'),
    });
  });

  it('points at what is wrong in a filter, and at what would be right', async () => {
    const { err, code, out } = await cli(['find', 'bookings', '-f', "status = 'draft' AND owner = 'Ines Caloway'"]);
    expect(code).toBe(1);
    expect(out).toBe('');
    expect(err.split('\n')).toEqual([
      'error: Staff: none is called “Ines Caloway”.',
      "  status = 'draft' AND owner = 'Ines Caloway'",
      '                               ^^^^^^^^^^^^^^',
      "  did you mean 'Ines Calloway'?",
      '',
    ]);
  });

  it.each([
    [['find'], 2, "missing required argument 'type'"],
    [['fnd', 'bookings'], 2, "unknown command 'fnd'"],
    [['preview', 'bookings', '--set', 'status'], 2, '--set takes FIELD=VALUE'],
    [['preview', 'bookings', '--batch-size', 'many'], 2, '--batch-size takes a whole number'],
    [['preview'], 2, 'Say which type of record'],
    [['preview', 'bookings', '--job', '/nowhere.json'], 2, '/nowhere.json cannot be read'],
    [['find', 'bookings', '--format', 'xml'], 2, '--format is one of'],
    [['find', 'bookngs'], 1, 'did you mean bookings?'],
    [['preview', 'bookings', '-f', 'id = 1', '--set', 'hives=x'], 1, 'Hives is a number; “x” is not. (--set)'],
    [['preview', 'bookings', '-f', 'id = -1', '--set', 'note=x'], 3, ''],
    [['preview', 'bookings', '-f', 'id < 10', '--set', 'note=x', '--at-most', '3'], 5, 'more than the 3 of --at-most'],
    [['result', 'abcdef12'], 2, 'There is no run “abcdef12”'],
    [['record', 'bookings', '0'], 1, 'there is no record with the key 0'],
    [['find', 'bookings', '-f', 'id = -1'], 3, '0 matched'],
  ])('%j exits with %i', async (args, code, said) => {
    const answer = await cli(args);
    expect([answer.code, answer.err]).toEqual([code, expect.stringContaining(said)]);
  });

  it('takes a job from a file or standard input', async () => {
    const job = {
      selection: { type: 'bookings', keys: ['1', '2'] },
      edits: [{ kind: 'set', field: 'note', value: 'from a file' }],
      why: 'File',
    };
    writeFileSync(join(home, 'job.json'), JSON.stringify(job));
    expect((await cli(['preview', '--job', join(home, 'job.json')])).out).toContain(
      'On the 2 picked bookings: set note to “from a file”.',
    );
    expect((await cli(['preview', '--job', '-'], JSON.stringify(job))).out).toContain('Why: File');
    expect((await cli(['preview', '--job', '-'], '{"edits":')).code).toBe(2);
  });

  it('needs somebody signed in, and says how', async () => {
    const stranger = await cli(['types'], '', { HOME: '/nonexistent', TANTAMOS_SERVICE: w.base });
    expect(stranger).toMatchObject({ code: 6, err: expect.stringContaining('Sign in with: tantamos sign-in') });
    const wrong = await cli(['sign-in', '--service', w.base, '--login', 'sorrel', '--password-stdin'], 'wrong');
    expect(wrong).toMatchObject({ code: 1, err: expect.stringContaining('do not go together') });
    const nowhere = await cli(['types'], '', { TANTAMOS_SERVICE: 'http://127.0.0.1:1' });
    expect(nowhere).toMatchObject({
      code: 1,
      err: expect.stringContaining('The service at http://127.0.0.1:1 does not answer.'),
    });
  });

  it('sets what an administrator sets', async () => {
    const set = await cli(['settings', 'type', 'sites', '--label', 'Orchard sites', '--most-records', '100']);
    expect(set.out).toMatch(/mostRecords +100/);
    expect((await cli(['types', '--format', 'csv'])).out).toContain('sites,Orchard sites,');
    expect((await cli(['settings', 'field', 'sites', 'access_note', '--protect'])).out).toMatch(/protected +true/);
    expect((await cli(['preview', 'sites', '-f', 'id = 1', '--set', 'access_note=x'])).err).toContain(
      'an administrator has protected it',
    );
    expect(
      (await cli(['accounts', 'add', 'maren', '--name', 'Maren Oakenshaw', '--role', 'editor'], 'long enough\n')).code,
    ).toBe(0);
    expect((await cli(['accounts'])).out).toContain('maren');
  });

  it('tells the exit codes in its help', async () => {
    const { out, code } = await cli(['--help']);
    expect(code).toBe(0);
    expect(out).toContain('4  waiting for you');
  });

  it('works on records with a key of two fields, and tells what is no such key', async () => {
    const [first, second] = (
      await w.sql.query<{ booking: number; hive: number }>('select booking, hive from placements order by 1, 2 limit 2')
    ).rows;
    const key = JSON.stringify([String(first!.booking), String(first!.hive)]);
    const keys = JSON.stringify([first, second].map((r) => [r!.booking, r!.hive]));
    const preview = await cli(['preview', 'placements', '--keys', keys, '--set', 'placed_on=2026-04-01']);
    expect(preview.out).toContain('2 matched');
    const done = await cli(['run', 'last', '--expect', '2']);
    expect(done.out).toContain('2 matched = 2 changed');
    expect((await cli(['record', 'placements', key])).out).toContain('placed_on');
    const result = await cli(['result', 'last', '--format', 'json']);
    expect(result.out).toContain(JSON.stringify(key));
    const undo = await cli(['undo', 'last', '--expect', '2']);
    expect(undo.out).toContain('2 matched = 2 restored');
    const wrong = await cli(['record', 'placements', '1']);
    expect(wrong.code).not.toBe(0);
    expect((await cli(['find', 'placements', '--keys', '[["1"]]'])).err).toContain('A key of placements is written');
  });
});
