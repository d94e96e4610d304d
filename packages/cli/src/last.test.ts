import { execFile } from 'node:child_process';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

describe('what is said on the command line', () => {
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
  const on = (id: number, ...more: string[]) => ['preview', 'bookings', '-f', `id = ${id}`, ...more];

  it('`last` is what this terminal made, never another’s, an older one where the last failed, or of another kind', async () => {
    expect(await cli(['run', 'last', '--expect', '1'])).toMatchObject({
      code: 2,
      err: expect.stringContaining('There is no preview from this terminal yet'),
    });
    // Somebody else's, and newer.
    expect((await cli(on(1, '--set', 'note=a'))).code).toBe(0);
    await w.editor.makePreview({
      selection: { type: 'bookings', keys: ['2'] },
      edits: [{ kind: 'set', field: 'note', value: 'b' }],
    });
    const other = { TANTAMOS_TERMINAL: 'another' };
    expect((await cli(['run', 'last', '--expect', '1'], '', other)).code).toBe(2);
    const run = await cli(['run', 'last', '--expect', '1']);
    expect(run).toMatchObject({ code: 0 });
    expect((await w.sql.query('select note from bookings where id in (1, 2) order by id')).rows[0].note).toBe('a');
    // A preview is no run: `result last` is still the run.
    expect((await cli(on(3, '--set', 'note=c'))).code).toBe(0);
    expect((await cli(['result', 'last'])).out).toContain('set note to “a”');
    // One that is refused, or cannot be read, leaves no older one.
    for (const wrong of [on(4, '--set', 'hives=x'), on(4, '--set', 'nothing=1'), ['undo', 'zzzzzzzz']])
      expect((await cli(wrong)).code).not.toBe(0);
    expect(await cli(['run', 'last', '--expect', '1'])).toMatchObject({
      code: 2,
      err: expect.stringContaining('“last” never means an older one'),
    });
  });

  it('`last` is known also where npx starts the program, as the guide does', async () => {
    const npx = 'npx --no-install tantamos';
    const script = `${npx} preview bookings -f 'id = 77' --set note=npx && ${npx} run last --expect 1 --quiet && ${npx} result last; true`;
    const { stdout } = await promisify(execFile)('bash', ['-c', script], {
      cwd: join(__dirname, '../../..'),
      env: { PATH: process.env.PATH, HOME: cli.home, NO_COLOR: '1' },
    });
    expect(stdout).toContain('Finished: 1 record changed');
    // Another script is another terminal.
    const other = promisify(execFile)('bash', ['-c', `${npx} result last; true`], {
      cwd: join(__dirname, '../../..'),
      env: { PATH: process.env.PATH, HOME: cli.home, NO_COLOR: '1' },
    });
    expect((await other).stderr).toContain('There is no run from this terminal yet');
  });

  it('tells an administrator whose preview it is, and keeps both names with the run', async () => {
    const p = await w.editor.makePreview({
      selection: { type: 'bookings', keys: ['5'] },
      edits: [{ kind: 'set', field: 'note', value: 'd' }],
    });
    const run = await cli(['run', p.id, '--expect', '1']);
    expect(run.err).toContain('This preview was made by Piers Wickham; the run keeps both your names.');
    const kept = (await w.admin.runs({ limit: 1 }))[0]!;
    expect([kept.startedBy, kept.previewBy]).toEqual(['Sorrel Haldane', 'Piers Wickham']);
    expect((await cli(['result', kept.id])).out).toContain('by Sorrel Haldane, worked out by Piers Wickham');
  });

  it('says where a mistake is in the words of the command line', async () => {
    const list = await cli(
      [...on(1).slice(0, 2), '--list', '-', '--match', 'reference', '--set', 'note=x'],
      'B-0000001\nnope',
    );
    expect(list.err).toContain('(--unknown)');
    expect(list.err).toContain('go on without them: --unknown skip');
    expect((await cli(on(1, '--set', 'note=x', '--fill', 'hives=x'))).err).toContain('(--fill)');
    expect((await cli(on(1, '--set', 'note=x', '--batch-size', '99999'))).err).toContain('(--batch-size)');
    expect((await cli(['find', 'bookings', '--sort', 'nothing'])).err).toContain('(--sort)');
  });

  it('offers to run only what can be started, and explains a preview of nothing', async () => {
    const right = await cli(on(1, '--set', 'hives=68'));
    expect(right.code).toBe(3);
    expect(right.err).not.toContain('tantamos run');
    const most = await cli(['preview', 'bookings', '--set', 'note=z', '--at-most', '3']);
    expect(most.err).not.toContain('tantamos run');
    const none = await cli(['preview', 'bookings', '-f', "region = 'Northern Hill' AND hives > 3", '--set', 'note=z']);
    expect(none.code).toBe(3);
    expect(none.out).toMatch(/region = 'Northern Hill' +0/);
    expect(none.out).toContain("what does occur: region = 'Northern Hills'");
  });

  it('holds --limit in every format, takes a name for a key, cuts no reason, and answers of a run that waits with 0', async () => {
    await cli(['preview', 'bookings', '-f', 'id <= 40', '--set', 'note=many', '--ask-after', '5']);
    expect((await cli(['look', 'last', '--format', 'csv', '--limit', '3'])).out.trim().split('\r\n')).toHaveLength(4);
    expect((await cli(['look', 'last', '--format', 'jsonl', '--limit', '3'])).out.trim().split('\n')).toHaveLength(3);
    expect((await cli(['look', 'last', '--format', 'csv'])).out.trim().split('\r\n').length).toBeGreaterThan(20);
    expect((await cli(['run', 'last', '--expect', '39'])).code).not.toBe(0);
    const { rows } = await w.sql.query('select name, id from growers order by id limit 1');
    expect((await cli(['record', 'growers', rows[0].name])).out).toContain(rows[0].name);
    expect((await cli(['pointers', 'growers', rows[0].name])).out).toMatch(/bookings +grower/);
    const same = await w.sql.query('select name from staff group by name having count(*) > 1 limit 1');
    if (same.rows[0]) expect((await cli(['record', 'staff', same.rows[0].name])).err).toContain('say the key');
    expect((await cli(['--version'])).out).toBe('0.1.0\n');
    await w.sql.query('create view reasons as select 1 as x');
    w.services.catalogs.refresh();
    const reason = (await w.admin.types()).find((t) => t.id === 'reasons')!.notChangeable!;
    expect((await cli(['types'])).out).toContain(reason);
  });

  it('quotes a text that reads like a field or a formula, and warns of it', async () => {
    for (const text of ['grower.name', 'hives * 2', '=A1+1', 'UPPER(note)']) {
      const said = await cli(on(9, '--set', `note=${text}`));
      expect(said.out).toContain(`set note to “${text}”`);
      expect(said.out).toContain('reads like a formula or a field');
    }
    for (const text of ['late frost', '12', 'a - b', 'Hives'])
      expect((await cli(on(9, '--set', `note=${text}`))).out.includes('reads like')).toBe(text === 'Hives');
  });

  it('takes blanks in with --with-blanks, and says what is left out without', async () => {
    const without = await cli(['find', 'bookings', '-f', "region <> 'Northern Hills'"]);
    expect(without.err).toContain('8,086 whose region is blank are left out; --with-blanks takes them in.');
    const taken = await cli(['find', 'bookings', '-f', "region <> 'Northern Hills'", '--with-blanks']);
    const matched = (said: string) => Number(/([\d,]+) matched/.exec(said)![1]!.replace(',', ''));
    expect(matched(taken.err) - matched(without.err)).toBe(8086);
    expect(taken.err).not.toContain('left out');
    const preview = await cli(['preview', 'bookings', '-f', "region <> 'Northern Hills'", '--set', 'note=x']);
    expect(preview.out).toContain('where region is not “Northern Hills” (nor blank)');
    expect(preview.out).toContain('8,086 whose region is blank are left out. --with-blanks takes them in.');
  });
});
