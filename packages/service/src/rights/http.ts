import type { RightLineBody, rightRoutes } from '@tantamos/contract';
import { boundText, Catalog, fail, fieldNamed, within, type Context } from '@tantamos/core';
import type { Account } from '../accounts/accounts';
import { answerNames } from '../catalog/names';
import type { Call, Handlers } from '../http/handler';
import { contextOf } from './gate';
import { lineView, mayView, mustMeanSomething } from './may';
import type { KeptLine } from './store';

export const rightHandlers: Handlers<typeof rightRoutes> = {
  async roles({ services, seen }) {
    seen.must('administer');
    return services.rights.roles();
  },

  async addRole({ services, seen, body }) {
    seen.must('administer');
    await services.rights.addRole(body.id, body.label, seen.person.id);
    return { id: body.id, label: body.label, accounts: 0, builtIn: false };
  },

  async dropRole({ services, seen, params }) {
    seen.must('administer');
    await services.rights.dropRole(params.role!, seen.person.id);
  },

  async rights(call) {
    call.seen.must('administer');
    return linesOf(call, await call.services.rights.lines());
  },

  async addRight(call) {
    const { services, seen, body } = call;
    seen.must('administer');
    const catalog = await services.catalogs.get();
    const line = await lineIn(call, body, catalog);
    const names = mustMeanSomething(line, catalog, await contextFor(call));
    // A record goes on being meant when it, or another, is called otherwise: by its key.
    const answers = await answerNames(services.database, catalog, names);
    const filter =
      line.filter === null ? null : within('filter', () => boundText(line.filter!, names, answers, catalog));
    const id = await services.rights.add({ ...line, filter }, seen.person.id);
    const [view] = await linesOf(
      call,
      (await services.rights.lines()).filter((l) => l.id === id),
    );
    return view!;
  },

  async dropRight({ services, seen, params }) {
    seen.must('administer');
    await services.rights.drop(params.id!, seen.person.id);
  },

  async may(call) {
    const { services, seen, params } = call;
    const account = await accountOf(call, params.login!);
    if (account.id !== seen.person.id) seen.must('administer');
    const catalog = await services.catalogs.get();
    const rights = await services.rights.of(account);
    const own = new Set(rights.lines.map((l) => l.id));
    const lines = (await services.rights.lines()).filter((l) => own.has(l.id));
    // What others are let see is not told to who may see less: of oneself only what one sees.
    const told = seen.may('administer') ? catalog : asMuchAsSeen(catalog, seen.catalog);
    const views = seen.may('administer') ? await linesOf(call, lines, account) : [];
    return mayView(account, rights, views, told);
  },
};

/** Everything as it is, less what the person does not see of it. */
function asMuchAsSeen(whole: Catalog, seen: Catalog): Catalog {
  return new Catalog(
    whole.types.flatMap((type) => {
      const own = seen.find(type.id);
      const hidden = new Set(own?.fields.filter((f) => f.hidden).map((f) => f.name));
      return own
        ? [{ ...type, fields: type.fields.map((f) => ({ ...f, hidden: f.hidden || hidden.has(f.name) })) }]
        : [];
    }),
  );
}

/** The account of that login; to who may not administer there is no account but their own. */
async function accountOf({ services, seen }: Call, login: string): Promise<Account> {
  const wanted = login.toLowerCase();
  const found = (await services.accounts.list()).find((a) => a.login === wanted);
  if (found && (found.id === seen.person.id || seen.may('administer'))) return found;
  if (!seen.may('administer')) seen.must('administer');
  return fail('not_found', `There is no account “${login.slice(0, 60)}”.`);
}

async function linesOf(call: Call, lines: readonly KeptLine[], account?: Account) {
  const catalog = await call.services.catalogs.get();
  const context = await contextFor(call, account);
  return lines.map((l) => lineView(l, catalog, context));
}

/** A filter that speaks of me() is read as somebody who has a record of their own. */
async function contextFor({ services, seen }: Call, account?: Account): Promise<Context> {
  const accounts = account ? [account] : [seen.person, ...(await services.accounts.list())];
  const record = accounts.find((a) => a.record !== null)?.record ?? null;
  return contextOf({ record }, await services.catalogs.timeZone());
}

async function lineIn(
  { services }: Call,
  body: RightLineBody,
  catalog: Catalog,
): Promise<Omit<KeptLine, 'id' | 'login'>> {
  const { role = null, login = null, effect, acts, types = null, fields = null, filter = null, most = null } = body;
  if ((role === null) === (login === null))
    fail('bad_request', 'Say to whom: a role, or one account by its login.', { where: 'role' });
  if (role !== null && !(await services.rights.roles()).some((r) => r.id === role))
    fail('bad_value', `There is no role “${role.slice(0, 60)}”.`, { where: 'role' });
  const account = login === null ? null : (await services.accounts.list()).find((a) => a.login === login.toLowerCase());
  if (account === undefined) fail('not_found', `There is no account “${login!.slice(0, 60)}”.`, { where: 'login' });
  const type = types?.length === 1 ? catalog.find(types[0]!) : undefined;
  // By the names that the tables have.
  const named = fields?.map((f) => (type && fieldNamed(type, f)?.name) ?? f) ?? null;
  return { role, account: account?.id ?? null, effect, acts, types, fields: named, filter, most };
}
