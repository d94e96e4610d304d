import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli } from './testing/cli';

describe('rules on the command line', () => {
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
  const name = 'active growers grow';

  it('saves a rule with its mend, off at first, and says how many break it', async () => {
    const where = ['--where', "status = 'active'", '--holds', "kind <> 'reseller'"];
    const saved = await cli([
      ...['rule', 'save', name, 'growers', ...where, '--message', 'An active grower is no reseller.'],
      ...['--set', 'kind=orchard'],
    ]);
    expect(saved).toMatchObject({
      code: 0,
      err: expect.stringContaining(`“${name}” is off: 271 break it (counted `),
    });
    expect((await cli(['rule', 'list', 'growers'])).out).toMatch(
      /active growers grow +growers +off +271 +\S+ \S+ +where status is Active, kind is not Reseller +set kind to Orchard/,
    );
    expect((await cli(['rule', 'on', name])).err).toContain('is on');
  });

  it('mends what breaks it, and counts anew', async () => {
    const mend = await cli(['rule', 'mend', name]);
    expect(mend).toMatchObject({ code: 0, out: expect.stringContaining('271 matched = 271 will change') });
    expect((await cli(['run', 'last', '--expect', '271'])).code).toBe(0);
    expect((await cli(['rule', 'count', name])).err).toContain('0 break it (counted ');
    expect((await cli(['rule', 'show', name])).out).toMatch(/Mended by: set kind to Orchard\n\nday +broken\n\S+ +0\n/);
    expect((await cli(['rule', 'mend', name])).code).toBe(3);
  });

  it('takes a table of transitions and of choices', async () => {
    const said = await cli([
      ...['rule', 'save', 'ways', 'bookings', '--transitions', 'status', '--message', 'Only forward.', '--on'],
      ...['--allow', 'draft: confirmed', '--allow', 'confirmed: placed'],
    ]);
    expect(said.err).toBe('“ways” is on.\n');
    const p = await cli(['preview', 'bookings', '-f', "status = 'confirmed'", '--set', 'status=draft']);
    expect(p.out).toContain('not allowed: Only forward.');
    expect((await cli(['rule', 'mend', 'ways'])).err).toContain('“ways” has no mend');
    const choices = ['rule', 'save', 'crops', 'bookings', '--choices', 'crop', '--by', 'valley', '--message', 'No.'];
    expect((await cli(choices)).err).toContain('--allow');
    expect((await cli([...choices, '--allow', 'north: apple'])).err).toMatch(
      /“crops” is off: [\d,]+ break it \(counted /,
    );
    expect((await cli(['rule', 'delete', 'crops'])).err).toBe('Deleted “crops”.\n');
  });

  it.each([
    [['rule', 'save', 'x', 'growers', '--holds', 'id > 1'], '--message'],
    [['rule', 'save', 'x', 'growers', '--message', 'x'], '--holds, --transitions or --choices'],
    [['rule', 'save', 'x', 'growers', '--message', 'x', '--holds', "knd = 'x'"], 'did you mean kind?'],
    [['rule', 'save', 'x', 'bookings', '--message', 'x', '--choices', 'crop', '--allow', 'a: b'], '--by'],
    [
      ['rule', 'save', 'x', 'bookings', '--message', 'x', '--transitions', 'status', '--allow', 'draft'],
      'VALUE: VALUE',
    ],
    [['rule', 'on', 'nothing'], 'There is no rule “nothing”.'],
  ])('refuses %j', async (args, words) => {
    const said = await cli(args);
    expect(said.code).not.toBe(0);
    expect(said.err).toContain(words);
  });
});
