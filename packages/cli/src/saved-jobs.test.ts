import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { tmpdir } from 'node:os';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

describe('saved jobs on the command line', () => {
  let w: Workspace;
  let cli: Cli;
  const folder = mkdtempSync(join(tmpdir(), 'tantamos-jobs-'));
  beforeAll(async () => {
    w = await openWorkspace();
    cli = await openCli(w.base);
  });
  afterAll(async () => {
    cli.remove();
    rmSync(folder, { recursive: true });
    await w.close();
  });
  const leaver = ['growers', '-f', "owner = 'Tobias Fenwick'"];
  const split = ['--split', "owner among='Ines Calloway','Verity Rushwater'"];

  it('saves a job with what it asks for, shows and lists it', async () => {
    expect((await cli(['job'])).err).toContain('None yet');
    const saved = await cli([
      ...['job', 'save', 'leaver', ...leaver, ...split, '--ask-for', 'leaver=Tobias Fenwick'],
      ...['--folder', 'People', '--because', 'first'],
    ]);
    expect(saved.err).toMatch(/^Saved “leaver”, version 1: On the growers where owner is ‹leaver›: split owner /);
    expect(saved.err).toContain('It asks for leaver (owner, usually Tobias Fenwick).');
    expect((await cli(['job', 'show', 'leaver'])).out).toMatch(/leaver +owner +staff +Tobias Fenwick/);
    expect((await cli(['job'])).out).toMatch(/People +leaver +growers +leaver/);
  });

  it('previews and runs it for somebody else', async () => {
    const p = await cli(['job', 'preview', 'leaver', '--input', 'leaver=Ines Calloway']);
    expect(p).toMatchObject({
      code: 0,
      out: expect.stringContaining('75 matched = 37 will change + 38 already right'),
    });
    expect((await cli(['job', 'run', 'leaver', '--expect', '1'])).err).toContain('184 will change, not 1');
    const run = await cli(['job', 'run', 'leaver', '--expect', '184', '--no-ask', '--why', 'Leaves on Friday']);
    expect(run).toMatchObject({ code: 0, out: expect.stringContaining('184 matched = 184 changed') });
    // Nobody is left: nothing to do.
    expect((await cli(['job', 'run', 'leaver', '--expect', '0'])).code).toBe(3);
  });

  it('works out what is usual at the moment it is used', async () => {
    const due = ['tasks', '-f', "state = 'open'", '--set', 'due_on=2026-12-01', '--ask-for', 'due=2026-12-01'];
    expect((await cli(['job', 'save', 'due', ...due, '--usual', 'due=TODAY() + 7'])).code).toBe(0);
    const day = new Date(Date.now() + 7 * 86_400_000).toISOString().slice(0, 10);
    expect((await cli(['job', 'preview', 'due'])).out).toContain(`set due on to ${day}`);
  });

  it('asks for a file of values, which is sent and read as the first one was', async () => {
    const file = (name: string, text: string): string => {
      writeFileSync(join(folder, name), text);
      return join(folder, name);
    };
    const first = file('prices.csv', 'ref,price\nB-0000001,41\nnone,1\n');
    const values = [
      '--values',
      first,
      '--match',
      'ref=reference',
      '--take',
      'price=price_per_hive',
      '--unknown',
      'skip',
    ];
    const save = ['job', 'save', 'prices', 'bookings', ...values];
    expect(await cli(save)).toMatchObject({ code: 1, err: expect.stringContaining('ask for the list or the file') });
    const saved = await cli([...save, '--ask-for', 'prices=file', '--label', 'prices=The supplier’s prices']);
    expect(saved.err).toContain('It asks for prices (The supplier’s prices, each time).');
    expect((await cli(['job', 'show', 'prices'])).out).toMatch(/prices +The supplier’s prices +file +nothing: a file/);
    const next = file('next.csv', 'ref,price\nB-0000002,52\nB-0000003,53\n');
    for (const said of [next, `@${next}`]) {
      const p = await cli(['job', 'preview', 'prices', '--input', `prices=${said}`]);
      expect(p).toMatchObject({ code: 0, out: expect.stringContaining('2 matched = 2 will change') });
      expect(p.out).toContain('File: 2 rows = 2 taken');
    }
    expect(await cli(['job', 'preview', 'prices'])).toMatchObject({
      code: 1,
      err: expect.stringContaining('Say The supplier’s prices: nothing was said. (--input)'),
    });
    expect((await cli(['job', 'preview', 'prices', '--input', 'prices=nothing.csv'])).code).toBe(2);
    const other = file('other.csv', 'code,amount\nB-0000002,52\n');
    expect((await cli(['job', 'preview', 'prices', '--input', `prices=${other}`])).err).toContain('no column “ref”');
    expect((await cli([...save, '--ask-for', 'prices=file', '--label', 'price=x'])).code).toBe(2);
    await cli(['job', 'delete', 'prices']);
  });

  it('goes out as a file and comes in again', async () => {
    const file = join(folder, 'jobs.json');
    expect((await cli(['job', 'export', file])).err).toBe(`Written to ${file}.\n`);
    expect(JSON.parse(readFileSync(file, 'utf8'))).toMatchObject({ tantamos: 'saved-jobs' });
    await cli(['job', 'delete', 'due']);
    expect((await cli(['job', 'import', file, '--taken', 'skip'])).err).toBe('Taken: due.\n');
  });

  it.each([
    [
      ['job', 'save', 'x', ...leaver, ...split, '--ask-for', 'who=Nobody'],
      'is no value of this job. Its values: Tobias',
    ],
    [['job', 'save', 'x', ...leaver, ...split, '--usual', 'who=1'], 'nothing called “who” is asked for'],
    [['job', 'save', 'x', ...leaver, ...split, '--ask-for', 'who'], 'NAME='],
    [['job', 'preview', 'leaver', '--input', 'nobody=1'], 'it asks for leaver'],
    [['job', 'preview', 'leaver', '--input', 'leaver=Tobias Fenwik'], "did you mean 'Tobias Fenwick'?"],
    [['job', 'run', 'nothing'], 'There is no saved job “nothing”.'],
  ])('refuses %j', async (args, words) => {
    const said = await cli(args);
    expect(said.code).not.toBe(0);
    expect(said.err).toContain(words);
  });
});
