import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

describe('careful runs, and what is done after them, on the command line', () => {
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

  const preview = (from: number, to: number, note: string, ...more: string[]) =>
    cli([
      'preview',
      'bookings',
      '-f',
      `id >= ${from} AND id <= ${to}`,
      '--set',
      `note=${note}`,
      '--pace',
      '100',
      ...more,
    ]);
  const count = async (note: string): Promise<number> =>
    (await w.sql.query<{ n: number }>('select count(*)::int as n from bookings where note = $1', [note])).rows[0]!.n;

  it('a limit ends it with a code of its own, says so, and is let be by continue', async () => {
    await w.sql.query(`create function no_tens() returns trigger language plpgsql as $$ begin
      if new.note = 'limited' and new.id % 10 = 0 then raise exception 'No tens are wanted.'; end if; return new; end $$`);
    await w.sql.query('create trigger no_tens before update on bookings for each row execute function no_tens()');
    await preview(1, 50, 'limited', '--batch-size', '10', '--stop-if', 'failures=1', '--stop-if', 'minutes=60');
    const ran = await cli(['run', 'last', '--expect', '50']);
    expect(ran).toMatchObject({ code: 5 });
    expect(ran.out).toMatch(
      /Paused: \d+ records changed — Stopped by its limit: 2 could not be changed, more than the 1 you allowed/,
    );
    expect(ran.out).toContain('To continue is to go on without that limit.');
    const causes = await cli(['causes', 'last']);
    expect(causes.out).toMatch(
      /2 refused: No tens are wanted\.\n {2}the database: No tens are wanted.*\(P0001\)\n {2}A trigger/,
    );
    expect((await cli(['continue', 'last'])).code).toBe(1);
    expect(await count('limited')).toBe(45);
    const log = (await cli(['log', 'last', '--format', 'csv'])).out;
    expect(log).toMatch(
      /Started,Sorrel Haldane[\s\S]*Told to pause: Stopped by its limit[\s\S]*Told to go on[\s\S]*Finished/,
    );
    expect(
      (await cli(['result', 'last', '--cause', 'No tens are wanted.', '--format', 'jsonl'])).out.trim().split('\n'),
    ).toHaveLength(5);
  });

  it('goes, hours and the first of each change; the pace while it works', async () => {
    const made = await preview(
      101,
      160,
      'in goes',
      '--per-go',
      '40',
      '--hours',
      '00:00-00:00 mon-sun UTC',
      '--ask-first',
      'spread',
      '--ask-after',
      '3',
    );
    expect(made.code).toBe(0);
    const first = await cli(['run', 'last', '--expect', '60']);
    expect(first).toMatchObject({ code: 4 });
    expect(await count('in goes')).toBeLessThanOrEqual(3);
    expect((await cli(['pace', 'last', '--pace', '90', '--at-once', '2'])).code).toBe(0);
    expect((await cli(['continue', 'last'])).out).toContain('This go is done');
    expect((await cli(['continue', 'last'])).code).toBe(0);
    expect(await count('in goes')).toBe(60);
    expect((await cli(['pace', 'last', '--pace', '50'])).code).toBe(1);
    await preview(171, 180, 'picked');
    expect((await cli(['run', 'last', '--expect', '10', '--ask-keys', '173,175'])).code).toBe(4);
    expect((await w.sql.query(`select id from bookings where note = 'picked' order by id`)).rows).toEqual([
      { id: 173 },
      { id: 175 },
    ]);
    await cli(['stop', 'last']);
  });

  it('says what is wrong with what was said of safety, at the option', async () => {
    const told = async (...more: string[]) => (await preview(1, 2, 'never', ...more)).err;
    expect(await told('--stop-if', 'bananas=1')).toContain('--stop-if takes one of failures, edited-since');
    expect(await told('--hours', 'all night')).toContain('--hours begins with times such as 20:00-06:00');
    expect(await told('--hours', '20:00-06:00 mon-fri Mars/Olympus')).toContain('There is no time zone “Mars/Olympus”');
    expect(await told('--hours', '20:00-26:00')).toContain('--hours');
    expect(await told('--order', 'start_onn')).toMatch(/start_on.*\(--order\)/s);
    expect(await told('--at-once', '17')).toContain('--at-once');
    expect(await told('--at-most-share', 'half')).toContain('--at-most-share takes a number');
    expect(await count('never')).toBe(0);
  });

  it('rechecks, searches, and undoes a part', async () => {
    expect((await cli(['values', 'bookings', 'note', '-f', 'id IN (201, 202)', '--keep', 'notes before'])).code).toBe(
      0,
    );
    await preview(201, 220, 'to be back', '--why', 'A try');
    expect((await cli(['run', 'last', '--expect', '20'])).code).toBe(0);
    await w.sql.query(`update bookings set note = 'by hand' where id = 202`);
    expect((await cli(['recheck', 'last'])).out).toMatch(
      /changed 20: 19 stand as written, 1 changed since, 0 put back, 0 gone\n[\s\S]*by hand +0 +0 +1/,
    );
    // Beside it stands what was counted and kept before the run.
    expect((await cli(['recheck', 'last'])).out).toMatch(/Counts kept before: notes before[\s\S]*by hand +0 +1 +\+1/);
    const found = await cli([
      'changes',
      '--type',
      'bookings',
      '--field',
      'note',
      '--new',
      'to be back',
      '--since',
      'today',
      '--format',
      'json',
    ]);
    expect(JSON.parse(found.out)).toMatchObject([{ matching: 20, run: { why: 'A try' } }]);
    expect((await cli(['changes', '--type', 'bookings', '--record', '202'])).out).toMatch(/1 +20 .*A try/);
    expect((await cli(['changes', '--since', 'whenever'])).err).toContain('--since');
    expect((await cli(['changes', '--text', 'nothing of the kind'])).err).toContain('No run fits.');
    const part = await cli(['undo', 'last', '-f', 'id <= 205', '--fields', 'note', '--expect', '4']);
    // The one that somebody changed by hand is left, and that is a problem to be told.
    expect(part.code).toBe(1);
    expect(part.out).toContain('Put note back on the 5 bookings (only where id <= 205)');
    expect(await count('to be back')).toBe(15);
    expect((await cli(['undo', (await w.admin.runs({}))[1]!.id, '--fields', 'region'])).err).toContain('--fields');
    expect((await cli(['undo', 'last', '--type', 'growers'])).err).toContain('“growers”. (--type)');
    const over = await cli(['undo', (await w.admin.runs({}))[1]!.id, '--keys', '202', '--overwrite', '--expect', '1']);
    expect(over.code).toBe(0);
    expect(await count('by hand')).toBe(0);
  });
});
