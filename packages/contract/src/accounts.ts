import { Type as Of } from '@sinclair/typebox';
import { IsBoolean, IsIn, IsNotEmpty, IsOptional, IsString, MaxLength, MinLength } from 'class-validator';
import { shortestPassword } from '@tantamos/core';
import { Fits, Nested, Nullable } from './body';
import { RightAct } from './rights';
import { routesOf } from './route';
import { flag, moment, named, nullable, oneOf, text, uuid, type Answer } from './shape';
import { Workspace } from './workspace';

export class SignInBody {
  @IsString() @IsNotEmpty() @MaxLength(200) login!: string;
  @IsString() @MaxLength(1000) password!: string;
  /** `token`: answered with a token for `Authorization: Bearer`; else a cookie is set. */
  @IsOptional() @IsIn(['browser', 'token']) kind?: 'browser' | 'token';
  @IsOptional() @IsString() @MaxLength(200) label?: string;
}

/** One record of a type that holds people. */
export class PersonRecordBody {
  @IsString() @IsNotEmpty() @MaxLength(200) type!: string;
  @IsString() @IsNotEmpty() @MaxLength(1000) key!: string;
}

export class AccountBody {
  @IsString() @IsNotEmpty() @MaxLength(200) login!: string;
  @IsString() @IsNotEmpty() @MaxLength(200) name!: string;
  @IsString() @IsNotEmpty() @MaxLength(100) role!: string;
  @IsString() @MinLength(shortestPassword) @MaxLength(1000) password!: string;
  @Nullable() @Nested(() => PersonRecordBody) person?: PersonRecordBody | null;
}

export class AccountChangeBody {
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(200) name?: string;
  @IsOptional() @IsString() @IsNotEmpty() @MaxLength(100) role?: string;
  /** An account that is not active cannot sign in; its sessions end. */
  @IsOptional() @IsBoolean() active?: boolean;
  /** The record that `me()` means; null: none. */
  @Nullable() @Nested(() => PersonRecordBody) person?: PersonRecordBody | null;
}

/** A language, and a country, as BCP 47 writes them. */
const IsLocale = (): PropertyDecorator =>
  Fits(
    'isLocale',
    { type: 'string', maxLength: 35 },
    (v) => typeof v === 'string' && v.length <= 35 && isLocale(v),
    'locale must be one such as en-GB',
  );

function isLocale(text: string): boolean {
  try {
    return Intl.getCanonicalLocales(text).length === 1;
  } catch {
    return false;
  }
}

export class MeBody {
  /** How numbers, dates and moments are shown; null: as the browser has it. */
  @Nullable() @IsLocale() locale?: string | null;
}

export class PasswordBody {
  /** The one that holds until now. */
  @IsString() @MaxLength(1000) current!: string;
  @IsString() @MinLength(shortestPassword) @MaxLength(1000) next!: string;
}

export class NewPasswordBody {
  @IsString() @MinLength(shortestPassword) @MaxLength(1000) password!: string;
}

const PersonRecord = named('PersonRecord', {
  type: text,
  key: text,
  name: nullable(text, 'null where the record is not there, or not to be seen'),
});

const person = { id: uuid, login: text, name: text, role: text, roleLabel: text };

export const Me = named('Me', {
  ...person,
  locale: nullable(text, 'how numbers, dates and moments are shown (BCP 47); null: as the browser has it'),
  person: nullable(PersonRecord, 'the record that me() means'),
  may: Of.Array(RightAct, { description: 'the rights that the person has for something at least' }),
  workspace: Workspace,
});
export type Me = Answer<typeof Me>;

export const SignedIn = named('SignedIn', { ...person, token: Of.Optional(text), expiresAt: moment });
export type SignedIn = Answer<typeof SignedIn>;

export const AccountView = named('AccountView', {
  ...person,
  active: flag,
  person: nullable(PersonRecord),
  lastUsedAt: nullable(moment),
  sessions: Of.Integer({ description: 'sessions and tokens that are good now' }),
});
export type AccountView = Answer<typeof AccountView>;

export const SessionView = named('SessionView', {
  id: uuid,
  kind: oneOf(['browser', 'token']),
  label: nullable(text),
  createdAt: moment,
  lastUsedAt: moment,
  expiresAt: moment,
  current: Of.Boolean({ description: 'the one that asks' }),
});
export type SessionView = Answer<typeof SessionView>;

export const WrongPasswordsView = named('WrongPasswordsView', {
  kind: oneOf(['login', 'address']),
  subject: Of.String({ description: 'the login, or the address' }),
  count: Of.Integer(),
  until: Of.String({ format: 'date-time', description: 'forgotten then' }),
  refusedUntil: nullable(moment, 'null while more may be tried'),
});
export type WrongPasswordsView = Answer<typeof WrongPasswordsView>;

export const accountRoutes = routesOf({
  signIn: {
    method: 'post',
    path: '/api/sessions',
    summary: 'Sign in',
    answer: SignedIn,
    body: SignInBody,
    open: true,
  },
  signOut: { method: 'delete', path: '/api/sessions/current', summary: 'Sign out', answer: null, status: 204 },
  sessions: {
    method: 'get',
    path: '/api/sessions',
    summary: 'My sessions and tokens',
    answer: Of.Array(SessionView),
  },
  endSession: {
    method: 'delete',
    path: '/api/sessions/:id',
    summary: 'End a session or token of mine',
    answer: null,
    status: 204,
  },
  me: { method: 'get', path: '/api/me', summary: 'Who am I?', answer: Me },
  changeMe: {
    method: 'patch',
    path: '/api/me',
    summary: 'Change how things are shown to me',
    answer: Me,
    body: MeBody,
  },
  changePassword: {
    method: 'put',
    path: '/api/me/password',
    summary: 'Change my password; my other sessions end',
    answer: null,
    status: 204,
    body: PasswordBody,
  },
  accounts: { method: 'get', path: '/api/accounts', summary: 'All accounts', answer: Of.Array(AccountView) },
  addAccount: {
    method: 'post',
    path: '/api/accounts',
    summary: 'Add an account',
    answer: AccountView,
    status: 201,
    body: AccountBody,
  },
  changeAccount: {
    method: 'patch',
    path: '/api/accounts/:id',
    summary: 'Change an account: its name, role, whether it is active, whose record it stands for',
    answer: AccountView,
    body: AccountChangeBody,
  },
  resetPassword: {
    method: 'put',
    path: '/api/accounts/:id/password',
    summary: 'Give an account a new password; all its sessions end',
    answer: null,
    status: 204,
    body: NewPasswordBody,
  },
  accountSessions: {
    method: 'get',
    path: '/api/accounts/:id/sessions',
    summary: 'Sessions and tokens of an account',
    answer: Of.Array(SessionView),
  },
  wrongPasswords: {
    method: 'get',
    path: '/api/wrong-passwords',
    summary: 'Logins and addresses with wrong passwords, and which are refused for a while',
    answer: Of.Array(WrongPasswordsView),
  },
  liftWrongPasswords: {
    method: 'delete',
    path: '/api/wrong-passwords/:kind/:subject',
    summary: 'Forget the wrong passwords of a login or an address, so that it is refused no longer',
    answer: null,
    status: 204,
  },
  endAccountSession: {
    method: 'delete',
    path: '/api/accounts/:id/sessions/:session',
    summary: 'End a session or token of an account',
    answer: null,
    status: 204,
  },
});
