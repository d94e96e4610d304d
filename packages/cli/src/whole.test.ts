import type { RunView } from '@tantamos/contract';
import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

/** How many a preview on the command line says it will change, create, delete or restore. */
function willOf(out: string): string {
  const [, equation] = /matched = (.*)/.exec(out)!;
  const counts = [...equation!.matchAll(/([\d,]+) will /g)].map(([, count]) => Number(count!.replaceAll(',', '')));
  return String(counts.reduce((sum, count) => sum + count, 0));
}

describe('whole records on the command line', () => {
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
  const count = async (from: string): Promise<number> => {
    const { rows } = await w.sql.query(`select count(*)::int as n from ${from}`);
    return (rows[0] as { n: number }).n;
  };

  it('hands everything of a leaver over, and says afterwards what is left', async () => {
    const counted = await cli(['handover', 'Tobias Fenwick']);
    expect(counted.out).toMatch(/growers\.owner +157 +184/);
    expect(counted.out).toContain('says who did something: --with');
    const asked = await cli(['handover', 'Marta Quill']);
    expect(asked.code).toBe(1);
    expect(asked.err).toContain('Say which by its key: 3');
    const made = await cli([
      'handover',
      'Tobias Fenwick',
      '--to',
      'Ines Calloway:2',
      '--to',
      'Verity Rushwater',
      '--only',
      'growers.owner,bookings.owner',
      '--follow',
      'bookings.grower',
      '--why',
      'Leaves',
    ]);
    expect(made.code).toBe(0);
    expect(made.out).toMatch(/1 +change growers +157 +157/);
    expect(made.out).toContain('planned(grower.owner)');
    const will = willOf(made.out);
    expect((await cli(['run', 'last', '--expect', will, '--no-ask'])).code).toBe(0);
    const after = await cli(['handover', 'Tobias Fenwick']);
    expect(after.out).toMatch(/growers\.owner +157 +184 +0 +27 +27 closed/);
    expect(after.out).toMatch(/tasks\.owner .*it was not ticked/);
    const nobody = await cli(['handover', 'Tobias Fenwick', '--to', 'Ines Caloway', '--all']);
    expect(nobody.err.match(/none is called/g)).toHaveLength(1);
    expect(nobody.err).toContain('(--to)');
    const wrong = await cli(['handover', 'Tobias Fenwick', '--to', 'Ines Calloway', '--only', 'growers.parent']);
    expect(wrong.code).toBe(2);
    expect(wrong.err).toContain('nothing points at Tobias Fenwick by growers.parent');
  });

  it('says further parts with --then, and what is wrong in which of them', async () => {
    const job = [
      'preview',
      'growers',
      '-f',
      "valley = 'north' AND owner = 'Verity Rushwater'",
      '--set',
      'owner=Ines Calloway',
    ];
    const made = await cli([
      ...job,
      '--then',
      'bookings',
      '--follow',
      'grower',
      '--compute',
      'owner = planned(grower.owner)',
      '--why',
      'after --then',
    ]);
    expect(made.code).toBe(0);
    expect(made.out).toContain('then on the');
    expect(made.out).toContain('Why: after --then');
    const wrong = await cli([...job, '--then', 'bookings', '--follow', 'grower', '--set', 'status=confirmd']);
    expect(wrong.err).toContain('--then (part 2) --set');
    const late = await cli([...job, '--then', 'bookings', '--follow', 'grower of part 3', '--set', 'status=confirmed']);
    expect(late.err).toContain('a part can rest only on one before it');
    expect((await cli(['find', 'growers', '--then', 'bookings'])).code).toBe(2);
    expect((await cli(['preview', 'growers', '--then'])).err).toContain('--then takes a type');
  });

  it('makes a remark for each and a task for each owner, and takes them back', async () => {
    const [remarks, tasks] = [await count('remarks'), await count('tasks')];
    const made = await cli([
      ...['preview', 'bookings', '-f', "valley = 'north' AND status = 'draft' AND id < 2000", '--set', 'region=Upland'],
      ...['--also', 'remarks', '--with', 'body=Moved {reference} upland'],
      ...[
        '--also',
        'tasks',
        '--for-each',
        'owner',
        '--pointing',
        'owner',
        '--first-in',
        'booking',
        '--with',
        'subject=Call {name}',
      ],
    ]);
    expect(made.err).not.toContain('error');
    expect(made.out).toMatch(/Remarks: \d+ will be created/);
    expect(made.out).toMatch(/make tasks, one for each of the staff/);
    const will = willOf(made.out);
    const run = await cli(['run', 'last', '--expect', will, '--no-ask']);
    expect([run.code, run.out]).toEqual([
      0,
      expect.stringMatching(
        /Finished: Bookings: [\d,]+ changed; Tasks: \d+ created\n.* = [\d,]+ changed \+ \d+ created/,
      ),
    ]);
    expect(await count(`remarks where body like 'Moved B-% upland'`)).toBe((await count('remarks')) - remarks);
    expect(await count('tasks')).toBeGreaterThan(tasks);
    expect((await cli(['undo', 'last', '--expect', will])).out).toMatch(/ = \d+ deleted \+ [\d,]+ restored/);
    expect([await count('remarks'), await count('tasks')]).toEqual([remarks, tasks]);
    const missing = await cli(['create', 'remarks', '--for', 'bookings', '-f', 'id < 10']);
    expect(missing.err).toContain('Body of new remarks is required');
    expect((await cli(['create', 'remarks'])).err).toContain('--for TYPE');
    expect((await cli(['preview', 'bookings', '--with', 'body=x'])).err).toContain('--also before it');
  });

  it('copies records, and deletes them with what goes with them; the number is said', async () => {
    const tasks = await count('tasks');
    expect((await cli(['create', 'tasks', '--copies', '-f', 'id <= 3', '--set', 'state=open'])).out).toContain(
      'make a copy of each',
    );
    expect((await cli(['run', 'last', '--expect', '3', '--no-ask'])).code).toBe(0);
    expect(await count('tasks')).toBe(tasks + 3);
    const made = await cli(['delete', 'bookings', '-f', 'id <= 60']);
    expect(made.out).toMatch(/Inspections still point at it/);
    expect(made.out).toMatch(/Remarks: \d+ will be deleted/);
    const will = willOf(made.out);
    expect((await cli(['run', 'last'])).err).toContain(`--expect ${will}`);
    expect((await cli(['run', 'last', '--expect', '999'])).code).not.toBe(0);
    expect(made.out).toContain(`${will} will be deleted`);
    const run = await cli(['run', 'last', '--expect', will, '--no-ask']);
    expect([run.code, run.out]).toEqual([0, expect.stringContaining(`Finished: ${will} records deleted\n`)]);
    expect(run.out).toContain(`= ${will} deleted`);
    expect((await cli(['runs', '--limit', '1'])).out).toContain(`${will} deleted`);
    const [listed] = JSON.parse((await cli(['runs', '--limit', '1', '--format', 'json'])).out) as RunView[];
    expect(listed!.parts).toMatchObject([{ act: 'delete', done: 'deleted', type: 'bookings' }]);
    expect(await count('bookings')).toBe(18_000 - Number(will));
    const undo = await cli(['undo', 'last', '--expect', will]);
    expect([undo.code, undo.out]).toEqual([0, expect.stringContaining(`Finished: ${will} records restored\n`)]);
    expect(await count('bookings')).toBe(18_000);
    expect((await cli(['preview', 'bookings', '--delete', '--copies'])).err).toContain('not both');
  });
});
