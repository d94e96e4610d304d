import { readFileSync } from 'node:fs';
import type { Client } from '@tantamos/client';
import type { AccountChangeBody, AccountView, SessionView } from '@tantamos/contract';
import { ask, hasTerminal } from '../ask';
import { moment, out, print, readFormat, talk } from '../output';
import { client } from '../session';
import { UsageError } from '../trouble';
import { acting, type Verb } from './verb';

interface Change {
  readonly name?: string;
  readonly role?: string;
  readonly person?: string;
  readonly active?: boolean;
}

export const accounts: Verb = (program) => {
  const group = program.command('accounts').description('who may sign in (administrators)');
  group
    .command('list', { isDefault: true })
    .description('all accounts, and when each was last used')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().accounts();
        const rows = all.map((a) => [
          a.login,
          a.name,
          a.role,
          a.active ? 'yes' : 'no',
          a.person ? `${a.person.type} ${a.person.name ?? a.person.key}` : null,
          a.lastUsedAt && moment(a.lastUsedAt),
          a.sessions,
        ]);
        print(
          { columns: ['login', 'name', 'role', 'active', 'stands for', 'last used', 'sessions'], rows },
          readFormat(o.format),
          all,
        );
      }),
    );
  group
    .command('add')
    .argument('<login>')
    .description('add an account; the password is asked for, or read from standard input')
    .requiredOption('--name <text>', 'first and last name')
    .requiredOption('--role <role>', 'administrator, editor, reader, or a role of your own')
    .option('--person <record>', 'the record it stands for, what me() means: TYPE/KEY')
    .action(
      acting(async (login: string, o: { name: string; role: string; person?: string }) => {
        const password = await newPassword('Password for the new account: ');
        const person = o.person === undefined ? undefined : personOf(o.person);
        const account = await client().addAccount({ login, name: o.name, role: o.role, password, person });
        talk(`Added ${account.login} (${account.roleLabel}).`);
      }),
    );
  group
    .command('change')
    .argument('<login>')
    .description('another name or role, or whose record it stands for')
    .option('--name <text>', 'first and last name')
    .option('--role <role>', 'administrator, editor, reader, or a role of your own')
    .option('--person <record>', 'the record it stands for, what me() means: TYPE/KEY, or “none”')
    .action(
      acting(async (login: string, o: Change) => {
        if (Object.keys(o).length === 0) throw new UsageError('Say what to change: --name, --role or --person.');
        const body: AccountChangeBody = { name: o.name, role: o.role };
        if (o.person !== undefined) body.person = o.person === 'none' ? null : personOf(o.person);
        const { name, roleLabel } = await changed(login, body);
        talk(`${login}: ${name}, ${roleLabel}.`);
      }),
    );
  group
    .command('deactivate')
    .argument('<login>')
    .description('it can sign in no longer; its sessions and tokens end')
    .action(
      acting(async (login: string) => {
        await changed(login, { active: false });
        talk(`${login} can sign in no longer; its sessions have ended.`);
      }),
    );
  group
    .command('activate')
    .argument('<login>')
    .description('it can sign in again')
    .action(
      acting(async (login: string) => {
        await changed(login, { active: true });
        talk(`${login} can sign in again.`);
      }),
    );
  group
    .command('reset-password')
    .argument('<login>')
    .description('give it a new password, asked for or read from standard input; its sessions end')
    .action(
      acting(async (login: string) => {
        const api = client();
        const { id } = await found(api, login);
        await api.resetPassword(id, { password: await newPassword('The new password: ') });
        talk(`${login} has a new password; its sessions have ended.`);
      }),
    );
  group
    .command('refused')
    .description('logins and addresses with wrong passwords, and which are refused for a while')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { format: string }) => {
        const all = await client().wrongPasswords();
        const rows = all.map((w) => [
          w.kind,
          w.subject,
          w.count,
          w.refusedUntil ? `refused until ${moment(w.refusedUntil)}` : `forgotten at ${moment(w.until)}`,
        ]);
        print({ columns: ['of', 'which', 'wrong passwords', 'and so'], rows }, readFormat(o.format), all);
        if (all.length === 0) talk('No wrong passwords are counted.');
      }),
    );
  group
    .command('let-in')
    .argument('<login or address>')
    .description('forget its wrong passwords, so that it is refused no longer')
    .action(
      acting(async (said: string) => {
        const api = client();
        const all = await api.wrongPasswords();
        const subject = said.toLowerCase();
        const found = all.find((w) => w.subject === subject);
        if (!found)
          throw new UsageError(
            all.length === 0
              ? 'No wrong passwords are counted.'
              : `No wrong passwords are counted for “${said}”; there are some for ${all.map((w) => w.subject).join(', ')}.`,
          );
        await api.liftWrongPasswords(found.kind, found.subject);
        talk(`The wrong passwords of ${found.subject} are forgotten.`);
      }),
    );
  group
    .command('sessions')
    .argument('<login>')
    .description('its sessions and tokens')
    .option('--end <id>', 'end this one, by the end of its id')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (login: string, o: { end?: string; format: string }) => {
        const api = client();
        const { id } = await found(api, login);
        const all = await api.accountSessions(id);
        if (o.end === undefined) return showSessions(all, o.format);
        await api.endAccountSession(id, meant(all, o.end).id);
        talk('It has ended.');
      }),
    );
};

