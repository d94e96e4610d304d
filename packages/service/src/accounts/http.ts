import type { AccountBody, AccountChangeBody, accountRoutes, AccountView, Me, SessionView } from '@tantamos/contract';
import { canonicalKey, fail, rightActs, within } from '@tantamos/core';
import { keysThere, namesOf } from '../catalog/names';
import type { Call, Handlers } from '../http/handler';
import {
  addressOf,
  browserOf,
  clearSessionCookie,
  credential,
  refuseCrossSite,
  setBrowserCookie,
  setSessionCookie,
} from '../http/security';
import { actsOf } from '../rights/store';
import { workspaceOf } from '../workspace/workspace';
import type { Account, KeptSession } from './accounts';
import { knownDays } from './known-browsers';
import type { Person } from './person';

export const accountHandlers: Handlers<typeof accountRoutes> = {
  async signIn({ services, body, req, res }) {
    const kind = body.kind ?? 'browser';
    if (kind === 'browser') refuseCrossSite(req);
    const session = await services.accounts.signIn({
      login: body.login,
      password: body.password,
      kind,
      label: body.label ?? null,
      address: addressOf(req),
      browser: browserOf(req),
    });
    // A browser has one session: the one before it could not be ended by its holder any more.
    const replaced = kind === 'browser' ? credential(req) : undefined;
    if (replaced?.by === 'cookie') await services.accounts.signOut(replaced.secret);
    if (kind === 'browser') setSessionCookie(req, res, session.secret, session.expiresAt);
    if (session.browser !== null) setBrowserCookie(req, res, session.browser, knownDays);
    return {
      ...plain(session.person),
      expiresAt: session.expiresAt.toISOString(),
      ...(kind === 'token' ? { token: session.secret } : {}),
    };
  },

  async signOut({ services, req, res }) {
    const given = credential(req)!;
    await services.accounts.signOut(given.secret);
    if (given.by === 'cookie') clearSessionCookie(req, res);
  },

  async sessions(call) {
    return sessionsOf(call, call.seen.person.id);
  },

  async endSession({ services, seen, params }) {
    await services.accounts.endSession(seen.person.id, params.id!, seen.person.id);
  },

  me: (call) => meOf(call),

  async changeMe(call) {
    const { services, seen, body } = call;
    if (body.locale !== undefined) await services.accounts.setLocale(seen.person.id, body.locale);
    return meOf(call);
  },

  async changePassword({ services, seen, body, req }) {
    const { secret } = credential(req)!;
    await services.accounts.changePassword(seen.person, { ...body, secret, address: addressOf(req) });
  },

  async accounts(call) {
    call.seen.must('administer');
    return Promise.all((await call.services.accounts.list()).map((a) => accountView(call, a)));
  },

  async addAccount(call) {
    const { services, seen, body } = call;
    seen.must('administer');
    const id = await services.accounts.add({ ...body, record: await recordIn(call, body) }, seen.person.id);
    return accountView(call, await services.accounts.account(id));
  },

  async changeAccount(call) {
    const { services, seen, body, params } = call;
    seen.must('administer');
    if (Object.keys(body).length === 0) fail('bad_request', 'Say what to change.');
    const { name, role, active } = body;
    const record = await recordIn(call, body);
    await services.accounts.change(params.id!, { name, role, active, record }, seen.person.id);
    return accountView(call, await services.accounts.account(params.id!));
  },

  async resetPassword({ services, seen, body, params }) {
    seen.must('administer');
    await services.accounts.setPassword(params.id!, body.password, seen.person.id);
  },

  async accountSessions(call) {
    call.seen.must('administer');
    const { id } = await call.services.accounts.person(call.params.id!);
    return sessionsOf(call, id);
  },

  async wrongPasswords({ services, seen }) {
    seen.must('administer');
    return (await services.accounts.wrong.list()).map(({ kind, subject, count, until, refusedUntil }) => ({
      kind,
      subject,
      count,
      until: until.toISOString(),
      refusedUntil: refusedUntil?.toISOString() ?? null,
    }));
  },

  async liftWrongPasswords({ services, seen, params }) {
    seen.must('administer');
    const kind = params.kind === 'login' || params.kind === 'address' ? params.kind : null;
    if (!kind || !(await services.accounts.wrong.lift(kind, params.subject!)))
      fail('not_found', 'No wrong passwords are counted for this.');
  },

  async endAccountSession({ services, seen, params }) {
    seen.must('administer');
    await services.accounts.endSession(params.id!, params.session!, seen.person.id);
  },
};

async function meOf(call: Pick<Call, 'services' | 'seen'>): Promise<Me> {
  const { services, seen } = call;
  return {
    ...plain(seen.person),
    locale: await services.accounts.locale(seen.person.id),
    person: await recordOf(call, seen.person),
    may: actsOf(seen.rights, rightActs),
    workspace: await workspaceOf(services, seen),
  };
}

function plain({ id, login, name, role, roleLabel }: Person) {
  return { id, login, name, role, roleLabel };
}

async function accountView(call: Call, account: Account): Promise<AccountView> {
  const { active, lastUsedAt, sessions } = account;
  return {
    ...plain(account),
    active,
    person: await recordOf(call, account),
    lastUsedAt: lastUsedAt?.toISOString() ?? null,
    sessions,
  };
}

/** The record an account stands for, named where the one who asks may see it. */
async function recordOf({ services, seen }: Pick<Call, 'services' | 'seen'>, { record }: Person) {
  if (!record) return null;
  const type = seen.catalog.find(record.type);
  const names = type ? await namesOf(services.database, type, [record.key]) : new Map<string, string>();
  return { ...record, name: names.get(record.key) ?? null };
}

/** The record that a request names, once it is known to be there. */
async function recordIn({ services, seen }: Call, body: AccountBody | AccountChangeBody) {
  const { person } = body;
  if (person === undefined || person === null) return person;
  const type = within('person.type', () => seen.catalog.type(person.type));
  const key = within('person.key', () => canonicalKey(type, person.key));
  const found = await keysThere(services.database, type, [key]);
  if (found.length === 0)
    fail('not_found', `${type.label}: there is no record with this key.`, { where: 'person.key' });
  return { type: type.id, key };
}

async function sessionsOf({ services, req }: Call, account: string): Promise<SessionView[]> {
  const secret = credential(req)!.secret;
  const view = (s: KeptSession): SessionView => ({
    id: s.id,
    kind: s.kind,
    label: s.label,
    createdAt: s.created_at.toISOString(),
    lastUsedAt: s.last_used_at.toISOString(),
    expiresAt: s.expires_at.toISOString(),
    current: services.accounts.isOf(s, secret),
  });
  return (await services.accounts.sessions(account)).map(view);
}
