import { openWorkspace, type Workspace } from '../../service/src/testing/workspace';
import { openCli, type Cli, type Said } from './testing/cli';

describe('accounts, rights and unfinished jobs on the command line', () => {
  let w: Workspace;
  let cli: Cli;
  /** The same program for somebody else, who has just signed in. */
  const others: Cli[] = [];
  beforeAll(async () => {
    w = await openWorkspace();
    cli = await openCli(w.base);
  });
  afterAll(async () => {
    for (const one of [cli, ...others]) one.remove();
    await w.close();
  });
  const signedIn = async (login: string, password: string): Promise<Cli> => {
    const other = await openCli(w.base);
    others.push(other);
    const entered = await other(
      ['sign-in', '--service', w.base, '--login', login, '--password-stdin'],
      `${password}\n`,
    );
    if (entered.code !== 0) throw new Error(entered.err);
    return other;
  };
  const done = async (said: Promise<Said>): Promise<Said> => {
    const { code, ...rest } = await said;
    if (code !== 0) throw new Error(`${code}: ${rest.err}`);
    return { code, ...rest };
  };
  const lineId = (said: string): string => /\(([0-9a-f]{8})\)/.exec(said)![1]!;

  it('says who I am, and which record stands for me', async () => {
    expect(await cli(['who'])).toMatchObject({
      code: 0,
      out: expect.stringMatching(/^Sorrel Haldane \(sorrel, administrator\) in .+\nme\(\) is .+: staff 5\n$/),
    });
  });

  it('adds an account, changes it, gives a new password, takes it out of use and back', async () => {
    const add = ['accounts', 'add', 'tess', '--name', 'Tess Hedge', '--role', 'editor'];
    expect((await done(cli([...add, '--person', 'staff/58'], 'first password\n'))).err).toBe('Added tess (Editor).\n');
    expect((await cli(add, 'first password\n')).err).toContain('error:');
    const tess = await signedIn('tess', 'first password');
    expect((await tess(['who'])).out).toContain('me() is');
    expect((await done(cli(['accounts', 'change', 'tess', '--role', 'reader', '--person', 'none']))).err).toBe(
      'tess: Tess Hedge, Reader.\n',
    );
    expect((await tess(['who'])).out).toBe('Tess Hedge (tess, reader) in Meadowline\n');
    await done(cli(['accounts', 'reset-password', 'tess'], 'second password\n'));
    expect(await tess(['who'])).toMatchObject({ code: 6, err: expect.stringContaining('tantamos sign-in') });
    const again = await signedIn('tess', 'second password');
    expect((await done(cli(['accounts']))).out).toMatch(/tess +Tess Hedge +reader +yes +.*1\n/);
    await done(cli(['accounts', 'deactivate', 'TESS']));
    expect((await again(['who'])).code).toBe(6);
    expect((await done(cli(['accounts']))).out).toMatch(/tess +Tess Hedge +reader +no/);
    await done(cli(['accounts', 'activate', 'tess']));
    expect((await (await signedIn('tess', 'second password'))(['who'])).code).toBe(0);
  });

  it('a mistake in a hurry is a sentence, and changes nothing', async () => {
    const before = (await cli(['accounts', '--format', 'json'])).out;
    const wrong = async (args: string[], input = ''): Promise<[number | null, string]> => {
      const { code, err } = await cli(args, input);
      return [code, err];
    };
    expect(await wrong(['accounts', 'change', 'nobody', '--role', 'editor'])).toEqual([
      2,
      expect.stringContaining('There is no account “nobody”; there are'),
    ]);
    expect(await wrong(['accounts', 'change', 'tess'])).toEqual([2, expect.stringContaining('Say what to change')]);
    expect(await wrong(['accounts', 'change', 'tess', '--role', 'chief'])).toEqual([
      1,
      expect.stringContaining('chief'),
    ]);
    expect(await wrong(['accounts', 'change', 'tess', '--person', 'staff'])).toEqual([
      2,
      expect.stringContaining('TYPE/KEY'),
    ]);
    expect(await wrong(['accounts', 'change', 'tess', '--person', 'staff/9999'])).toEqual([1, expect.any(String)]);
    expect(await wrong(['accounts', 'add', 'x', '--name', 'X', '--role', 'reader'], 'short\n')).toEqual([
      1,
      expect.stringContaining('8 characters'),
    ]);
    expect(await wrong(['accounts', 'deactivate', 'sorrel'])).toEqual([1, expect.stringContaining('error:')]);
    expect(await wrong(['password'])).toEqual([2, expect.stringContaining('terminal')]);
    expect((await cli(['accounts', '--format', 'json'])).out).toBe(before);
  });

  it('lists sessions and tokens, and ends one by the end of its id', async () => {
    const mine = await signedIn('tess', 'second password');
    const sessions = JSON.parse((await mine(['sessions', '--format', 'json'])).out) as {
      id: string;
      current: boolean;
    }[];
    const current = sessions.find((s) => s.current)!;
    expect((await mine(['sessions'])).out).toMatch(/token .*this one/);
    const other = sessions.find((s) => !s.current)!;
    await done(mine(['sessions', '--end', other.id.slice(-8)]));
    expect(await mine(['sessions', '--end', 'zz'])).toMatchObject({ code: 2 });
    expect((await cli(['accounts', 'sessions', 'tess'])).out).toContain(current.id.slice(-8));
    await done(cli(['accounts', 'sessions', 'tess', '--end', current.id.slice(-8)]));
    expect((await mine(['who'])).code).toBe(6);
  });

  it('a line of rights is added, seen in what a person may, refused to others, and taken away', async () => {
    // A record named in a line is kept by its key: it goes on being meant, whoever is called so.
    const filter = "owner IN (me(), 'Ines Calloway')";
    const added = await done(
      cli(['rights', 'allow', 'change', '--to', 'wren', '--types', 'bookings', '--fields', 'note', '-f', filter]),
    );
    expect(added.err).toMatch(
      /^wren may change bookings, of their fields only note, where owner IN \(me\(\), 1\)\. \([0-9a-f]{8}\)\n$/,
    );
    const id = lineId(added.err);
    expect((await cli(['rights'])).out).toMatch(new RegExp(`${id} +wren +may change bookings`));
    const may = await done(cli(['may', 'wren', '--type', 'bookings']));
    expect(may.out).toMatch(new RegExp(`bookings +partly +may change, only note, where owner IN \\(me\\(\\).* +${id}`));
    expect(may.out).toMatch(/bookings +no +.*delete/);

    const wren = await signedIn('wren', 'meadow-reader');
    expect((await wren(['may', '--type', 'bookings'])).out).toContain('may change, only note');
    expect(await wren(['may', 'piers'])).toMatchObject({ code: 1, err: expect.stringContaining('administer') });
    expect(await wren(['rights'])).toMatchObject({ code: 1, err: expect.stringContaining('administer') });
    const preview = await wren(['preview', 'bookings', '-f', 'hives > 0', '--set', 'note=of mine']);
    expect(preview.out + preview.err).toMatch(/matched = [\d,]+ will change \+ [\d,]+ not allowed/);
    const refused = await wren(['preview', 'bookings', '--set', 'status=draft']);
    expect(refused).toMatchObject({ code: 1, err: expect.stringContaining('the right to change status is missing') });

    expect(await cli(['rights', 'drop', 'ffff'])).toMatchObject({ code: 2 });
    expect((await done(cli(['rights', 'drop', id]))).err).toContain('Taken away: wren may change bookings');
    expect((await wren(['may', '--type', 'bookings'])).out).not.toContain('may change, only note');
  });

  it('a withheld type is nowhere: not by name, not by a path, not among suggestions', async () => {
    const id = lineId((await done(cli(['rights', 'deny', 'see', '--role', 'reader', '--types', 'invoices']))).err);
    const wren = await signedIn('wren', 'meadow-reader');
    expect((await wren(['types'])).out).not.toContain('invoices');
    const unknown = await wren(['find', 'invoices']);
    expect(unknown).toMatchObject({ code: 1, err: expect.stringContaining('There is no type “invoices”') });
    expect(unknown.err).not.toMatch(/did you mean.*invoices/);
    const related = await wren(['find', 'growers', '--related', "grower from invoices: state = 'overdue'"]);
    expect(related.code).toBe(1);
    expect(related.err).not.toContain('Invoices');
    await done(cli(['rights', 'drop', id]));
    expect((await wren(['types'])).out).toContain('invoices');
  });

  it('mistakes in a line are told, and no line comes of them', async () => {
    const before = (await cli(['rights', '--format', 'json'])).out;
    for (const [args, code, told] of [
      [['allow', 'see'], 2, 'Say to whom'],
      [['allow', 'see', '--role', 'reader', '--to', 'wren'], 2, 'Say to whom'],
      [['allow', 'look', '--to', 'wren'], 2, 'A right is one of'],
      [['allow', 'see', '--to', 'nobody'], 1, 'nobody'],
      [['allow', 'see', '--to', 'wren', '--types', 'bookngs'], 1, 'did you mean bookings?'],
      [['allow', 'see', '--to', 'wren', '--types', 'bookings', '-f', 'ownr = me()'], 1, '^^^^'],
      [['allow', 'change_many', '--to', 'wren', '--most', 'many'], 2, '--most'],
      [['deny', 'administer', '--role', 'administrator'], 1, 'Nobody could administer this workspace after that'],
    ] as const) {
      const said = await cli(['rights', ...args]);
      expect([args, said.code]).toEqual([args, code]);
      expect(said.err).toContain(told);
    }
    expect((await cli(['rights', '--format', 'json'])).out).toBe(before);
  });

  it('has roles of one’s own', async () => {
    expect((await done(cli(['rights', 'roles', '--add', 'season', '--label', 'Seasonal help']))).out).toMatch(
      /season +Seasonal help +0/,
    );
    expect(await cli(['rights', 'roles', '--drop', 'editor'])).toMatchObject({ code: 1 });
    expect((await done(cli(['rights', 'roles', '--drop', 'season']))).out).not.toContain('Seasonal');
  });

  it('clears a field and sets the empty text: two things that are not the same', async () => {
    // The notes of the demo are texts or null; none is the empty text.
    const preview = async (...args: string[]): Promise<[number | null, string]> => {
      const { code, out, err } = await cli(['preview', 'bookings', '-f', 'note IS NULL AND id < 100', ...args]);
      return [code, out + err];
    };
    expect(await preview('--clear', 'note')).toEqual([
      3,
      expect.stringMatching(/clear note.*matched = \d+ already right/s),
    ]);
    expect(await preview('--empty', 'note')).toEqual([
      0,
      expect.stringMatching(/set note to the empty text.*matched = \d+ will change/s),
    ]);
    expect(await cli(['preview', 'bookings', '--clear', 'status'])).toMatchObject({
      code: 1,
      err: expect.stringContaining('is required, so it cannot be cleared'),
    });
    expect(await cli(['preview', 'bookings', '--empty', 'hives'])).toMatchObject({ code: 1 });
  });

  it('lists unfinished jobs of mine only, and drops one', async () => {
    const none = await cli(['drafts']);
    expect(none).toMatchObject({ code: 0, err: 'No unfinished job.\n' });
    const { id } = await w.admin.beginDraft({ job: { type: 'bookings', filter: "status = 'draft'" } });
    expect((await cli(['drafts'])).out).toMatch(/bookings where status = 'draft'/);
    const wren = await signedIn('wren', 'meadow-reader');
    expect((await wren(['drafts'])).err).toBe('No unfinished job.\n');
    expect(await wren(['drafts', '--drop', id.slice(-8)])).toMatchObject({ code: 2 });
    expect((await done(cli(['drafts', '--drop', id.slice(-8)]))).err).toContain('Dropped: ');
    expect((await cli(['drafts'])).err).toBe('No unfinished job.\n');
  });
});