export const mine: Verb = (program) => {
  program
    .command('who')
    .description('who is signed in, and where')
    .action(
      acting(async () => {
        const me = await client().me();
        out(`${me.name} (${me.login}, ${me.roleLabel.toLowerCase()}) in ${me.workspace.name}`);
        if (me.person) out(`me() is ${me.person.name ?? 'a record'}: ${me.person.type} ${me.person.key}`);
      }),
    );
  program
    .command('password')
    .description('change my password; my other sessions end')
    .action(
      acting(async () => {
        if (!hasTerminal()) throw new UsageError('A password is changed on a terminal, where both can be asked for.');
        const current = await ask('Your password until now: ', true);
        await client().changePassword({ current, next: await newPassword('The new one: ') });
        talk('Changed. Your other sessions have ended.');
      }),
    );
  program
    .command('sessions')
    .description('my sessions and tokens')
    .option('--end <id>', 'end this one, by the end of its id')
    .option('--format <format>', 'table, json, jsonl or csv', 'table')
    .action(
      acting(async (o: { end?: string; format: string }) => {
        const api = client();
        const all = await api.sessions();
        if (o.end === undefined) return showSessions(all, o.format);
        await api.endSession(meant(all, o.end).id);
        talk('It has ended.');
      }),
    );
};

async function changed(login: string, body: AccountChangeBody): Promise<AccountView> {
  const api = client();
  return api.changeAccount((await found(api, login)).id, body);
}

async function found(api: Client, login: string): Promise<AccountView> {
  const all = await api.accounts();
  const account = all.find((a) => a.login === login.toLowerCase());
  if (!account)
    throw new UsageError(`There is no account “${login}”; there are ${all.map((a) => a.login).join(', ')}.`);
  return account;
}

function personOf(text: string): { type: string; key: string } {
  const at = text.indexOf('/');
  if (at < 1 || at === text.length - 1) throw new UsageError(`A record is said as TYPE/KEY, not “${text}”.`);
  return { type: text.slice(0, at), key: text.slice(at + 1) };
}

async function newPassword(question: string): Promise<string> {
  return hasTerminal() ? ask(question, true) : readFileSync(0, 'utf8').trim();
}

function showSessions(all: readonly SessionView[], format: string): void {
  const rows = all.map((s) => [
    s.id.slice(-8),
    s.kind === 'token' ? 'token' : 'browser',
    s.label,
    moment(s.createdAt),
    moment(s.lastUsedAt),
    s.current ? 'this one' : null,
  ]);
  print({ columns: ['id', 'kind', 'for', 'since', 'last used', ''], rows }, readFormat(format), all);
}

function meant(all: readonly SessionView[], said: string): SessionView {
  const fits = all.filter((s) => said.length >= 6 && s.id.endsWith(said.toLowerCase()));
  if (fits.length !== 1) throw new UsageError(`“${said}” is not the end of the id of one session.`);
  return fits[0]!;
}
