import { Client } from '../../../client/src';
import { refusedWith } from '../testing/jobs';
import { openWorkspace, tokenOf, type Workspace } from '../testing/workspace';

describe('accounts', () => {
  let w: Workspace;
  beforeAll(async () => (w = await openWorkspace()));
  afterAll(() => w.close());

  const as = async (login: string, password: string) =>
    new Client({ base: w.base, token: await tokenOf(w.base, login, password) });
  const account = async (login: string) => (await w.admin.accounts()).find((a) => a.login === login)!;
  const add = (login: string, more = {}) =>
    w.admin.addAccount({ login, name: 'Tess Hedge', role: 'editor', password: 'first password', ...more });

  it('changes my own password: the present one is asked for, and my other sessions end', async () => {
    await add('tess');
    const [one, other] = [await as('tess', 'first password'), await as('tess', 'first password')];
    expect(await refusedWith(one.changePassword({ current: 'wrong', next: 'second password' }))).toMatchObject({
      code: 'wrong_credentials',
      problems: [{ where: 'current' }],
    });
    expect(await refusedWith(one.changePassword({ current: 'first password', next: 'short' }))).toMatchObject({
      code: 'bad_request',
    });
    await one.changePassword({ current: 'first password', next: 'second password' });
    expect((await one.me()).login).toBe('tess');
    expect(await refusedWith(other.me())).toMatchObject({ code: 'not_signed_in' });
    expect(await refusedWith(as('tess', 'first password'))).toMatchObject({ code: 'wrong_credentials' });
    expect((await (await as('tess', 'second password')).me()).name).toBe('Tess Hedge');
  });

  it('takes no password that is blank, the one before, or contains the login', async () => {
    await add('quill', { password: 'first password' });
    const { id } = await account('quill');
    const quill = await as('quill', 'first password');
    const changed = (next: string) => refusedWith(quill.changePassword({ current: 'first password', next }));
    const problem = (message: RegExp, where: string) => ({
      code: 'bad_value',
      problems: [{ where, message: expect.stringMatching(message) }],
    });
    for (const [text, message] of [
      ['           ', /cannot be blank/],
      ['\u00a0\u3000\u2003     ', /cannot be blank/],
      ['my QUILL secret', /cannot contain the login/],
      ['\uff51\uff55\uff49\uff4c\uff4c 12345', /cannot contain the login/],
      ['first password', /same as the present one/],
    ] as const) {
      expect(await changed(text)).toMatchObject(problem(message, 'next'));
      expect(await refusedWith(w.admin.resetPassword(id, { password: text }))).toMatchObject(
        problem(message, 'password'),
      );
    }
    expect(await refusedWith(add('feather', { password: 'feather-12345' }))).toMatchObject(
      problem(/contain the login/, 'password'),
    );
    await expect((await as('quill', 'first password')).me()).resolves.toMatchObject({ login: 'quill' });
  });

  it('an administrator gives a new password, and all sessions end', async () => {
    const { id } = await account('tess');
    const before = await as('tess', 'second password');
    await w.admin.resetPassword(id, { password: 'third password' });
    expect(await refusedWith(before.me())).toMatchObject({ code: 'not_signed_in' });
    expect((await (await as('tess', 'third password')).me()).login).toBe('tess');
    expect(await refusedWith(w.editor.resetPassword(id, { password: 'mine now!!' }))).toMatchObject({ status: 403 });
  });

  it('an account that is made inactive is out at once, and what it watches ends', async () => {
    const { id } = await account('tess');
    const tess = await as('tess', 'third password');
    await w.admin.changeAccount(id, { active: false });
    expect(await refusedWith(tess.me())).toMatchObject({ code: 'not_signed_in' });
    expect(await refusedWith(as('tess', 'third password'))).toMatchObject({ code: 'wrong_credentials' });
    expect(await account('tess')).toMatchObject({ active: false, sessions: 0 });
    await w.admin.changeAccount(id, { active: true, name: 'Tess Hedgerow' });
    expect((await (await as('tess', 'third password')).me()).name).toBe('Tess Hedgerow');
  });

  it('lists sessions and tokens with when they were last used, and ends them one by one', async () => {
    const [one, other] = [await as('tess', 'third password'), await as('tess', 'third password')];
    const all = await one.sessions();
    expect(all.length).toBeGreaterThanOrEqual(2);
    expect(all.filter((s) => s.current)).toHaveLength(1);
    const mine = (await other.sessions()).find((s) => s.current)!;
    await one.endSession(mine.id);
    expect(await refusedWith(other.me())).toMatchObject({ code: 'not_signed_in' });
    // Somebody else’s session is not there for me.
    const theirs = (await w.admin.sessions())[0]!;
    expect(await refusedWith(one.endSession(theirs.id))).toMatchObject({ status: 404 });
    expect((await w.admin.me()).login).toBe('sorrel');
    const { id } = await account('tess');
    const listed = await w.admin.accountSessions(id);
    expect(listed.every((s) => !s.current)).toBe(true);
    await w.admin.endAccountSession(id, (await one.sessions()).find((s) => s.current)!.id);
    expect(await refusedWith(one.me())).toMatchObject({ code: 'not_signed_in' });
  });

  it('knows to the minute when an account was last used', async () => {
    const tess = await as('tess', 'third password');
    const { id } = await account('tess');
    await w.sql.query(`update tantamos.session set last_used_at = now() - interval '2 hours' where account = $1`, [id]);
    await w.sql.query(`update tantamos.account set last_used_at = now() - interval '2 hours' where id = $1`, [id]);
    const age = async () => Date.now() - Date.parse((await account('tess')).lastUsedAt!);
    expect(await age()).toBeGreaterThan(3_600_000);
    // A session is taken as good for a second without asking again.
    for (const end = Date.now() + 10_000; (await age()) > 3_600_000 && Date.now() < end;) await tess.me();
    expect(await age()).toBeLessThan(60_000);
  });

  it('stands for a record of a person: by key, whatever their name', async () => {
    const { id } = await account('tess');
    const tess = await as('tess', 'third password');
    expect((await tess.me()).person).toBeNull();
    await w.admin.changeAccount(id, { person: { type: 'staff', key: '3' } });
    expect(await account('tess')).toMatchObject({ person: { type: 'staff', key: '3', name: 'Marta Quill' } });
    const own = async () =>
      (await tess.search('bookings', { filter: 'owner = me()', count: 'exact', limit: 0 })).numberMatched;
    // A session is taken as good for a second without asking again.
    let found = await own().catch(() => null);
    for (const end = Date.now() + 5000; found === null && Date.now() < end;) found = await own().catch(() => null);
    expect(found).toBe(Number((await w.sql.query('select count(*) from bookings where owner = 3')).rows[0].count));
    const refused = (person: { type: string; key: string }) => refusedWith(w.admin.changeAccount(id, { person }));
    expect(await refused({ type: 'staff', key: '999999' })).toMatchObject({ code: 'not_found' });
    expect(await refused({ type: 'stuff', key: '3' })).toMatchObject({ code: 'unknown_type' });
    expect(await refused({ type: 'staff', key: 'three' })).toMatchObject({ code: 'bad_value' });
    expect(await refused({ type: 'staff', key: '\0' })).toMatchObject({ status: 400 });
    // Whose record it is is not named to who may not see it.
    const line = await w.admin.addRight({ login: 'tess', effect: 'deny', acts: ['see'], types: ['staff'] });
    for (const end = Date.now() + 5000; (await tess.me()).person?.name !== null && Date.now() < end;);
    expect((await tess.me()).person).toEqual({ type: 'staff', key: '3', name: null });
    await w.admin.dropRight(line.id);
  });

  it('takes logins as they are meant, and refuses what cannot be one', async () => {
    expect((await add('  Una ')).login).toBe('una');
    expect(await refusedWith(add('UNA'))).toMatchObject({ code: 'bad_value', problems: [{ where: 'login' }] });
    expect(await refusedWith(add('   '))).toMatchObject({ code: 'bad_value' });
    expect(await refusedWith(add('x', { role: 'chief' }))).toMatchObject({
      code: 'bad_value',
      problems: [{ where: 'role', suggestions: ['administrator', 'editor', 'reader'] }],
    });
    expect(await refusedWith(w.admin.changeAccount((await account('una')).id, {}))).toMatchObject({
      code: 'bad_request',
    });
    const nobody = '00000000-0000-7000-8000-000000000000';
    for (const call of [
      () => w.admin.changeAccount(nobody, { name: 'x' }),
      () => w.admin.resetPassword(nobody, { password: 'long enough' }),
      () => w.admin.accountSessions(nobody),
      () => w.admin.endAccountSession(nobody, nobody),
      () => w.admin.accountSessions('1'),
    ])
      expect(await refusedWith(call())).toMatchObject({ status: 404 });
  });
});
