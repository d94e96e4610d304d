import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

const leftAlone = join(__dirname, '../../demo/left-alone.txt');

describe('selecting on the command line', () => {
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
  const file = (name: string, text?: string): string => {
    const path = join(cli.home, name);
    if (text !== undefined) writeFileSync(path, text);
    return path;
  };

  it('takes a filter as JSON, and points at the mistake in its text form', async () => {
    const json = '{"op":"=","args":[{"property":"statsu"},"draft"]}';
    expect(await cli(['find', 'bookings', '-f', json])).toMatchObject({
      code: 1,
      err: "error: Bookings have no field “statsu”.\n  statsu = 'draft'\n  ^^^^^^\n  did you mean status?\n",
    });
    const right = await cli(['find', 'bookings', '-f', json.replace('statsu', 'status'), '--limit', '1']);
    expect(right.err).toContain('1,200 matched');
  });

  it('says why nothing matched, and what does occur', async () => {
    const none = await cli(['find', 'bookings', '-f', "status = 'draft' AND grower.name = 'Marlowgate Estat'"]);
    expect(none.code).toBe(3);
    expect(none.out).toMatch(/grower.name = 'Marlowgate Estat' +0 +1,200 +no record at all/);
    expect(none.out).toContain("what does occur: grower.name = 'Marlowgate Estate'");
    expect((await cli(['explain', 'bookings', '-f', 'hives > 0', '--format', 'json'])).out).toContain('"after": 18000');
  });

  it('finds relatives, first ones, samples', async () => {
    const count = async (...args: string[]): Promise<number> =>
      Number(/([\d,]+) matched/.exec((await cli(['find', ...args, '--limit', '1'])).err)![1]!.replace(',', ''));
    const north = "growers: valley = 'north'";
    const hand = async (sql: string): Promise<number> =>
      Number((await w.sql.query(`select count(*) as n from ${sql}`)).rows[0].n);
    expect(await count('bookings', '--related', `grower of ${north}`)).toBe(
      await hand(`bookings b join growers g on g.id = b.grower where g.valley = 'north'`),
    );
    expect(await count('growers', '--related', "grower from invoices: state = 'overdue'")).toBe(
      await hand(`growers where id in (select grower from invoices where state = 'overdue')`),
    );
    expect(await count('growers', '--related', 'under parent: id = 1', '--with-itself')).toBe(
      (await hand('growers where parent = 1')) + 1,
    );
    expect(await count('tasks', '--related', 'booking of bookings', '--related', `grower of ${north}`)).toBe(
      await hand(
        `tasks t join bookings b on b.id = t.booking join growers g on g.id = b.grower where g.valley = 'north'`,
      ),
    );
    expect(await count('bookings', '--random', '9', '--seed', 'x', '--per', 'status')).toBe(45);
    const top = await cli(['find', 'bookings', '--first', '2', '--by', '-total', '--show', 'total', '--format', 'csv']);
    expect(top.out.trim().split('\r\n')).toHaveLength(3);
    expect(await cli(['find', 'bookings', '--related', 'nonsense'])).toMatchObject({ code: 2 });
    expect(await cli(['find', 'bookings', '--per', 'status'])).toMatchObject({ code: 2 });
  });

  it('matches a list from a file or standard input; a preview stops at the unknown until told', async () => {
    const found = await cli(['find', 'contacts', '--list', leftAlone, '--match', 'email', '--limit', '1']);
    expect(found.err).toContain('247 = 221 found + 26 unknown; 221 → 243 contacts');
    const edit = ['--set', 'mail_preference=none'];
    const stopped = await cli(['preview', 'contacts', '--list', leftAlone, '--match', 'email', ...edit]);
    expect(stopped).toMatchObject({
      code: 1,
      err: expect.stringContaining('26 of 247 entries of the list fit no record'),
    });
    const going = await cli(
      ['preview', 'contacts', '--list', '-', '--match', 'email', '--unknown', 'skip', ...edit],
      readFileSync(leftAlone, 'utf8'),
    );
    expect(going).toMatchObject({ code: 0, out: expect.stringContaining('List: 300 lines = 3 blank') });
    expect(await cli(['find', 'contacts', '--list', leftAlone])).toMatchObject({
      code: 2,
      err: expect.stringContaining('--match email'),
    });

    const unknown = await cli(['match', leftAlone, '--in', 'contacts.email', '--show', 'unknown', '--format', 'csv']);
    expect(unknown.out.trim().split('\r\n')).toHaveLength(27);
    const mixed = await cli(
      ['match', '-', '--in', 'growers.code', '--in', 'bookings.reference'],
      'G-000001\nB-0000001\nH-0000001',
    );
    expect(mixed.err).toContain('1 → 1 record of growers; 1 → 1 record of bookings');
    expect(mixed.err).toContain('1 of the unknown are the code of hives');
  });

  it('counts values, crosses fields, keeps counts and compares them', async () => {
    const values = await cli(['values', 'bookings', 'status,valley', '-f', 'hives > 10', '--keep', 'spring']);
    expect(values.out).toMatch(/Draft +1,\d+ +6\.\d %/);
    expect(values.err).toContain('Kept as “spring”');
    expect((await cli(['values', 'bookings', 'hives', '--ranges'])).out).toContain('10 … under 20');
    expect((await cli(['cross', 'bookings', 'status', 'valley'])).out).toMatch(/Draft( +240){5}/);
    await w.sql.query(
      `update bookings set status = 'cancelled' where status = 'draft' and hives > 10 and valley = 'north'`,
    );
    const compared = await cli(['counts', 'compare', 'spring']);
    expect(compared.out).toMatch(/Draft +North +\d+ +0 +−\d+/);
    expect((await cli(['counts'])).out).toContain('spring');
    expect((await cli(['counts', 'forget', 'spring'])).code).toBe(0);
    expect(await cli(['counts', 'compare', 'spring'])).toMatchObject({ code: 2 });
  });

  it('saves selections, uses them, exports and imports them', async () => {
    const saved = await cli([
      'selection',
      'save',
      'closed ones',
      'growers',
      '-f',
      "status = 'closed'",
      '--note',
      'gone',
    ]);
    expect(saved.err).toMatch(/Saved “closed ones”, version 1: \d+ growers\./);
    const count = /: (\d+) growers/.exec(saved.err)![1]!;
    expect((await cli(['find', 'growers', '--selection', 'closed ones', '--limit', '1'])).err).toContain(
      `${count} matched`,
    );
    expect((await cli(['selection', 'show', 'closed ones'])).out).toContain("status = 'closed'");
    expect(await cli(['selection', 'save', 'nothing', 'growers'])).toMatchObject({ code: 2 });
    await cli(['selection', 'export', file('s.json')]);
    expect(readFileSync(file('s.json'), 'utf8')).toContain('"op": "="');
    expect(await cli(['selection', 'import', file('s.json')])).toMatchObject({
      code: 1,
      err: expect.stringContaining('taken'),
    });
    expect(await cli(['selection', 'delete', 'closed ones'])).toMatchObject({ code: 0 });
    expect((await cli(['selection', 'import', file('s.json')])).err).toBe('Taken: closed ones.\n');
    expect((await cli(['selection'])).out).toContain('closed ones');
    expect(await cli(['selection', 'import', file('bad.json', '{')])).toMatchObject({ code: 2 });
  });

  it('takes records away as files', async () => {
    const csv = await cli([
      'export',
      'growers',
      '-f',
      "status = 'closed'",
      '--show',
      'code,owner',
      '-o',
      file('g.csv'),
      '--separator',
      ';',
      '--bom',
    ]);
    const n = Number(/(\d+) records written/.exec(csv.err)![1]);
    const lines = readFileSync(file('g.csv'), 'utf8').split('\r\n');
    expect([lines[0], lines.length]).toEqual(['\ufeffcode;owner', n + 2]);
    await cli(['export', 'growers', '-o', file('g.xlsx')]);
    expect(readFileSync(file('g.xlsx')).subarray(0, 2).toString()).toBe('PK');
    const piped = await cli(['export', 'growers', '--format', 'jsonl', '--show', 'code', '--keys', '1,2']);
    expect(piped.out).toBe('{"code":"G-000001"}\n{"code":"G-000002"}\n');
    expect(await cli(['export', 'growers', '--format', 'pdf'])).toMatchObject({ code: 2 });
  });

  it('tells the functions, and what points at a record', async () => {
    expect((await cli(['functions', 'workday'])).out).toContain('WORKDAY(date, days, holidays?)');
    expect((await cli(['functions', '--format', 'csv'])).out.split('\r\n').length).toBeGreaterThan(60);
    expect(await cli(['functions', 'nope'])).toMatchObject({ code: 2 });
    expect((await cli(['pointers', 'growers', '1'])).out).toMatch(/bookings +grower +\d+/);
  });
});
