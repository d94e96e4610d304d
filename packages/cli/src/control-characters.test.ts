import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

describe('values with terminal escape sequences', () => {
  let w: Workspace;
  let cli: Cli;
  // Sets the window's title, clears the screen, hides what follows; 8-bit control, writing direction.
  const evil = '\x1b]0;owned\x07\x1b[2J\x1b[8mred\x9b31m\u202eend';
  const seen = '␛]0;owned␇␛[2J␛[8mred<U+009B>31m<U+202E>end';
  const controls = /[\0-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u202a-\u202e]/;
  beforeAll(async () => {
    w = await openWorkspace();
    cli = await openCli(w.base);
    await w.sql.query('update bookings set note = $1 where id in (1, 2)', [evil]);
    await w.sql.query('update growers set name = $1 where id = (select grower from bookings where id = 1)', [evil]);
  });
  afterAll(async () => {
    cli.remove();
    await w.close();
  });

  const some = ['-f', 'id <= 2'];
  it('are shown as signs that can be seen, in tables, CSV, messages and problems', async () => {
    expect((await cli(['preview', 'bookings', ...some, '--set', 'note=plain'])).code).toBe(0);
    expect((await cli(['run', 'last', '--expect', '2'])).code).toBe(0);
    for (const args of [
      ['find', 'bookings', ...some, '--show', 'id,note,grower'],
      ['find', 'bookings', ...some, '--show', 'id,note,grower', '--format', 'csv'],
      ['export', 'bookings', ...some, '--show', 'id,note,grower'],
      ['record', 'bookings', '1'],
      ['values', 'bookings', 'note', ...some],
      ['result', 'last'],
      ['result', 'last', '--format', 'csv'],
      ['changes', '--type', 'bookings'],
    ]) {
      const { out, err, code } = await cli(args);
      expect([args, code]).toEqual([args, 0]);
      expect([args, controls.exec(out)?.[0], controls.exec(err)?.[0]]).toEqual([args, undefined, undefined]);
      if (!['changes', 'record', 'values'].includes(args[0]!))
        expect([args, out.includes('␛]0;owned␇')]).toEqual([args, true]);
    }
    expect((await cli(['find', 'bookings', ...some, '--show', 'note,id', '--format', 'csv'])).out).toContain('plain');
    const wrong = await cli(['find', 'bookings', '-f', `owner = '${evil}'`]);
    expect(wrong.code).not.toBe(0);
    expect(controls.exec(wrong.err)?.[0]).toBeUndefined();
    expect(wrong.err).toContain('␛[2J');
  });

  it('are escapes in JSON, so that a program reads what is there', async () => {
    for (const format of ['json', 'jsonl']) {
      const { out } = await cli(['result', 'last', '--format', format]);
      expect(controls.exec(out)?.[0]).toBeUndefined();
      expect(out).toContain('\\u001b]0;owned\\u0007');
      expect(
        JSON.stringify(
          format === 'json'
            ? JSON.parse(out)
            : out
                .trim()
                .split('\n')
                .map((l) => JSON.parse(l)),
        ),
      ).toContain(JSON.stringify(evil).slice(1, -1));
    }
  });

  it('are kept with --raw, and in a file that is written', async () => {
    for (const args of [
      ['result', 'last', '--format', 'csv', '--raw'],
      ['record', 'bookings', '1', '--raw'],
      ['export', 'growers', '-f', 'id = 1 OR id > 0', '--show', 'name', '--raw'],
    ])
      expect([args, (await cli(args)).out.includes(evil)]).toEqual([args, true]);
    expect((await cli(['export', 'growers', '--show', 'name', '--out', `${cli.home}/g.csv`])).code).toBe(0);
    const { readFileSync } = await import('node:fs');
    expect(readFileSync(`${cli.home}/g.csv`, 'utf8')).toContain(evil);
  });

  it('go back to the service as they were', async () => {
    await w.sql.query('update bookings set note = $1 where id = 3', [evil]);
    const saved = await cli(['selection', 'save', `of ${evil}`, 'bookings', '-f', 'id = 3']);
    if (saved.code === 0) expect((await cli(['selection', 'show', `of ${evil}`])).code).toBe(0);
    else expect(saved.err).toContain('␛');
    const found = await cli(['find', 'bookings', '-f', `note = '${evil}'`, '--show', 'id', '--format', 'csv']);
    expect(found.out.trim().split('\r\n').at(-1)).toBe('3');
  });

  it('of a journal are seen in its CSV, and kept where they are asked for', async () => {
    const [run] = await w.admin.runs({});
    const text = (raw?: 'true') =>
      w.admin.files.runRecords(run!.id, { format: 'csv', raw }).then((file) => file.text());
    expect(await text()).toContain(seen);
    expect(controls.exec(await text())?.[0]).toBeUndefined();
    expect(await text('true')).toContain(evil);
  });
});
